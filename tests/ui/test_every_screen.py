"""What must hold on every screen of the demo: names, the way of Tab, targets, and no way sideways."""

from PySide6.QtCore import QPoint, QSize, Qt
from PySide6.QtGui import QAccessible
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QLineEdit, QScrollArea

from oddtwin import operations
from oddtwin.core.readings import ResponseKind
from oddtwin.core.standing import Stage
from oddtwin.ui.app import open_demo
from oddtwin.ui.widgets import Page, QuantityField, column_label, label, row
from tests.cases import study_in
from tests.ui.every_screen import every_screen, focusable, problem_with_name, tab_problems
from tests.ui.test_screens import two_pairs
from tests.ui.window import InWindow

SMALLEST = QSize(24, 24)
"""Of a target, px (design.md, norms of a screen)."""


class EveryScreen(InWindow):
    def setUp(self):
        super().setUp()
        self.with_demo()
        open_demo(self.bench)
        self.settle()

    def test_names_the_way_of_tab_targets_and_no_way_sideways(self):
        self.window.resize(1024, 700)
        shown = 0
        for screen in every_screen(self.window):
            with self.subTest(screen):
                parts = focusable(self.window)
                shown += len(parts)
                named = {one.objectName(): problem_with_name(one) for one in parts}
                self.assertEqual({key: why for key, why in named.items() if why}, {})
                self.assertEqual([one.objectName() for one in parts if not _says_what_it_is(one)], [])
                self.assertEqual([one.objectName() for one in parts if not _large(one.size())], [])
                self.assertEqual(_sideways(self.window), [])
                missed, back = tab_problems(self.window)
                self.assertEqual([one.objectName() for one in missed], [])
                self.assertEqual(back, [])
        self.assertGreater(shown, 700)


def _says_what_it_is(widget):
    """Whether a screen reader hears more of it than that something is there."""
    role = QAccessible.queryAccessibleInterface(widget).role()
    return role not in (QAccessible.Role.NoRole, QAccessible.Role.Client, QAccessible.Role.Border)


def _sideways(window):
    """Areas that scroll sideways, and by how much."""
    return [
        f"{type(area).__name__} by {area.horizontalScrollBar().maximum()} px"
        for area in window.findChildren(QScrollArea)
        if area.isVisible() and area.horizontalScrollBar().maximum() > 0
    ]


class NextStep(InWindow):
    def setUp(self):
        super().setUp()
        self.with_demo()
        open_demo(self.bench)
        self.settle()

    def test_the_keys_are_in_sight_wherever_ctrl_enter_leads(self):
        self.window.resize(1280, 800)
        for study_id in (2, 3, 4, 5, 7):
            for stage in Stage:
                self.window.open_study(study_id)
                self.settle()
                self.window.show_stage(stage)
                self.settle()
                if not self.find("next").isEnabled():
                    continue
                self.keys(Qt.Key.Key_Return, control=True)
                self.settle()
                with self.subTest(f"{study_id} from {stage.value}"):
                    focused = self.window.focusWidget()
                    self.assertTrue(focused is not None and focused.isVisible())
                    top = focused.mapTo(self.window, QPoint(0, 0)).y()
                    self.assertGreater(top, 40, focused.objectName())
                    self.assertLess(top, 790, focused.objectName())


class LongNames(InWindow):
    """Names of eighty letters without a blank push nothing out of the window."""

    def test_nothing_goes_sideways(self):
        self.new_study(LONG.format("t"), _with_long_names)
        self.window.resize(1280, 800)
        for screen in every_screen(self.window, {}):
            with self.subTest(screen):
                self.assertEqual(_sideways(self.window), [])
                self.assertEqual(self.window.width(), 1280)

    def test_a_label_tells_a_long_word_whole_and_breaks_it_where_it_must(self):
        broken, cut = label("x" * 80), label("x" * 80, wrap=False)
        self.assertEqual(broken.text(), "x" * 80)
        self.assertLess(broken.minimumSizeHint().width(), 300)
        self.assertEqual(cut.toolTip(), "x" * 80)
        self.assertEqual(label("a name as usual").text(), "a name as usual")
        # What is copied off the screen is what stands there: no hash and no path gets signs inside.
        for whole in (f"SHA-256 {'0f' * 32}.", "/home/somebody/lab-books/quay-street"):
            self.assertEqual(QLabel.text(label(whole)), whole)


LONG = "donauwindmuhlen" * 5 + "{}"


def _with_long_names(do):
    named = LONG.format
    do(operations.add_machine, name=named("m"))
    do(operations.add_piece, name=named("p"), zones=[named("z"), "rim"])
    do(operations.add_spool, name=named("s"))
    do(operations.edit_study, study_id=1, question=named("q"))
    levels = named("a"), named("b")
    do(operations.add_factor, study_id=1, kind="slicer setting", name=named("f"), levels=levels)
    do(operations.add_response, study_id=1, name=named("r"), unit="N", kind=ResponseKind.QUANTITY, margin=1.0)
    do(operations.add_response, study_id=1, name=named("g"), unit="", kind=ResponseKind.GRADE)
    places = {"machine_ids": [1], "piece_ids": [1]}
    do(operations.draw_runs, study_id=1, repeats=3, twins=1, seed=1, **places)
    study = do(study_in, study_id=1)
    for number, run in enumerate(study.runs):
        do(operations.start_run, run_id=run.id, code=run.code)
        do(operations.finish_run, run_id=run.id, code=run.code)
        for response in study.responses[:4]:
            value = 10.0 + 0.1 * number - 3.0 * (run.arm_id == study.change.id)
            do(
                operations.enter_readings,
                run_id=run.id, response_id=response.id, values=[value], title="x",
            )  # fmt: skip


def _large(size):
    return size.width() >= SMALLEST.width() and size.height() >= SMALLEST.height()


class ReadingOrder(InWindow):
    def setUp(self):
        super().setUp()
        self.new_study("Trial", two_pairs)

    def test_a_field_of_a_row_is_called_by_its_column_what_it_is_of_and_its_unit(self):
        self.stage(1)
        self.settle()
        self.assertEqual(self.find("margin-Print time").accessibleName(), "Margin of Print time, min")
        self.assertEqual(self.find("question").accessibleName(), "In words")

    def test_a_row_that_is_added_later_is_visited_where_it_stands(self):
        self.stage(1)
        self.bench.do(operations.add_response, study_id=1, name="Force", unit="N", kind=ResponseKind.QUANTITY)
        self.settle()
        self.find("newResponseName").setFocus()
        QApplication.processEvents()
        QTest.keyClick(self.find("newResponseName"), Qt.Key.Key_Backtab)
        self.assertNotEqual(self.focused, "newResponseName")
        self.assertEqual(self.find("margin-Force").accessibleName(), "Margin of Force, N")
        before = []
        self.find("name-Force").setFocus()
        for _ in range(12):
            before.append(self.focused)
            QTest.keyClick(self.window.focusWidget(), Qt.Key.Key_Tab)
        self.assertLess(before.index("margin-Force"), before.index("newResponseName"))

    def test_a_label_that_was_cut_lends_its_whole_words(self):
        page = Page()
        field = QuantityField("f", "min", "0", 90)
        words = "A name of something that is far too long for its place"
        page.body.addLayout(row(column_label(words), field))
        shown = QLabel("not a name")
        page.body.addWidget(shown)
        other = QLineEdit()
        other.setAccessibleName("Its own")
        page.body.addLayout(row(column_label("Beside"), other))
        page.show()
        self.settle()
        self.assertEqual(field.edit.accessibleName(), f"{words}, min")
        self.assertEqual(other.accessibleName(), "Its own")
        page.close()
