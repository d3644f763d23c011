"""What is seen before the key is opened, and that every look is written down."""

import unittest

from PySide6.QtWidgets import QLabel

from oddtwin import operations
from oddtwin.core.judgement import study_threats
from oddtwin.core.readings import ResponseKind
from oddtwin.core.study import LookAt
from tests.ui.window import InWindow


class Sealed(InWindow):
    def begin(self, kind="part", levels=("old belt", "new belt")):
        self.new_study()
        do = self.bench.do
        for name in ("Marlow", "Tessel"):
            do(operations.add_machine, name=name)
        for name in ("crimson", "azure"):
            do(operations.add_spool, name=name)
        do(operations.add_piece, name="Ring", zones=["rim"], minutes=60.0)
        do(operations.add_factor, study_id=1, kind=kind, name="what", levels=levels)
        do(operations.add_response, study_id=1, name="Strings", unit="", kind=ResponseKind.GRADE)
        machines = [] if kind == "machine" else [1]
        do(operations.draw_runs, study_id=1, repeats=2, twins=0, seed=3, machine_ids=machines, piece_ids=[1])
        self.settle()

    def print_run(self, place: int):
        run = self.bench.study.runs[place]
        self.bench.do(operations.start_run, run_id=run.id, code=run.code)
        self.bench.do(operations.finish_run, run_id=run.id, code=run.code)
        for response in self.bench.study.responses:
            for spot in self.bench.study.spots_of(response, run)[:1]:
                self.bench.do(
                    operations.enter_readings,
                    run_id=run.id,
                    response_id=response.id,
                    spot=spot,
                    values=[float(place)],
                    title="x",
                )
        self.settle()

    def words(self, *but: str) -> str:
        """All that can be read on the screen of a run, but for the run list of the plan."""
        found = [
            item.text() + item.toolTip() for item in self.window.findChildren(QLabel) if item.isVisible()
        ]
        return "\n".join(text for text in found if text not in but)

    def test_a_print_to_be_judged_tells_nothing_of_its_arm(self):
        for kind, levels in (
            ("part", ("old belt", "new belt")),
            ("machine", ("Marlow", "Tessel")),
            ("filament or lot", ("crimson", "azure")),
        ):
            with self.subTest(kind):
                self.begin(kind, levels)
                for place in range(2):
                    self.print_run(place)
                self.stage(4)
                for place in range(2):
                    self.window._stack.made_so_far("PRINT")._on_run_chosen(self.bench.study.runs[place].id)
                    self.settle()
                    said = self.words() + self.find("spool").text() + self.find("spool").placeholderText()
                    self.assertIn("Arm hidden", said)
                    for level in (*levels, "Check again", "Baseline", "Change"):
                        self.assertNotIn(level, said.replace("Saved: ", ""), kind)
                self.bench.close_book()
                self.bench.book_changed.emit()
                self.folder = self.folder / kind.split()[0]
                self.folder.mkdir()

    def looks(self):
        return [(look.what, look.advised) for look in self.bench.study.looks]

    def test_the_verdict_waits_behind_a_gate_and_a_look_is_written_down(self):
        self.begin()
        for place in range(2):
            self.print_run(place)
        self.stage(6)
        self.assertIn("2 of 4 prints are made", self.texts())
        self.assertFalse(self.is_shown("figures"))
        self.assertEqual(self.looks(), [])
        self.stage(7)
        self.assertIn("was not looked at yet", self.texts())
        self.stage(6)
        self.click("lookNow")
        self.settle()
        self.assertTrue(self.is_shown("figures"))
        self.assertEqual(self.looks(), [(LookAt.VERDICT, False)])
        self.assertTrue(self.bench.study.looks[0].who)
        for place in (2, 3):
            self.print_run(place)
        self.stage(6)
        self.settle()
        # All is printed: this look was the next step, and nobody is blamed for it.
        self.assertEqual(self.looks(), [(LookAt.VERDICT, False), (LookAt.VERDICT, True)])
        self.assertTrue(self.is_shown("threat-early-look"))
        self.stage(6)
        self.assertEqual(len(self.looks()), 2)

    def test_settle_and_what_is_written_pass_the_same_gate(self):
        self.begin()
        self.print_run(0)
        self.print_run(1)
        self.stage(7)
        self.click("showFound")
        self.settle()
        self.assertEqual(self.looks(), [(LookAt.VERDICT, False)])
        self.print_run(2)
        self.stage(7)
        self.type_into("reportPath", str(self.folder / "out.html"), enter=False)
        self.click("writeReport")
        self.settle()
        self.click("writeCsv")
        self.settle()
        self.assertEqual([what for what, _ in self.looks()], [LookAt.VERDICT, LookAt.REPORT])
        self.print_run(3)
        self.click("writeJson")
        self.settle()
        self.assertEqual(self.looks()[-1], (LookAt.EXPORT, True))

    def test_showing_the_arms_is_written_down(self):
        self.begin()
        self.stage(2)
        self.click("showArms")
        self.settle()
        self.assertEqual(self.looks(), [(LookAt.ARMS, False)])
        for place in range(4):
            self.print_run(place)
        self.assertIn("arms-shown", [item.code for item in study_threats(self.bench.study)])
        # The list told every arm, so nothing is hidden any more.
        self.stage(4)
        self.assertNotIn("Arm hidden", self.texts())

    def test_a_look_that_was_advised_is_said_and_not_blamed(self):
        self.begin()
        for place in range(4):
            self.print_run(place)
        self.stage(6)
        self.bench.do(operations.add_repeats, study_id=1, repeats=1)
        self.print_run(4)
        codes = [item.code for item in study_threats(self.bench.study)]
        self.assertIn("advised-look", codes)
        self.assertNotIn("early-look", codes)
        self.undo()
        self.assertEqual(self.looks(), [(LookAt.VERDICT, True)])


if __name__ == "__main__":
    unittest.main()
