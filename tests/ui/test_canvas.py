"""The canvas of photographs by itself: zoomed at the pointer, dragged, wiped, drawn on."""

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest

from oddtwin.core.photo import NEUTRAL, Shown
from oddtwin.ui.look.canvas import Dot, PhotoCanvas, Way
from tests.ui.window import InWindow


def halves(left, right):
    """A picture of two colours, upright."""
    picture = np.zeros((200, 400, 3), dtype=np.uint8)
    picture[:, :200], picture[:, 200:] = left, right
    return Shown(picture)


class Canvas(InWindow):
    def setUp(self):
        super().setUp()
        self.canvas = PhotoCanvas(self.window.theme, "alone")
        self.addCleanup(self.canvas.deleteLater)
        self.canvas.resize(400, 200)
        self.canvas.show()
        self.addCleanup(self.canvas.close)
        self.canvas.show_pair(halves(10, 60), halves(200, 250))

    def at(self, x, y):
        return self.canvas.grab().toImage().pixelColor(x, y).red()

    def wheel(self, at, up=True):
        event = QWheelEvent(
            QPointF(at), QPointF(self.canvas.mapToGlobal(at)), QPoint(), QPoint(0, 120 if up else -120),
            Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        self.canvas.wheelEvent(event)

    def test_it_fits_and_flicks_and_says_what_is_shown(self):
        self.assertEqual((self.at(100, 150), self.at(300, 150)), (10, 60))
        told = []
        self.canvas.flicked.connect(told.append)
        QTest.keyPress(self.canvas, Qt.Key.Key_Space)
        self.assertEqual((self.at(100, 150), self.at(300, 150)), (200, 250))
        QTest.keyRelease(self.canvas, Qt.Key.Key_Space)
        self.assertEqual(told, [True, False])

    def test_the_place_under_the_pointer_stays_under_it(self):
        place = QPoint(300, 150)
        before = self.canvas._place(QPointF(place))[0]
        for _ in range(4):
            self.wheel(place)
        after = self.canvas._place(QPointF(place))[0]
        self.assertAlmostEqual(before.x(), after.x(), delta=0.01)
        self.assertAlmostEqual(before.y(), after.y(), delta=0.01)
        self.assertGreater(self.canvas._look()[0], 2)
        self.wheel(place, up=False)
        self.assertLess(self.canvas._look()[0], 2.4)

    def test_zooming_ends_somewhere_and_a_double_click_shows_the_whole(self):
        for _ in range(60):
            self.wheel(QPoint(10, 10))
        self.assertEqual(self.canvas._look()[0], 16.0)
        for _ in range(80):
            self.wheel(QPoint(10, 10), up=False)
        self.assertGreaterEqual(self.canvas._look()[0], 0.5)
        QTest.mouseDClick(self.canvas, Qt.MouseButton.LeftButton, pos=QPoint(50, 50))
        self.assertEqual(self.canvas._look()[0], 1.0)

    def test_dragging_moves_and_is_no_click(self):
        pointed = []
        self.canvas.pointed.connect(lambda *place: pointed.append(place))
        QTest.mousePress(self.canvas, Qt.MouseButton.LeftButton, pos=QPoint(200, 100))
        QTest.mouseMove(self.canvas, QPoint(240, 100))
        QTest.mouseRelease(self.canvas, Qt.MouseButton.LeftButton, pos=QPoint(240, 100))
        self.assertEqual(pointed, [])
        self.assertEqual(self.at(20, 150), NEUTRAL)
        QTest.mouseClick(self.canvas, Qt.MouseButton.LeftButton, pos=QPoint(240, 100))
        self.assertEqual(len(pointed), 1)
        self.assertAlmostEqual(pointed[0][0], 0.5, delta=0.01)

    def test_a_click_beside_the_photograph_marks_nothing(self):
        pointed = []
        self.canvas.pointed.connect(lambda *place: pointed.append(place))
        self.wheel(QPoint(200, 100), up=False)
        QTest.mouseClick(self.canvas, Qt.MouseButton.LeftButton, pos=QPoint(2, 2))
        self.assertEqual(pointed, [])

    def test_the_wipe_follows_mouse_and_keys(self):
        self.canvas.set_way(Way.WIPE)
        self.assertEqual((self.at(100, 150), self.at(300, 150)), (10, 250))
        QTest.keyClick(self.canvas, Qt.Key.Key_BracketRight)
        for _ in range(20):
            QTest.keyClick(self.canvas, Qt.Key.Key_BracketRight)
        self.assertEqual(self.at(300, 150), 60)
        for _ in range(40):
            QTest.keyClick(self.canvas, Qt.Key.Key_BracketLeft)
        self.assertEqual(self.at(100, 150), 200)

    def test_a_difference_is_grey_where_both_are_alike(self):
        self.canvas.show_pair(halves(50, 90), halves(50, 60))
        self.canvas.set_way(Way.DIFFERENCE)
        self.assertEqual((self.at(100, 150), self.at(300, 150)), (128, 98))

    def test_side_by_side_both_show_the_same_part(self):
        self.canvas.set_way(Way.SIDE)
        for _ in range(3):
            self.wheel(QPoint(50, 100))
        self.assertEqual((self.at(30, 150), self.at(230, 150)), (10, 200))

    def test_marks_of_the_second_show_with_the_second(self):
        self.canvas.show_dots((Dot(0.5, 0.5, "3", True),))
        bare = self.at(200, 87)
        QTest.keyPress(self.canvas, Qt.Key.Key_Space)
        self.assertNotEqual(self.at(200, 87), bare)
        self.assertIn(self.at(200, 87), range(230, 256))
        QTest.keyRelease(self.canvas, Qt.Key.Key_Space)

    def test_a_box_is_drawn_in_pixels_of_the_photograph_and_ends_at_its_border(self):
        boxes = []
        self.canvas.boxed.connect(boxes.append)
        self.canvas.boxing = True
        QTest.mousePress(self.canvas, Qt.MouseButton.LeftButton, pos=QPoint(300, 120))
        QTest.mouseMove(self.canvas, QPoint(350, 150))
        QTest.mouseMove(self.canvas, QPoint(480, 190))
        QTest.mouseRelease(self.canvas, Qt.MouseButton.LeftButton, pos=QPoint(480, 190))
        box = boxes[0]
        # The window is higher than the photograph: forty pixels of grey lie above it.
        self.assertEqual((box.left(), box.top(), box.right(), box.bottom()), (300, 80, 399, 149))

    def test_places_of_each_file_show_with_its_photograph(self):
        first, second = np.array([[0.25, 0.5]]), np.array([[0.75, 0.5]])
        self.canvas.show_places([first, second])
        # Forty pixels of grey lie above the photograph.
        self.assertGreater(self.at(100, 140), 200)
        self.assertEqual(self.at(300, 140), 60)
        QTest.keyPress(self.canvas, Qt.Key.Key_Space)
        self.assertEqual(self.at(100, 140), 200)
        self.assertNotEqual(self.at(300, 140), 250)
        QTest.keyRelease(self.canvas, Qt.Key.Key_Space)
        self.canvas.show_places(None)
        self.assertEqual(self.at(100, 140), 10)

    def test_without_a_photograph_it_is_grey_and_takes_every_key(self):
        self.canvas.show_pair(None)
        for key in (Qt.Key.Key_Space, Qt.Key.Key_Plus, Qt.Key.Key_0, Qt.Key.Key_BracketLeft):
            QTest.keyClick(self.canvas, key)
        QTest.mouseClick(self.canvas, Qt.MouseButton.LeftButton, pos=QPoint(50, 50))
        self.wheel(QPoint(20, 20))
        self.assertEqual(self.at(200, 100), NEUTRAL)
