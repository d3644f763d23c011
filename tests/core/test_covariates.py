"""What is taken out of figures: covariates that were read, and a drift along the printed order."""

import math
import unittest
from dataclasses import replace

import numpy as np
from scipy import stats

from oddtwin.core.design import Design, DesignKind
from oddtwin.core.judgement import analyse, contrasts, study_threats
from oddtwin.core.outlook import Aim, power_of_plan
from oddtwin.core.readings import ResponseKind
from oddtwin.core.rehearsal import Assumed, Conditions, rehearse_study
from oddtwin.core.study import Role
from oddtwin.core.threat import ThreatCode
from tests.builders import drawn, filled, response


def asked(**more):
    room = response(2, "Room", unit="°C", kind=ResponseKind.DEVIATION, better=None, margin=None)
    return (response(1, "Force", margin=None, better=None, **more), replace(room, role=Role.COVARIATE))


class Covariates(unittest.TestCase):
    def planned(self, repeats=6, kind=DesignKind.PAIRS, **more):
        return drawn(Design(kind, (2,), **more), repeats=repeats, responses=asked())

    def made(self, value, effect, rng, slope=2.0, room=3.0):
        """Print all; readings of the room and of what follows it."""
        ordered = sorted(value.runs, key=lambda run: run.position)
        warm = 20 + rng.normal(0, room, len(ordered))
        moved = np.array([effect * (run.arm_id != value.baseline.id) for run in ordered])
        force = 50 + moved + slope * (warm - 20) + rng.normal(0, 1, len(ordered))
        return ordered, warm, force, filled(filled(value, list(force), 1), list(warm), 2)

    def test_the_least_squares_of_arm_pair_and_room(self):
        value = self.planned()
        ordered, warm, force, told = self.made(value, 3.0, np.random.default_rng(1))
        (finding,) = analyse(told).findings
        # By plain least squares on columns written out by hand: arm, pairs, room.
        blocks = sorted({run.block_id for run in ordered})
        columns = [
            np.array([run.arm_id != value.baseline.id for run in ordered], float),
            *[np.array([run.block_id == block for run in ordered], float) for block in blocks],
            warm - 20,
        ]
        matrix = np.stack(columns, axis=1)
        fit, squares, _, _ = np.linalg.lstsq(matrix, force, rcond=None)
        df = len(ordered) - matrix.shape[1]
        error = math.sqrt(squares[0] / df * np.linalg.inv(matrix.T @ matrix)[0, 0])
        inference = finding.comparison.inference
        self.assertAlmostEqual(finding.comparison.estimate, fit[0], 8)
        self.assertEqual(inference.df, df)
        self.assertAlmostEqual(inference.p_difference, 2 * stats.t.sf(abs(fit[0]) / error, df), 8)
        self.assertIn("Room taken out", inference.method)

    def test_it_is_not_judged_and_finds_what_the_room_would_hide(self):
        value, rng = self.planned(), np.random.default_rng(2)
        with_it = without = 0
        for _ in range(60):
            _, _, force, told = self.made(value, 3.0, rng)
            (finding,) = analyse(told).findings
            with_it += finding.verdict.leaning
            plain = filled(replace(value, responses=value.responses[:1]), list(force), 1)
            without += analyse(plain).findings[0].verdict.leaning
        self.assertGreater(with_it, without + 20)

    def test_no_effect_differs_in_five_of_a_hundred(self):
        value, rng, false, times = self.planned(), np.random.default_rng(3), 0, 300
        for _ in range(times):
            false += analyse(self.made(value, 0.0, rng)[3]).findings[0].verdict.leaning
        self.assertLess(false / times, 0.05 + 3 * math.sqrt(0.05 * 0.95 / times))

    def test_plan_rehearsal_and_verdict_agree(self):
        value, rng = self.planned(), np.random.default_rng(4)
        promised = power_of_plan(value, Aim(value.responses[0], 2.0, 1.0)).p_find_margin
        made = rehearse_study(value, [Assumed(1, 2.0, 1.0)], Conditions(0.0, 0.0), rng, 3000)
        shares = made.rehearsed[0].shares
        rehearsed = sum(share for verdict, share in shares.items() if verdict.leaning or verdict.odd)
        self.assertAlmostEqual(rehearsed, promised, delta=0.03)
        seen = sum(analyse(self.made(value, 2.0, rng)[3]).findings[0].verdict.leaning for _ in range(150))
        # What the room will be nobody knows: the promise takes one draw of it.
        self.assertAlmostEqual(seen / 150, promised, delta=0.15)

    def test_what_was_not_read_at_every_print_is_taken_out_of_nothing(self):
        value = self.planned()
        ordered, warm, force, _ = self.made(value, 3.0, np.random.default_rng(5))
        told = filled(value, list(force), 1)
        some = filled(told, [float(one) for one in warm], 2)
        lost = ordered[3].id
        some = replace(
            some, readings=tuple(one for one in some.readings if (one.run_id, one.response_id) != (lost, 2))
        )
        found = analyse(some)
        self.assertNotIn("Room", found.findings[0].comparison.inference.method)
        (threat,) = [item for item in study_threats(some) if item.code is ThreatCode.COVARIATE]
        self.assertEqual(threat.runs, (ordered[3].code,))
        self.assertIn("was not read at 1 print", threat.sentence)

    def test_what_goes_with_the_arms_or_leaves_too_little_is_told(self):
        value = self.planned()
        ordered = sorted(value.runs, key=lambda run: run.position)
        force = list(np.random.default_rng(6).normal(50, 1, len(ordered)))
        alike = [20.0 + 5 * (run.arm_id != value.baseline.id) for run in ordered]
        for some, warm in ((value, alike), (self.planned(3), [20.0, 21, 22, 19, 20, 23])):
            count = len(some.runs)
            found = analyse(filled(filled(some, force[:count], 1), warm[:count], 2))
            (threat,) = [item for item in found.threats if item.code is ThreatCode.COVARIATE]
            self.assertIn("cannot be taken out of Force", threat.sentence)
            self.assertNotIn("Room", found.findings[0].comparison.inference.method)


class Drift(unittest.TestCase):
    def test_a_drift_is_taken_out_where_it_is_asked_for(self):
        rng, seen = np.random.default_rng(7), {False: 0, True: 0}
        for drift in (False, True):
            design = Design(DesignKind.SEVERAL, (3,), drift=drift)
            value = drawn(design, levels=("1", "2", "3"), repeats=3, responses=asked()[:1])
            ordered = sorted(value.runs, key=lambda run: run.position)
            moved = np.array(
                [3.0 * contrasts(value)[0].sides.get(value.arm_of(run).name, False) for run in ordered]
            )
            for _ in range(40):
                read = 20 + moved + 1.2 * np.arange(len(ordered)) + rng.normal(0, 1, len(ordered))
                first = analyse(filled(value, list(read))).findings[0]
                seen[drift] += first.verdict.leaning
            self.assertEqual("drift taken out" in first.comparison.inference.method, drift)
        self.assertGreater(seen[True], seen[False] + 10)

    def test_pairs_with_a_drift_count_its_slope(self):
        value = drawn(Design(DesignKind.PAIRS, (2,), drift=True), repeats=5, responses=asked()[:1])
        read = list(20 + np.random.default_rng(8).normal(0, 1, 10))
        self.assertEqual(analyse(filled(value, read)).findings[0].comparison.inference.df, 3)


if __name__ == "__main__":
    unittest.main()
