"""The mat as it comes off paper: what is drawn is what the photograph is read by."""

import unittest
from unittest import mock

import numpy as np
from PySide6.QtGui import QImage, QPainter

from oddtwin.cli import main
from oddtwin.core.photo import PAGES, mat_scale
from oddtwin.core.picture import POINTS_PER_MM, mat_page
from oddtwin.ui.app import make_application
from oddtwin.ui.widgets import paint
from oddtwin.ui.widgets.paper import OnPaper
from tests.cases import InFolder


class MatPage(InFolder):
    def test_the_page_is_read_at_its_own_scale(self):
        make_application()
        for page in PAGES:
            drawing, zoom = mat_page(page), 2.0
            image = QImage(
                round(drawing.width * zoom), round(drawing.height * zoom), QImage.Format.Format_RGB888
            )
            image.fill(0xFFFFFF)
            painter = QPainter(image)
            painter.scale(zoom, zoom)
            paint(painter, drawing, OnPaper())
            painter.end()
            rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
            pixels = rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3)
            found = mat_scale(np.ascontiguousarray(pixels), page, (150.0, 200.0))
            self.assertEqual(found.markers, 16)
            self.assertAlmostEqual(found.px_per_mm, POINTS_PER_MM * zoom, delta=0.01)

    def test_it_is_written_as_pdf(self):
        with mock.patch("builtins.print"):
            self.assertEqual(main(["mat", "--size", "letter", "-o", str(self.folder / "mat.pdf")]), 0)
        data = (self.folder / "mat.pdf").read_bytes()
        self.assertTrue(data.startswith(b"%PDF"))
        # Vector shapes: a picture of so many markers would be far larger.
        self.assertLess(len(data), 60_000)


if __name__ == "__main__":
    unittest.main()
