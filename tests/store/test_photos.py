"""Photographs as they come from anywhere: formats, orientation, what the camera says, and hostile files."""

import io
import struct
import zlib
from datetime import datetime

import numpy as np
from PIL import Image

from oddtwin.work.photos import PhotoError, read_photo, write_png
from tests.cases import InFolder


def picture(width=40, height=30):
    rng = np.random.default_rng(1)
    return Image.fromarray(rng.integers(0, 250, (height, width, 3), dtype=np.uint8))


def bomb(width, height):
    """A PNG whose header promises more pixels than it holds."""

    def chunk(name, data):
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    parts = (chunk(b"IHDR", header), chunk(b"IDAT", zlib.compress(b"\0" * 64)), chunk(b"IEND", b""))
    return b"\x89PNG\r\n\x1a\n" + b"".join(parts)


class Reading(InFolder):
    def read(self, data, name="a.bin"):
        path = self.folder / name
        path.write_bytes(data)
        return read_photo(path)

    def saved(self, image, kind, **more):
        out = io.BytesIO()
        image.save(out, format=kind, **more)
        return out.getvalue()

    def test_every_format_whatever_its_name(self):
        for kind in ("PNG", "TIFF", "WEBP", "JPEG", "HEIF", "BMP"):
            photo = self.read(self.saved(picture(), kind), "photo.txt")
            self.assertEqual(photo.pixels.shape, (30, 40, 3), kind)
            self.assertEqual(len(photo.sha256), 64)

    def test_turned_as_the_camera_was_held(self):
        image = picture()
        exif = image.getexif()
        exif[274] = 6
        photo = self.read(self.saved(image, "PNG", exif=exif))
        np.testing.assert_array_equal(photo.pixels, np.rot90(np.asarray(image), -1))

    def test_when_and_how_long(self):
        image = picture()
        exif = image.getexif()
        exif.get_ifd(34665).update({36867: "2026:11:20 21:15:00", 33434: 0.02})
        photo = self.read(self.saved(image, "JPEG", exif=exif))
        self.assertEqual((photo.taken, photo.exposure_s), (datetime(2026, 11, 20, 21, 15), 0.02))
        exif.get_ifd(34665).update({36867: "yesterday"})
        self.assertIsNone(self.read(self.saved(image, "JPEG", exif=exif)).taken)

    def test_sixteen_bits_grey_and_transparent(self):
        deep = Image.fromarray(np.arange(1200, dtype=np.uint16).reshape(30, 40) * 50)
        self.assertEqual(self.read(self.saved(deep, "PNG")).pixels.shape, (30, 40, 3))
        for mode in ("L", "RGBA", "P", "LA"):
            self.assertEqual(
                self.read(self.saved(picture().convert(mode), "PNG")).pixels.shape, (30, 40, 3), mode
            )

    def test_what_cannot_be_used_is_one_sentence(self):
        good = self.saved(picture(), "JPEG")
        many = self.saved(picture(), "GIF", save_all=True, append_images=[picture(41)])
        for data, words in (
            (b"", "empty"),
            (b"hello", "no picture"),
            (good[: len(good) // 2], "damaged|cut off"),
            (bomb(30_000, 30_000), "million pixels"),
            (bomb(500, 500), "damaged"),
            (many, "several pictures"),
            (self.saved(picture().convert("CMYK"), "JPEG"), "printing press"),
        ):
            with self.assertRaisesRegex(PhotoError, words):
                self.read(data)
        with self.assertRaisesRegex(PhotoError, "cannot be read"):
            read_photo(self.folder / "nothing.jpg")
        with self.assertRaisesRegex(PhotoError, "cannot be read"):
            read_photo(self.folder)

    def test_junk_beside_the_picture_does_no_harm(self):
        photo = self.read(self.saved(picture(), "PNG", icc_profile=b"junk" * 50))
        self.assertEqual(photo.pixels.shape, (30, 40, 3))
        photo = self.read(self.saved(picture(), "JPEG", exif=b"Exif\0\0" + b"\xff" * 4000))
        self.assertIsNone(photo.taken)

    def test_bent_bytes_never_break_the_program(self):
        rng = np.random.default_rng(2)
        for kind in ("PNG", "JPEG", "TIFF", "WEBP", "HEIF"):
            data = bytearray(self.saved(picture(), kind))
            for _ in range(40):
                bent = bytearray(data)
                for place in rng.integers(0, len(bent), 6).tolist():
                    bent[place] = int(rng.integers(0, 256))
                try:
                    self.assertEqual(self.read(bytes(bent)).pixels.ndim, 3)
                except PhotoError as error:
                    self.assertTrue(str(error))

    def test_what_is_written_holds_the_picture_alone(self):
        pixels = np.asarray(picture())
        write_png(self.folder / "out.png", pixels)
        with Image.open(self.folder / "out.png") as image:
            self.assertEqual((dict(image.getexif()), image.info), ({}, {}))
        np.testing.assert_array_equal(read_photo(self.folder / "out.png").pixels, pixels)
