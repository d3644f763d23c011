"""How many moves a whole study takes: keys that go somewhere and clicks, what is typed aside."""

from PySide6.QtCore import Qt

from oddtwin import operations
from tests.ui.window import InWindow

MOST = 110
"""For two responses and fourteen prints (six pairs, two twins), from the bench to the decision."""
PRINTS = 14
MOST_OF_A_RUN = 5


class Moves(InWindow):
    """Every click and every key that is no letter or digit counts as one."""

    def setUp(self):
        super().setUp()
        self.new_book(_workshop)
        self.moves = 0

    def click(self, name):
        self.moves += 1
        super().click(name)
        self.settle()

    def enter(self, times=1):
        self.moves += times
        super().enter(times)
        self.settle()

    def tab(self, times=1):
        for _ in range(times):
            self.moves += 1
            self.keys(Qt.Key.Key_Tab)

    def next(self):
        self.moves += 1
        self.keys(Qt.Key.Key_Return, control=True)
        self.settle()

    def test_a_whole_study_of_two_responses(self):
        self.ask()
        self.plan()
        asked = self.moves
        self.print_all()
        self.assertLessEqual((self.moves - asked) / PRINTS, MOST_OF_A_RUN)
        self.decide()
        self.assertIsNotNone(self.bench.study.decision)
        self.assertEqual([one.name for one in self.bench.study.responses], ["Print time", "Force"])
        self.assertLessEqual(self.moves, MOST, "moves of the whole study")

    def ask(self):
        self.find("newStudyName").setFocus()
        self.moves += 1
        self.press("Thicker seam")
        self.enter()
        self.press("Does it close with less force?")
        self.click("newFactorName")
        self.press("seam width")
        self.enter()
        self.press("0.4 mm")
        self.enter()
        self.press("0.6 mm")
        self.enter()
        for role in ("part", "waste"):
            self.click(f"standing-{role}")
        self.click("newResponseName")
        for typed in ("Force", "N", "1.5"):
            self.press(typed)
            self.enter()
        self.click("margin-Print time")
        self.press("5")
        self.enter()
        self.click("decides-Force")

    def plan(self):
        self.next()
        # The only machine and the only piece of a workshop are ticked already.
        self.moves += 2
        self.type_into("pairs", "6")
        self.click("draw")
        self.assertEqual(len(self.bench.study.runs), PRINTS)
        self.moves += 1
        self.stage(4)
        self.settle()

    def print_all(self):
        for number in range(PRINTS):
            run = next(one for one in self.bench.study.runs if one.code == self.find("runCode").text())
            change = run.arm_id == self.bench.study.change.id
            self.assertEqual(self.focused, "go")
            self.enter(2)
            for typed in (f"{60 + number % 3}", f"{12.0 - 3 * change + 0.1 * (number % 4):.1f}"):
                self.press(typed)
                self.enter()
            self.assertEqual(self.focused, "nextRun")
            self.enter()

    def decide(self):
        self.next()
        self.assertIn("it differs, and enough to matter", self.sentence("Force"))
        self.moves += 1
        self.stage(7)
        self.click("decide-keep")
        self.click("decisionReason")
        self.press("not worth the plastic")
        self.click("settle")


def _workshop(do):
    do(operations.add_machine, name="Marlow")
    do(operations.add_piece, name="Lamp ring")
