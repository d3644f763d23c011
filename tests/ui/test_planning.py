"""Asking from cards, and planning any design, by key and mouse."""

import json
from pathlib import Path

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QTableWidget

from oddtwin import operations
from oddtwin.core.design import Design, DesignKind, LadderRule
from oddtwin.core.readings import ResponseKind
from oddtwin.core.standing import Stage
from oddtwin.ui.widgets import DrawingView
from tests.ui.window import InWindow


def workshop(do):
    """Two machines, a piece and a spool, without going through the screens."""
    do(operations.add_machine, name="Marlow")
    do(operations.add_machine, name="Tessel")
    do(operations.add_piece, name="Ring", minutes=60.0, part_g=20.0, faults=["Stringing"])
    do(operations.add_spool, name="white, lot 3")


class Planned(InWindow):
    def setUp(self):
        super().setUp()
        self.new_book(workshop)

    def begin(self, card):
        self.click("questionCardsButton")
        self.click(f"begin-{card}")
        self.settle()
        self.stage(1)

    def choose(self, name, text):
        box = self.find(name)
        self.assertIsInstance(box, QComboBox)
        place = next(n for n in range(box.count()) if text in box.itemText(n))
        box.setFocus()
        self.keys(Qt.Key.Key_Home)
        self.keys(*[Qt.Key.Key_Down] * place)
        self.settle()

    @property
    def study(self):
        return self.bench.study

    def drawn(self, card="Two that may need each other"):
        self.begin(card)
        self.stage(2)
        self.click("machine-Marlow")
        # The only piece is ticked already.
        self.click("draw")
        self.settle()
        self.assertTrue(self.study.runs, self.message)

    def table(self, name):
        table = self.find(name)
        self.assertIsInstance(table, QTableWidget)
        return [
            [table.item(line, column).text() for column in range(table.columnCount())]
            for line in range(table.rowCount())
        ]


class Looks(Planned):
    def test_looks_are_planned_and_judged_by(self):
        self.bench.do(operations.add_study, name="Looks")
        self.window.open_study(1)
        self.bench.do(
            operations.add_factor, study_id=1, kind="slicer setting", name="walls", levels=("2", "3")
        )
        self.stage(2)
        self.click("machine-Marlow")
        self.find("pairs").setValue(6)
        self.find("plannedLooks").setValue(3)
        self.find("takeDrift").setChecked(True)
        self.click("draw")
        self.settle()
        self.assertEqual((self.study.plan.design.looks, self.study.plan.design.drift), (3, True))
        self.bench.do(operations.add_response, study_id=1, name="Strings", unit="", kind=ResponseKind.COUNT)
        self.find("plannedLooks").setValue(2)
        self.click("draw")
        self.settle()
        self.assertIn("“Strings” is counted", self.message)
        self.assertEqual(self.study.plan.design.looks, 3)


class Cards(Planned):
    def test_a_card_fills_in_the_question_and_all_of_it_can_be_changed(self):
        self.begin("A ladder: how far can it go?")
        self.assertEqual(self.study.name, "A ladder: how far can it go?")
        self.assertEqual(self.study.plan.design.rule, LadderRule.EXTREMES)
        (factor,) = self.study.factors
        self.assertEqual(len(factor.levels), 5)
        level = factor.levels[4]
        self.type_into(f"value-{level.id}", "0.32 mm")
        self.type_into(f"minutes-{level.id}", "1h")
        self.type_into(f"newLevel-{factor.id}", "0.36 mm")
        self.assertEqual([item.value for item in self.study.factors[0].levels][4:], ["0.32 mm", "0.36 mm"])
        self.assertEqual(self.study.factors[0].levels[4].minutes, 60.0)
        self.assertIn("hard to change", self.texts())
        self.type_into("controlName", "old part with the mass")
        self.assertEqual(self.study.control.name, "old part with the mass")
        self.find("controlName").selectAll()
        self.keys(Qt.Key.Key_Backspace, Qt.Key.Key_Return)
        self.assertIsNone(self.study.control)

    def test_every_card_makes_a_study_that_can_be_drawn(self):
        from oddtwin.core.customs import CARDS

        for card in CARDS:
            with self.subTest(card.title):
                record = self.bench.do(operations.add_study, name=card.title, card=card)
                study_id = record.new_id("study")
                self.bench.open_study(study_id)
                names = iter(("Marlow", "Tessel"))
                for factor in self.study.factors:
                    for level in factor.levels if factor.kind == "machine" else ():
                        self.bench.do(operations.edit_level, level_id=level.id, value=next(names))
                plan = self.study.plan
                self.bench.do(
                    operations.draw_runs,
                    study_id=study_id,
                    repeats=plan.repeats,
                    twins=plan.twins,
                    seed=plan.seed,
                    machine_ids=[1],
                    piece_ids=[1],
                    design=plan.design,
                )
                self.settle()
                self.assertTrue(self.study.runs)
                self.assertEqual(self.message, "")
                self.window.show_stage(Stage.ASK)
                self.window.show_stage(Stage.PLAN)
                self.settle()

    def test_what_a_change_disturbs_is_said_when_it_is_asked(self):
        self.begin("A hardware upgrade")
        factor = self.study.factors[0]
        self.choose(f"disturbs-{factor.id}", "nozzle")
        self.assertEqual(self.study.factors[0].disturbs, "nozzle")
        self.assertIn("Z offset", self.find("disturbs").text())
        self.assertIn("stay hot", self.find("disturbs").text())


class Designs(Planned):
    def test_a_factorial_is_drawn_and_another_design_by_a_click(self):
        self.drawn()
        self.assertEqual((len(self.study.arms), len(self.study.runs)), (4, 18))
        self.click("design-crossover")
        self.click("draw")
        self.assertEqual(self.study.plan.design.kind, DesignKind.CROSSOVER)
        self.undo()
        self.assertEqual(self.study.plan.design.kind, DesignKind.FACTORIAL)
        # A ladder takes one factor: it says so, and nothing is drawn.
        self.click("design-ladder")
        self.assertIn("A ladder has one factor", self.find("totals").text())
        self.click("draw")
        self.assertIn("ladder has one factor", self.message)

    def test_a_fraction_shows_what_it_mixes(self):
        self.drawn("A chain of upgrades")
        self.click("design-fraction")
        self.assertIn(["first step", "second step × third step"], self.table("aliases"))
        self.click("draw")
        self.assertEqual(len([arm for arm in self.study.arms if not arm.role]), 4)

    def test_a_split_plot_offers_its_switches(self):
        self.drawn("A chain of upgrades")
        self.click("design-split_plot")
        self.choose("switches", "4:")
        self.click("draw")
        self.assertEqual(self.study.plan.design.whole_plots, 5)
        # Five plots, four easy combinations in each, two prints of every one.
        self.assertEqual(len(self.study.runs), 5 * 4 * 2)
        self.assertIn("judged by its switches", self.texts())

    def test_faults_that_no_piece_shows_are_named(self):
        self.drawn()
        self.assertIn("Overhang droop", self.find("unseen").text())
        self.assertNotIn("Stringing", self.find("unseen").text())

    def test_spools_shared_plates_and_the_frozen_make_up(self):
        self.drawn()
        self.click("spool-white, lot 3")
        self.find("copies").setValue(5)
        self.click("draw")
        self.assertEqual({run.spool for run in self.study.runs}, {"white, lot 3"})
        first = [run for run in self.study.runs if run.block_id == self.study.runs[0].block_id]
        self.assertEqual(len({run.place for run in first}), len(first))
        self.assertIn("Frozen on", self.find("frozen").text())
        self.bench.do(
            operations.log_machine_change, machine_id=1, kind="part", what="lamp", before="a", after="b"
        )
        self.settle()
        # A change in the very second of the freeze belongs to the make-up; later ones are threats.
        later = self.study.changes
        self.assertTrue(not later or "A machine was changed" in self.texts())

    def test_a_ladder_proposes_the_next_level(self):
        self.drawn("A ladder: how far can it go?")
        study = self.study
        deciding = next(item for item in study.responses if item.primary)
        self.bench.do(operations.edit_response, response_id=deciding.id, name=deciding.name, margin=0.5)
        self.assertEqual(len(study.runs), 2)
        for run in study.runs:
            far = not study.arm_of(run).is_baseline
            self.bench.do(operations.start_run, run_id=run.id, code=run.code)
            self.bench.do(operations.finish_run, run_id=run.id, code=run.code)
            self.bench.do(
                operations.enter_readings,
                run_id=run.id,
                response_id=deciding.id,
                values=[3.0 if far else 0.0],
                title="grade",
            )
        self.stage(2)
        self.assertIn("half-way", self.find("ladderAdvice").text())
        self.click("addRung")
        self.assertEqual(self.study.arm_of(self.study.runs[-1]).name, "3")


class Answers(Planned):
    def setUp(self):
        super().setUp()
        self.drawn("One setting on or off")
        deciding = next(item for item in self.study.responses if item.primary)
        self.bench.do(operations.edit_response, response_id=deciding.id, name=deciding.name, margin=0.5)
        time = next(item for item in self.study.responses if item.name == "Print time")
        self.bench.do(operations.edit_response, response_id=time.id, name=time.name, margin=3.0)
        self.click("planCan")
        self.settle()

    def test_chances_with_a_noise_floor_that_is_typed(self):
        self.assertIn("As planned, nothing is mixed", self.texts())
        self.choose("powerResponse", "Print time")
        self.assertIn("no noise floor is known", self.find("powerSentence").text())
        self.type_into("noiseSd", "1.2")
        self.type_into("noiseDf", "6")
        self.settle()
        text = self.find("powerSentence").text().replace("\u202f", " ")
        self.assertIn("3 pairs would find a difference of 3 min with", text)
        self.assertIn("pairs give 80 %", self.find("powerNeeds").text())
        self.settle()
        planned = [row for row in self.table("certainty") if "planned" in row[0]]
        self.assertEqual(len(planned), 1)
        self.assertRegex(planned[0][6], r"\d+ %")

    def test_a_rehearsal_in_the_background(self):
        self.choose("powerResponse", "Print time")
        self.type_into("noiseSd", "1.2")
        self.click("rehearse")
        self.settle()
        self.assertTrue(self.is_shown("rehearsed-Print time"))
        self.assertTrue(self.is_shown("rehearsed-Ridges on top"))
        # Left empty, the effect is the margin for the better: fewer minutes.
        self.assertIn("−3: the margin, for the better", self.find("effect-Print time").placeholderText())
        pictures = self.find("rehearsed-Print time").findChildren(DrawingView)
        self.assertIn("better", pictures[0].accessibleName())
        # Nobody knows the size of what is only simulated, so no percent of it is told.
        self.assertNotIn("%;", " ".join(picture.accessibleName() for picture in pictures[1:]))
        self.assertIn("A low, a middle and a high estimate", self.texts())
        self.type_into("lostShare", "250 %")
        self.click("rehearse")
        self.settle()
        self.assertIn("between 0 and 99 %", self.message)

    def test_a_rehearsal_can_be_cancelled(self):
        self.click("rehearse")
        self.click("cancelRehearsal")
        self.settle()
        self.assertFalse(self.is_shown("cancelRehearsal"))
        self.assertTrue(self.find("rehearse").isEnabled())

    def test_luck_in_blind_judging(self):
        self.choose("blindTest", "sort all prints back")
        self.find("blindTrials").setValue(4)
        self.find("blindCorrect").setValue(4)
        self.assertIn("once in 24", self.find("luckSentence").text())
        self.find("blindTrials").setValue(3)
        self.assertIn("plan more", self.find("luckNeeds").text())


class Days(Planned):
    def setUp(self):
        super().setUp()
        self.drawn()
        self.click("planTimetable")
        self.settle()

    def test_a_timetable_is_made_moved_freed_and_handed_on(self):
        self.type_into("firstDay", "2026-11-30")
        self.click("makeTimetable")
        self.settle()
        self.assertEqual(len(self.table("slots")), len(self.study.runs))
        self.assertIn("Done on", self.find("timetableSentence").text())
        first = min(self.study.runs, key=lambda run: run.slot.start)
        chart = self.find("dayChart")
        chart.setFocus()
        self.keys(Qt.Key.Key_Right)
        self.keys(Qt.Key.Key_Right, alt=True)
        self.settle()
        moved = next(run for run in self.study.runs if run.id == first.id)
        self.assertEqual((moved.slot.start - first.slot.start).total_seconds(), 900)
        self.assertTrue(moved.slot.pinned)
        self.click("freeRuns")
        self.settle()
        self.assertFalse(any(run.slot.pinned for run in self.study.runs))
        self.click("writeCalendar")
        path = Path(self.find("calendarWritten").text().removeprefix("Written: "))
        self.assertEqual(path.read_text().count("BEGIN:VEVENT"), 2 * len(self.study.runs))
        self.undo()
        self.assertTrue(any(run.slot.pinned for run in self.study.runs))

    def test_a_run_is_dragged_to_another_time(self):
        self.type_into("firstDay", "2026-11-30")
        self.click("makeTimetable")
        self.settle()
        view = self.find("dayChart")
        chart = view.chart
        last = max(chart.placed, key=lambda item: item.start)
        left, top, width, height = chart.box(last)
        grip = QPoint(round(left + width / 2), round(top + height / 2))
        shift = round(chart.x(last.start.replace(hour=23)) - chart.x(last.start.replace(hour=22)))
        QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=grip)
        QTest.mouseMove(view, grip + QPoint(max(6, shift), 0))
        QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=grip + QPoint(max(6, shift), 0))
        self.settle()
        moved = next(run for run in self.study.runs if run.id == last.key)
        self.assertTrue(moved.slot.pinned or "take it back" in self.message)

    def test_hours_that_cannot_be_are_refused_and_nights_carry_a_caution(self):
        self.type_into("weekdays", "evenings")
        self.assertIn("no span of hours", self.message)
        self.assertEqual(self.study.rates.weekdays, "7:00-8:30, 17:00-22:00")
        self.click("overnight")
        self.assertTrue(self.study.rates.overnight)
        self.assertIn("smoke alarm", self.texts())
        self.type_into("firstDay", "soon")
        self.click("makeTimetable")
        self.assertIn("is no date; type it like 2026-03-14", self.texts())


class Paper(Planned):
    def test_labels_and_run_sheets_become_pdf(self):
        self.drawn()
        self.click("planPaper")
        for button, pages in (("writeLabels", 1), ("writeSheets", 1)):
            self.click(button)
            self.settle()
            written = self.find("paperWritten").text()
            path = Path(written.removeprefix("Written: ").rsplit(",", 1)[0])
            data = path.read_bytes()
            self.assertTrue(data.startswith(b"%PDF"))
            self.assertIn(f"{pages} page", written)
        self.choose("labelGrid", "Letter, 2")
        self.type_into("labelsPath", str(self.folder / "no" / "where.pdf"))
        self.click("writeLabels")
        self.settle()
        self.assertIn("could not be written", self.texts())


class Benches(Planned):
    def test_pieces_with_their_faults_sizes_and_machines(self):
        self.click("tabPieces")
        self.click("fault-1-Seam")
        self.type_into("sizes-1", "slot 3.2; width 40 mm")
        self.type_into("minutes-1-2", "48")
        with self.bench.book.reading() as connection:
            from oddtwin.store import load_pieces

            (piece,) = load_pieces(connection)
        self.assertEqual(set(piece.faults), {"Stringing", "Seam"})
        self.assertEqual([(size.name, size.mm) for size in piece.sizes], [("slot", 3.2), ("width", 40.0)])
        self.assertEqual((piece.on(2).minutes, piece.on(1).minutes), (48.0, 60.0))
        self.type_into("sizes-1", "wide")
        self.assertIn("type a name and a size", self.texts())

    def test_spools_prices_and_hours(self):
        self.click("tabWorkshop")
        self.type_into("newSpool", "grey, lot 9")
        self.type_into("left-2", "1 kg")
        self.type_into("rate-energy_per_kwh", "0,31")
        self.type_into("hoursWeekdays", "8-12, 11-13")
        self.assertIn("overlap", self.message)
        with self.bench.book.reading() as connection:
            from oddtwin.store import load_rates, load_spools

            spools, rates = load_spools(connection), load_rates(connection)
        self.assertEqual((spools[0].name, spools[0].left_g), ("grey, lot 9", 1000.0))
        self.assertEqual(rates.energy_per_kwh, 0.31)

    def test_machines_show_what_they_are_made_of(self):
        self.click("tabMachines")
        self.type_into("overhead_min-1", "8")
        self.type_into("logWhat", "nozzle", enter=False)
        self.type_into("logAfter", "0.6 hard", enter=False)
        self.type_into("logMass", "12 g", enter=False)
        self.click("logChange")
        self.assertEqual(self.find("madeOf-1").text(), "nozzle 0.6 hard")
        self.assertIn("as bought", self.find("madeOf-2").text())
        self.type_into("logMinutes", "long", enter=False)
        self.type_into("logWhat", "fan", enter=False)
        self.click("logChange")
        self.assertNotIn("fan", self.find("madeOf-1").text())


class Printing(Planned):
    def test_checks_are_ticked_or_waived_at_the_machine(self):
        self.begin("A hardware upgrade")
        factor = self.study.factors[0]
        self.choose(f"disturbs-{factor.id}", "mass that moves")
        self.stage(2)
        for name in ("machine-Marlow", "draw"):
            self.click(name)
        self.stage(4)
        from oddtwin.core.runlist import checks_by_run

        due = checks_by_run(self.study)
        while not due[next(run.id for run in self.study.runs if not run.finished)]:
            run = next(run for run in self.study.runs if not run.finished)
            self.bench.do(operations.start_run, run_id=run.id, code=run.code)
            self.bench.do(operations.finish_run, run_id=run.id, code=run.code)
            self.bench.do(operations.set_aside, run_id=run.id, code=run.code, reason="x")
            due = checks_by_run(self.study)
        self.stage(2)
        self.click("next")
        self.settle()
        self.click("check-input shaping")
        self.type_into("waive-acceleration limits", "same limits on purpose")
        answers = {item.text: item.waived for item in self.study.rechecks}
        self.assertEqual(answers, {"input shaping": "", "acceleration limits": "same limits on purpose"})
        self.click("check-input shaping")
        self.assertEqual(len(self.study.rechecks), 1)
        self.type_into("operator", "Ada")
        self.assertIn("Ada", {run.operator for run in self.study.runs})

    def test_one_of_several_arms_is_adopted(self):
        self.drawn()
        run = self.study.runs[0]
        self.bench.do(operations.start_run, run_id=run.id, code=run.code)
        self.bench.do(operations.finish_run, run_id=run.id, code=run.code)
        self.stage(7)
        self.choose("adoptArm", "second on")
        self.click("decide-adopt")
        self.type_into("decisionReason", "It holds", enter=False)
        self.click("settle")
        self.settle()
        with self.bench.book.reading() as connection:
            from oddtwin.store import load_machine_changes

            changes = load_machine_changes(connection)
        self.assertIn(("second", "on"), {(item.what, item.after) for item in changes})

    def test_the_study_file_brings_a_plan_back_whole(self):
        self.drawn()
        from oddtwin.store.exchange import read_study, write_study

        text = write_study(self.study)
        again = read_study(text, "study.json")
        self.assertEqual(again.plan.design, self.study.plan.design)
        self.assertEqual([arm.name for arm in again.arms], [arm.name for arm in self.study.arms])
        self.assertEqual(json.loads(text), json.loads(write_study(again)))
        self.assertEqual(Design(DesignKind.FACTORIAL, (2, 2)).kind, again.plan.design.kind)
