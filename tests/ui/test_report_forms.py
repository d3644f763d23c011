"""Reports that are painted: pages as PDF, and the card as PNG."""

import unittest
from importlib.util import find_spec

from PIL import Image

from oddtwin.store.exchange import write_study
from oddtwin.ui.app import make_application
from oddtwin.ui.widgets.report_pages import report_pdf
from tests.cases import InBook
from tests.test_cli import Command


class Painted(InBook, Command):
    def setUp(self):
        super().setUp()
        self.planned(pairs=3, twins=1)
        self.print_all()
        self.file = self.folder / "study.json"
        self.file.write_text(write_study(self.study()), encoding="utf-8")

    def test_a_card_is_painted(self):
        path = self.folder / "card.png"
        self.assertEqual(self.run_cli("report", self.file, "-o", path)[0], 0)
        with Image.open(path) as image:
            self.assertEqual(image.size, (1200, 675))
            colours = image.convert("RGB").getcolors(1200 * 675)
        self.assertGreater(len(colours), 20)

    @unittest.skipUnless(find_spec("pypdf"), "pypdf comes with requirements-dev.txt")
    def test_a_report_on_paper_can_be_read_back(self):
        """Read by the library pypdf, which had no part in writing it."""
        import pypdf

        for paper, size in (("A4", (595, 842)), ("Letter", (612, 792))):
            path = self.folder / f"{paper}.pdf"
            self.assertEqual(self.run_cli("report", self.file, "-o", path, "--paper", paper)[0], 0)
            read = pypdf.PdfReader(path)
            self.assertEqual(read.metadata.title, "Trial")
            pages = [page.extract_text() for page in read.pages]
            self.assertEqual(tuple(round(float(side)) for side in read.pages[0].mediabox[2:]), size)
            for number, text in enumerate(pages, 1):
                self.assertIn(f"{number} / {len(pages)}", " ".join(text.split()))
            whole = " ".join(" ".join(pages).split())
            for heading in ("What was found", "What could make it wrong", "Every run"):
                self.assertIn(heading, whole)
            for run in self.study().runs:
                self.assertIn(run.code, whole)
            # Drawings stay drawings: nothing of this report is a picture of dots.
            self.assertFalse(any(page.images for page in read.pages))

    @unittest.skipUnless(find_spec("pypdf"), "pypdf comes with requirements-dev.txt")
    def test_no_heading_stands_alone_at_the_foot_of_a_page(self):
        import pypdf

        make_application()
        for lines in range(40, 60):
            text = "".join(f"<p>line {number}</p>" for number in range(lines))
            path = self.folder / "long.pdf"
            path.write_bytes(report_pdf(f"{text}<h2>Heading</h2><p>What follows.</p>", "Long"))
            pages = [" ".join(page.extract_text().split()) for page in pypdf.PdfReader(path).pages]
            (page,) = [page for page in pages if "Heading" in page]
            self.assertIn("What follows.", page, f"after {lines} lines")


if __name__ == "__main__":
    unittest.main()
