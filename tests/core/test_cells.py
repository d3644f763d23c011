"""What a mean over machines, pieces and zones may not hide; questions asked together."""

import json
import unittest
from dataclasses import replace

import numpy as np

from oddtwin.core.decide import Verdict, adjusted_for_all, as_json, findings_of
from oddtwin.core.decide.cellwise import look_into_cells
from oddtwin.core.effects import Cells, Inference, Measure, across, holm
from oddtwin.core.picture import CellMap
from oddtwin.core.readings import Better, Combine, Reading, ResponseKind
from tests.builders import pairs

GRADE = ResponseKind.GRADE
ZONES = ("front", "back", "left", "right", "top", "underside")


def by_zone(change_of, count=7, **more):
    """Graded pairs by zone; ``change_of`` says what the change shows where."""
    return [
        Reading(
            arm,
            float(change_of(zone, pair) if arm == "B" else 0.0),
            response="Blobs",
            pair=str(pair),
            run=f"{arm}{pair}",
            zone=zone,
            kind=GRADE,
            **more,
        )
        for pair in range(count)
        for arm in "AB"
        for zone in ZONES
    ]


def on_machines(effects, count=4, seed=1, sd=0.3):
    rng = np.random.default_rng(seed)
    return [
        Reading(
            arm,
            10 + rng.normal(0, sd) + effect * (arm == "B"),
            response="Force",
            unit="N",
            pair=f"{machine}{pair}",
            machine=machine,
            run=f"{arm}{machine}{pair}",
        )
        for machine, effect in effects.items()
        for pair in range(count)
        for arm in "AB"
    ]


def one(rows, margin=1.0, better=Better.LOWER):
    (finding,) = findings_of({"x": rows}, Measure("A", "B", margin, better), 0)
    return finding


class CellByCell(unittest.TestCase):
    def test_one_ruined_zone_of_six_is_named(self):
        # The mean of all zones moves by two thirds of a grade only.
        finding = one(by_zone(lambda zone, pair: 4 * (zone == "underside"), combine=Combine.MEAN))
        self.assertEqual(finding.verdict.value, "mixed")
        self.assertEqual(
            finding.sentence.replace("\u202f", " "),
            "Blobs: it is not the same everywhere: no difference that matters on 5 of 6 zones; worse by 4 "
            "grade steps on underside in 7 of 7 pairs.",
        )

    def test_machines_that_disagree_are_told_apart(self):
        finding = one(on_machines({"Heron": 2.0, "Tarn": -2.0}), better=Better.HIGHER)
        self.assertEqual(finding.verdict.value, "mixed")
        said = finding.sentence.replace("\u202f", " ")
        self.assertRegex(said, "better by 1.96 N on Heron in 4 of 4 pairs; worse by 1.84 N on Tarn in 4 of 4")
        self.assertLess(finding.cellwise.same[0].p, 1e-4)

    def test_a_ruined_machine_is_no_part_of_a_better_mean_even_if_sameness_is_not_rejected(self):
        for effect, verdict in ((2.0, Verdict.MIXED), (-2.0, Verdict.ODD_BETTER), (0.0, Verdict.ODD_BETTER)):
            found = one(on_machines({"Heron": -6.0, "Tarn": effect}, count=6))
            self.assertLess(found.comparison.estimate, -1.0)
            told = tuple(judged.cell for judged in found.cellwise.cells)
            blunt = Cells(told, tuple(replace(item, p=0.5) for item in found.cellwise.same))
            self.assertIs(look_into_cells(Verdict.ODD_BETTER, found.comparison, blunt)[0], verdict, effect)

    def test_machines_that_agree_are_one(self):
        for effect, verdict in ((0.0, "twin"), (3.0, "odd-worse")):
            finding = one(on_machines({"Heron": effect, "Tarn": effect, "Yew": effect}))
            self.assertEqual(finding.verdict.value, verdict)
            self.assertEqual(len(finding.cellwise.cells), 3)
            low, high = finding.cellwise.machines.next95
            self.assertTrue(low < effect < high)

    def test_more_on_one_and_much_more_on_the_other_is_no_disagreement(self):
        finding = one(on_machines({"Heron": 3.0, "Tarn": 6.0}))
        self.assertLess(finding.cellwise.same[0].p, 0.05)
        self.assertEqual(finding.verdict.value, "odd-worse")

    def test_what_is_faster_on_every_piece_is_faster(self):
        rng = np.random.default_rng(2)
        rows = [
            Reading(
                arm,
                minutes * (0.66 if arm == "B" else 1.0) * rng.normal(1, 0.01),
                response="Print time",
                unit="min",
                pair=f"{piece}{pair}",
                piece=piece,
                run=f"{arm}{piece}{pair}",
            )
            for piece, minutes in (("Clip", 20.0), ("Ring", 60.0), ("Drawer", 300.0))
            for pair in range(2)
            for arm in "AB"
        ]
        finding = one(rows, margin=3.0)
        self.assertEqual(finding.verdict.value, "odd-better")
        said = finding.sentence.replace("\u202f", " ")
        self.assertRegex(said, r"^Print time: −\d+(\.\d+)? to −\d\.\d+ min \(−34\.\d+ % of each piece, ")
        self.assertTrue(
            said.endswith("it differs on Clip, Drawer, Ring, and enough to matter on each, for the better.")
        )

    def test_no_twin_while_a_cell_reaches_the_margin(self):
        # Three zones of one pair in two: too few to tell, and not nothing.
        finding = one(
            by_zone(lambda zone, pair: 2 * (zone == "top" and pair in (0, 1, 2, 3)), combine=Combine.MEAN)
        )
        self.assertIn(finding.verdict.value, ("undecided", "mixed"))
        self.assertIn("top", finding.sentence)

    def test_one_cell_has_no_map(self):
        finding = one(pairs([1.0, 2.0, 3.0], [2.0, 3.0, 4.5]))
        self.assertIsNone(finding.cellwise)
        self.assertNotIn("cells", as_json(finding))

    def test_figures_of_cells(self):
        finding = one(on_machines({"Heron": 2.0, "Tarn": -2.0, "Yew": 0.0}))
        figures = json.loads(json.dumps(as_json(finding), allow_nan=False))
        self.assertEqual([cell["machine"] for cell in figures["cells"]], ["Heron", "Tarn", "Yew"])
        self.assertEqual(figures["cells"][0]["n"], {"baseline": 4, "change": 4, "pairs": 4})
        self.assertIn("does not do the same on all 3 machines", figures["same"][0]["sentence"])
        self.assertLess(figures["next_machine"][0], figures["next_machine"][1])

    def test_scatter_of_all_cells_judges_each(self):
        # One pair on each machine: no cell has a scatter of its own, so nothing is said of any.
        finding = one(on_machines({"Heron": 1.0, "Tarn": 1.0}, count=1))
        self.assertTrue(all(cell.cell.inference.ci95 is None for cell in finding.cellwise.cells))
        more = one(on_machines({"Heron": 0.0, "Tarn": 0.0}, count=2))
        self.assertEqual({cell.cell.inference.df for cell in more.cellwise.cells}, {2})

    def test_zones_are_compared_inside_whole_pairs(self):
        # Three pairs of two zones, one always worse by 3: of the 8 ways to deal them out two are as far
        # apart, so p is a quarter, give or take the 999 draws.
        rows = [
            Reading(
                arm,
                3.0 * (arm == "B" and zone == "a"),
                pair=str(pair),
                run=f"{arm}{pair}",
                zone=zone,
                kind=GRADE,
            )
            for pair in range(3)
            for arm in "AB"
            for zone in "ab"
        ]
        (same,) = one(rows).cellwise.same
        self.assertAlmostEqual(same.p, 0.25, delta=0.05)
        # A fourth and a fifth pair of which each misses a zone take no part.
        for pair, zone in (("x", "a"), ("y", "b")):
            rows += [Reading(arm, 0.0, pair=pair, run=f"{arm}{pair}", zone=zone, kind=GRADE) for arm in "AB"]
        (same,) = one(rows).cellwise.same
        self.assertAlmostEqual(same.p, 0.25, delta=0.05)

    def test_cells_are_drawn_to_their_mean_by_how_little_they_scatter(self):
        cells = [one.cell for one in one(on_machines({"Heron": 1.0, "Tarn": 2.0, "Yew": 2.5})).cellwise.cells]
        estimates = [cell.estimate for cell in cells]
        # t(0.975, 9) = 2.262157 (any t table): three machines of four pairs leave nine degrees of freedom.
        errors = [(cell.inference.ci95[1] - cell.inference.ci95[0]) / 2 / 2.262157 for cell in cells]
        found = across(estimates, errors)
        self.assertGreater(found.between, 0)
        for cell, error in zip(cells, errors, strict=True):
            share = found.between / (found.between + error**2)
            self.assertAlmostEqual(cell.shrunk, share * cell.estimate + (1 - share) * found.mean, places=5)

    def unpaired(self, moved, count=6, seed=2, sd=0.4):
        rng = np.random.default_rng(seed)
        return [
            Reading(
                arm,
                float(own + rng.normal(0, sd) + (moved if arm == "B" and zone == "underside" else 0.0)),
                response="Gap",
                unit="mm",
                run=f"{arm}{number}",
                zone=zone,
            )
            for arm in "AB"
            for number in range(count)
            # A print is good or bad as a whole, besides.
            for own in [rng.normal(0, 2.0)]
            for zone in ZONES
        ]

    def test_zones_of_prints_that_are_not_paired_are_compared_too(self):
        (same,) = one(self.unpaired(3.0)).cellwise.same
        self.assertLess(same.p, 0.01)
        (same,) = one(self.unpaired(0.0)).cellwise.same
        self.assertGreater(same.p, 0.05)

    def test_unpaired_zones_that_are_alike_are_rarely_called_unlike(self):
        called = sum(one(self.unpaired(0.0, 4, seed)).cellwise.same[0].p <= 0.05 for seed in range(120))
        self.assertLessEqual(called, 13)

    def test_false_disagreement_is_rare(self):
        rng = np.random.default_rng(5)
        mixed = 0
        for seed in range(150):
            rows = by_zone(lambda zone, pair: rng.integers(0, 3), 6, combine=Combine.MEAN)
            mixed += one(rows).verdict.value == "mixed"
            mixed += one(on_machines(dict.fromkeys("abcd", 0.0), seed=seed)).verdict.value == "mixed"
        self.assertLess(mixed / 300, 0.08)


class Map(unittest.TestCase):
    def test_zones_across_and_machines_down(self):
        rows = [
            row
            for machine in ("Heron", "Tarn")
            for row in (
                Reading(**{**_fields(item), "machine": machine, "pair": f"{machine}{item.pair}"})
                for item in by_zone(lambda zone, pair: 0, 2)
            )
        ]
        cells = CellMap(one(rows))
        self.assertEqual((cells.rows, cells.columns), (["Heron", "Tarn"], list(ZONES)))
        drawing = cells.drawing(900.0, 3)
        self.assertIn("underside", drawing.description)
        # From the first cell to the right end, down, and no further.
        self.assertEqual(cells.beside(None, 1, 0), 0)
        self.assertEqual(cells.beside(0, 1, 0), 1)
        self.assertEqual(cells.beside(5, 1, 0), 5)
        self.assertEqual(cells.beside(5, 0, 1), 11)
        width, high = drawing.width, drawing.height
        self.assertEqual(
            cells.at(width - 2, high - 10, 900.0),
            None if width > 900 else cells.at(width - 2, high - 10, 900.0),
        )
        self.assertIsNone(cells.at(1, 1, 900.0))
        self.assertEqual(cells.at(140, 40, 900.0), 0)

    def test_very_many_zones_are_listed_downwards(self):
        rows = [
            Reading(arm, 0.0, pair=str(pair), run=f"{arm}{pair}", zone=f"z{zone}", kind=GRADE)
            for pair in range(2)
            for arm in "AB"
            for zone in range(30)
        ]
        cells = CellMap(one(rows))
        self.assertEqual((len(cells.rows), len(cells.columns)), (30, 1))


def _fields(item):
    return {name: getattr(item, name) for name in ("arm", "value", "response", "run", "zone", "kind", "pair")}


class Families(unittest.TestCase):
    def test_holm(self):
        # R 4.2.2 p.adjust(c(.01, .04, .03, .005), "holm").
        np.testing.assert_allclose(holm([0.01, 0.04, 0.03, 0.005]), [0.03, 0.06, 0.06, 0.02])
        self.assertEqual(holm([None, 0.5, None]), [None, 0.5, None])

    def test_what_was_not_tested_counts_for_nothing(self):
        (one_of, other) = adjusted_for_all([Inference("t", p_difference=0.04), Inference("none")])
        self.assertEqual((one_of.of, one_of.difference, other.difference), (1, 0.04, None))

    def test_one_of_eight_responses_may_not_shine_by_chance(self):
        groups = {
            str(number): pairs([10.0, 10.2, 9.9, 10.1], [10.0, 10.3, 9.8, 10.1], response=str(number))
            for number in range(7)
        }
        groups["lucky"] = pairs([10.0, 10.2, 9.9, 10.1], [10.4, 10.5, 10.4, 10.9], response="lucky")
        alone = findings_of({"lucky": groups["lucky"]}, Measure("A", "B", 0.1, Better.LOWER), 0)[0]
        together = findings_of(groups, Measure("A", "B", 0.1, Better.LOWER), 0)[-1]
        self.assertEqual((alone.verdict.value, together.verdict.value), ("odd-worse", "undecided"))
        self.assertIn("among 8 questions one", together.sentence)
        self.assertEqual(as_json(together)["family"]["of"], 8)


class Sample(unittest.TestCase):
    def test_vaccine_trials(self):
        # BCG trials (data from memory): log risk ratios, REML with Knapp and Hartung, computed with R 4.2.2.
        cells = [
            (4, 119, 11, 128), (6, 300, 29, 274), (3, 228, 11, 209), (62, 13536, 248, 12619),
            (33, 5036, 47, 5761), (180, 1361, 372, 1079), (8, 2537, 10, 619), (505, 87886, 499, 87892),
            (29, 7470, 45, 7232), (17, 1699, 65, 1600), (186, 50448, 141, 27197), (5, 2493, 3, 2338),
            (27, 16886, 29, 17825),
        ]  # fmt: skip
        ratios = [np.log(a / (a + b) / (c / (c + d))) for a, b, c, d in cells]
        errors = [np.sqrt(1 / a - 1 / (a + b) + 1 / c - 1 / (c + d)) for a, b, c, d in cells]
        found = across(ratios, errors)
        self.assertAlmostEqual(found.mean, -0.7145, places=4)
        np.testing.assert_allclose(found.ci95, (-1.1084, -0.3206), atol=5e-5)
        self.assertAlmostEqual(found.between, 0.3132, places=4)

    def test_equal_errors_are_the_t_interval_of_the_machines(self):
        found = across([1.0, 2.0, 4.0, 9.0], [0.01] * 4)
        mean, sd = np.mean([1, 2, 4, 9]), np.std([1, 2, 4, 9], ddof=1)
        # t(0.975, 3) = 3.182446 (any t table).
        np.testing.assert_allclose(
            found.ci95, (mean - 3.182446 * sd / 2, mean + 3.182446 * sd / 2), rtol=1e-4
        )
        np.testing.assert_allclose(found.next95[1], mean + 3.182446 * sd * np.sqrt(1.25), rtol=1e-4)

    def test_one_machine_is_no_sample(self):
        self.assertIsNone(across([1.0], [0.5]))
        self.assertIsNone(across([1.0, 2.0], [0.5, float("inf")]))
        self.assertEqual(across([1.0, 1.0, 1.0], [0.5] * 3).between, 0.0)


if __name__ == "__main__":
    unittest.main()
