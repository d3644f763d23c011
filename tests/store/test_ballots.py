"""Ballots as files: one page with everything inside, that tells nothing of the arms or of the camera."""

import base64
import io
import re

import numpy as np
from PIL import Image

from oddtwin.core.judge import make_ballot, read_key
from oddtwin.core.readings import TableError
from oddtwin.work.ballots import Words, ballot_page, key_text, read_pairs
from oddtwin.work.photos import PhotoError
from tests.cases import InFolder


class Page(InFolder):
    def setUp(self):
        super().setUp()
        rng = np.random.default_rng(1)
        for name in ("one", "two"):
            image = Image.fromarray(rng.integers(0, 250, (60, 2000, 3), dtype=np.uint8))
            exif = image.getexif()
            exif[270] = f"arm {name}: the secret"
            image.save(self.folder / f"{name}.jpg", exif=exif)
        self.pairs = read_pairs(
            "one,other,one_arm,other_arm,one_print\none.jpg,two.jpg,oldarm,newarm,K7M\n", self.folder
        )
        self.ballot = make_ballot(self.pairs, np.random.default_rng(2))
        self.page = ballot_page(self.ballot, Words("</script><b>Which?", "Look & choose."))

    def test_nothing_tells_which_is_which(self):
        for secret in ("oldarm", "newarm", "K7M", "one.jpg", "secret", str(self.folder)):
            self.assertNotIn(secret, self.page)
        self.assertIn(self.ballot.key.commitment, self.page)
        for text in re.findall(r"data:image/jpeg;base64,([A-Za-z0-9+/=]+)", self.page):
            data = base64.b64decode(text)
            self.assertNotIn(b"secret", data)
            with Image.open(io.BytesIO(data)) as image:
                self.assertEqual((dict(image.getexif()), max(image.size)), ({}, 1400))

    def test_no_network_and_nothing_breaks_out(self):
        self.assertNotRegex(self.page, r"https?://|//[a-z]+\.[a-z]")
        self.assertIn("default-src 'none'", self.page)
        self.assertEqual(self.page.count("</script>"), 1)
        self.assertIn("&lt;/script&gt;&lt;b&gt;Which?", self.page)

    def test_the_key_is_read_back(self):
        key, kept = read_key(key_text(self.ballot))
        self.assertEqual((key.letters, kept), (self.ballot.key.letters, True))

    def test_what_cannot_be_read_is_named(self):
        for text, words in (
            ("one,other,one_arm\na,b,c", "no column “other_arm”"),
            ("one,other,one_arm,other_arm\na.png,b.png,,new", "one arm is missing"),
        ):
            with self.assertRaisesRegex(TableError, words):
                read_pairs(text, self.folder)
        gone = read_pairs("one,other,one_arm,other_arm\none.jpg,gone.jpg,old,new", self.folder)
        with self.assertRaisesRegex(PhotoError, "gone.jpg: it cannot be read"):
            ballot_page(make_ballot(gone, np.random.default_rng(1)), Words("a", "b"))
