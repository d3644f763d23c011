"""Standing, tidy readings, the way back from readings, and the analysis of a whole study."""

import dataclasses
import unittest

from oddtwin.core.customs import ChangeKind
from oddtwin.core.effects import NoiseFloor
from oddtwin.core.judgement import analyse, study_threats
from oddtwin.core.readings import Better, Combine, Reading, ResponseKind, Spot, read_table, write_table
from oddtwin.core.standing import Stage, ask_gaps, missing_readings, next_run, standing_of
from oddtwin.core.study import (
    Decision,
    DecisionKind,
    Deviation,
    Factor,
    Level,
    Look,
    NominalSize,
    Plate,
    Role,
    Run,
    RunReading,
    RunState,
    study_from_readings,
    tidy_readings,
)
from tests.builders import NOON, response, run, study


def printed(values=((20.0, 18.0), (21.0, 18.5), (20.5, 18.2)), **more):
    """A study with pairs of weighed prints."""
    runs, readings = [], []
    for pair, masses in enumerate(values, 1):
        for arm, mass in enumerate(masses, 1):
            runs.append(run(len(runs) + 1, arm, pair))
            readings.append(RunReading(len(runs), len(runs), 1, mass))
    return study(runs, readings=tuple(readings), **more)


class Standing(unittest.TestCase):
    def test_stages_are_done_one_after_another(self):
        empty = study(question="", factors=(), responses=(), plan=None, blocks=())
        self.assertEqual(standing_of(empty).next_step, "Write the question in words")
        self.assertIn("mark the response that decides", ask_gaps(study(responses=(response(primary=False),))))
        asked = study()
        self.assertEqual((standing_of(asked).stage, standing_of(asked).done), (Stage.PLAN, {Stage.ASK}))
        waiting = study([Run(1, "X3T", 1, 1, 1), Run(2, "K7M", 2, 2, 1)])
        # The arms differ by a setting, so their sliced files are matched before anything is printed.
        self.assertEqual(standing_of(waiting).stage, Stage.MATCH)
        begun = study([Run(1, "X3T", 1, 1, 1, Plate(started=NOON)), Run(2, "K7M", 2, 2, 1)])
        self.assertEqual(standing_of(begun).next_step, "Finish run X3T")
        whole = printed()
        self.assertEqual(standing_of(whole).stage, Stage.VERDICT)
        self.assertEqual((standing_of(whole).printed, standing_of(whole).planned), (6, 6))
        seen = dataclasses.replace(whole, looks=(Look(NOON),))
        self.assertEqual(standing_of(seen).stage, Stage.SETTLE)
        settled = dataclasses.replace(seen, decision=Decision(DecisionKind.KEEP, "no gain", NOON))
        self.assertEqual(standing_of(settled).next_step, "Settled")
        more = dataclasses.replace(seen, decision=Decision(DecisionKind.MORE, "noisy", NOON))
        self.assertNotIn(Stage.SETTLE, standing_of(more).done)

    def test_a_print_in_hand_is_measured_before_the_next_is_started(self):
        runs = [run(1, 1, 1), Run(2, "R2", 2, 2, 1, Plate(started=NOON)), Run(3, "R3", 3, 1, 2)]
        self.assertEqual(standing_of(study(runs)).next_step, "Measure run R1")
        self.assertEqual(standing_of(study(runs[1:])).next_step, "Finish run R2")
        partly = study(
            runs, responses=(response(), response(2, "Time")), readings=(RunReading(1, 1, 1, 2.0),)
        )
        self.assertEqual(next_run(partly).code, "R2")
        self.assertEqual(missing_readings(partly)[1], ["Time"])

    def test_runs_set_aside_are_waited_for_no_more(self):
        whole = printed()
        runs = (
            *whole.runs,
            run(9, 1, 1, set_aside="fell over"),
            Run(10, "R10", 10, 1, 1, set_aside="no spool"),
        )
        stands = standing_of(dataclasses.replace(whole, runs=runs))
        self.assertEqual((stands.printed, stands.planned, stands.stage), (6, 6, Stage.VERDICT))

    def test_states_of_a_run(self):
        self.assertIs(Run(1, "R1", 1, 1, 1).state, RunState.PLANNED)
        self.assertIs(Run(1, "R1", 1, 1, 1, Plate(started=NOON)).state, RunState.PRINTING)
        self.assertIs(run(1, 1, 1).state, RunState.PRINTED)
        self.assertIs(run(1, 1, 1, set_aside="x").state, RunState.SET_ASIDE)

    def test_zones_follow_the_piece_and_the_kind_of_response(self):
        whole = printed()
        first = whole.runs[0]
        self.assertEqual(whole.spots_of(response(), first), (Spot(),))
        graded = response(kind=ResponseKind.GRADE)
        self.assertEqual(whole.spots_of(graded, first), (Spot("rim"), Spot("rib")))
        self.assertIn(Spot(waste="purge"), whole.spots_of(response(role=Role.WASTE), first))
        self.assertEqual(whole.spots_of(response(kind=ResponseKind.SIZE), first), ())
        sized = dataclasses.replace(whole.pieces[1], sizes=(NominalSize("bore", 8.0),), zones=("30°", "45°"))
        there = dataclasses.replace(whole, pieces={1: sized})
        self.assertEqual(
            there.spots_of(response(kind=ResponseKind.SIZE), first), (Spot("bore", nominal=8.0),)
        )
        self.assertEqual(there.spots_of(response(kind=ResponseKind.ONSET), first), (Spot("30°"), Spot("45°")))
        self.assertEqual(there.spots_of(response(piece_ids=(7,)), first), ())


class Tidy(unittest.TestCase):
    def test_every_made_print_has_a_row_for_every_response(self):
        whole = printed(responses=(response(), response(2, "Time", unit="min")))
        planned = dataclasses.replace(whole, runs=(*whole.runs, Run(99, "R99", 99, 1, 1)))
        rows = tidy_readings(planned)
        self.assertEqual(len(rows), 12)
        self.assertEqual([row.value for row in rows if row.response == "Time"], [None] * 6)
        self.assertEqual(
            rows[0],
            Reading(
                "Old", 20.0, "Mass", "g", "1", "Marlow", "Lamp ring", "R1", spool="lot 1", day="2026-03-09"
            ),
        )

    def test_csv_to_study_and_back_loses_nothing(self):
        text = write_table(
            [
                Reading("Old", 1.5, "Mass", "g", "1", "M", "ring", "r1", spool="s1", day="2026-03-09"),
                Reading("New", 1.25, "Mass", "g", "1", "M", "ring", "r2", set_aside="fell over"),
                Reading("Old", 2.0, "Mass", "g", "", "T", "", "r3"),
                Reading("Old", 1.0, "Strings", "", "1", "M", "ring", "r1", ResponseKind.GRADE, zone="rim"),
                Reading("Old", 3.0, "Strings", "", "1", "M", "ring", "r1", ResponseKind.GRADE, zone="rib"),
                Reading("New", None, "Strings", "", "1", "M", "ring", "r2", kind=ResponseKind.GRADE),
                Reading("Old", None, "Strings", "", "", "T", "", "r3", kind=ResponseKind.GRADE),
                Reading("Old", 0.5, "Waste", "g", "1", "M", "ring", "r1", waste="purge", combine=Combine.SUM),
                Reading("New", 0.25, "Waste", "g", "1", "M", "ring", "r2", waste="brim", combine=Combine.SUM),
                Reading("Old", 0.25, "Waste", "g", "", "T", "", "r3", waste="brim", combine=Combine.SUM),
            ]
        )
        made = study_from_readings(read_table(text), "Imported", "Old", NOON)
        back = write_table(tidy_readings(made))
        # The study knows a print's spool and day for all of its readings, so it says them on every row.
        self.assertEqual(
            [dataclasses.replace(row, spool="", day="") for row in read_table(back)],
            [dataclasses.replace(row, spool="", day="") for row in read_table(text)],
        )
        again = study_from_readings(read_table(back), "Imported", "Old", NOON)
        self.assertEqual(write_table(tidy_readings(again)), back)
        self.assertEqual(made.pieces[1].zones, ("rim", "rib"))

    def test_prints_without_names_are_matched_over_responses_by_their_order(self):
        rows = read_table(
            "arm,value,response,pair\nA,1,Mass,1\nB,2,Mass,1\nA,1.5,Mass,1\nA,60,Time,1\nB,50,Time,1\nA,61,Time,1\n"
        )
        made = study_from_readings(rows, "x", "A", NOON)
        self.assertEqual(len(made.runs), 3)
        self.assertEqual(len({item.code for item in made.runs}), 3)
        self.assertEqual([item.value for item in made.readings if item.run_id == 3], [1.5, 61.0])

    def test_names_used_twice_are_told_apart(self):
        rows = read_table("arm,value,run,pair\nA,1,1,p\nB,2,1,p\n")
        made = study_from_readings(rows, "x", "A", NOON)
        self.assertEqual(len({item.code for item in made.runs}), 2)

    def test_what_makes_no_study(self):
        for text, baseline in (
            ("arm,value\nA,1\n", "A"),
            ("arm,value\nA,1\nB,1\n", "Z"),
        ):
            with self.assertRaises(ValueError):
                study_from_readings(read_table(text), "x", baseline, NOON)


class WholeAnalysis(unittest.TestCase):
    def test_the_deciding_response_comes_first(self):
        whole = printed(responses=(response(primary=False), response(2, "Time", primary=True)))
        readings = [*whole.readings, *(RunReading(90 + n, n, 2, 60.0 + n) for n in range(1, 7))]
        analysis = analyse(dataclasses.replace(whole, readings=tuple(readings)))
        self.assertEqual([f.comparison.response for f in analysis.findings], ["Time", "Mass"])

    def test_the_same_study_gives_the_same_figures(self):
        random_looking = tuple((20 + (n * 7 % 5) / 3, 20 + (n * 11 % 7) / 4) for n in range(1, 5))
        whole = printed(random_looking)
        self.assertEqual(analyse(whole), analyse(whole))

    def test_responses_without_readings_are_left_out(self):
        whole = printed(responses=(response(), response(2, "Time")))
        self.assertEqual(len(analyse(whole).findings), 1)
        self.assertEqual(analyse(study()).findings, ())

    def test_borrowed_noise_serves_where_there_are_no_twins_and_says_so(self):
        single = printed(((20.0, 15.0),))
        self.assertEqual(analyse(single).findings[0].verdict.value, "undecided")
        helped = analyse(single, {1: NoiseFloor(0.3, 9)}.get)
        self.assertEqual(helped.findings[0].verdict.value, "odd-better")
        self.assertIn("borrowed-noise", {threat.code for threat in helped.threats})

    def test_own_twins_come_before_borrowed_noise(self):
        whole = printed()
        runs = (*whole.runs, run(7, 1, 1))
        readings = (*whole.readings, RunReading(7, 7, 1, 20.4))
        twins = analyse(dataclasses.replace(whole, runs=runs, readings=readings), {1: NoiseFloor(9.0, 9)}.get)
        self.assertEqual(twins.findings[0].comparison.noise.df, 1)

    def test_targets(self):
        aimed = response(unit="mm", better=Better.TARGET, target=18.0)
        self.assertEqual(analyse(printed(responses=(aimed,))).findings[0].verdict.value, "odd-better")


class StudyThreats(unittest.TestCase):
    def codes(self, value):
        return {threat.code for threat in study_threats(value)}

    def test_of_the_question(self):
        two = (
            Factor(1, ChangeKind.PART, "hot end", (Level(1, "old"), Level(2, "new"))),
            Factor(2, ChangeKind.SETTING, "speed", (Level(3, "60"), Level(4, "80"))),
        )
        self.assertIn("two-changes", self.codes(study(factors=two)))
        self.assertIn("no-margin", self.codes(study(responses=(response(margin=None),))))
        word = response(margin=None, kind=ResponseKind.WORD, words=("by hand", "torn"))
        self.assertNotIn("no-margin", self.codes(study(responses=(word,))))
        self.assertIn("margin-moved", self.codes(study(responses=(response(margin_moved=True),))))
        self.assertEqual(self.codes(study()), set())

    def test_of_looking_early(self):
        whole = printed()
        seen = dataclasses.replace(whole, looks=(Look(NOON.replace(hour=11)),))
        threat = next(t for t in study_threats(seen) if t.code == "early-look")
        self.assertIn("after 2 of 6 prints", threat.sentence)
        late = dataclasses.replace(whole, looks=(Look(NOON.replace(day=10)),))
        self.assertNotIn("early-look", self.codes(late))
        # Stopping after a look is what looking early does harm by.
        stopped = dataclasses.replace(late, runs=(*whole.runs, Run(99, "R99", 9, 1, 1)))
        threat = next(t for t in study_threats(stopped) if t.code == "early-look")
        self.assertIn("after 6 of 7 prints", threat.sentence)
        # Six prints are three pairs, and seven are no more: one look in all.
        self.assertIn("in about 5 of 100 studies", threat.sentence)

    def test_of_the_plan(self):
        self.assertIn("no-twins", self.codes(study([Run(1, "R1", 1, 1, 1)])))

    def test_of_the_log(self):
        whole = printed()
        noted = dataclasses.replace(whole, deviations=(Deviation(1, 2, "other spool"),))
        threat = next(t for t in study_threats(noted) if t.code == "not-held")
        self.assertIn("other spool (R2)", threat.sentence)

    def test_of_the_order(self):
        early = NOON.replace(hour=6)
        runs = (run(1, 1, 1), run(2, 2, 1), run(3, 1, 2, started=early))
        self.assertIn("order-not-random", self.codes(study(runs, readings=(RunReading(1, 1, 1, 1.0),))))
        # The order counts on each machine by itself.
        apart = study(
            runs,
            blocks=tuple(dataclasses.replace(block, machine_id=block.id) for block in study().blocks),
        )
        self.assertNotIn("order-not-random", self.codes(apart))

    def test_each_is_said_once_with_the_responses_it_touches(self):
        responses = (response(margin=None), response(2, "Time", margin=None, unit="min"))
        whole = printed(responses=responses)
        readings = [*whole.readings, *(RunReading(90 + n, n, 2, 60.0 + n) for n in range(1, 7))]
        threats = analyse(dataclasses.replace(whole, readings=tuple(readings))).threats
        unset = next(t for t in threats if t.code == "no-margin")
        self.assertEqual(unset.responses, (), "it touches every response")
        self.assertNotIn("The like", unset.sentence)
        self.assertEqual(len([t for t in threats if t.code == "no-twins"]), 1)
        coarse = printed(responses=(response(resolution=0.5), response(2, "Time")))
        coarse = dataclasses.replace(coarse, readings=tuple(readings))
        named = next(t for t in analyse(coarse).threats if t.code == "coarse-instrument")
        self.assertEqual(named.responses, ("Mass",))
