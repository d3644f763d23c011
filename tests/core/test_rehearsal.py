"""Rehearsals: many studies at once say what the analysis says of each one."""

import dataclasses
import unittest

import numpy as np

from oddtwin.core.customs import ChangeKind
from oddtwin.core.decide import Verdict, from_code
from oddtwin.core.design import Design, DesignKind, DriftGuard
from oddtwin.core.effects import NoiseFloor, Shape, chances_of
from oddtwin.core.job import CancelledError, Job
from oddtwin.core.judgement import contrasts, measure_of, whole_plots
from oddtwin.core.readings import Better, ResponseKind
from oddtwin.core.rehearsal import Assumed, Conditions, rehearse_study
from oddtwin.core.rehearsal.rehearse import _Simulation
from oddtwin.core.runlist import draw_plan
from oddtwin.core.study import Factor, Level
from tests.builders import plan, response, stopped, study


def planned(design=None, factors=None, repeats=4, twins=2, **more):
    value = study(plan=None, blocks=(), factors=factors or study().factors, **more)
    return draw_plan(value, plan(repeats=repeats, twins=twins, design=design or Design()))


def two_levels(*names):
    return tuple(
        Factor(n, ChangeKind.SETTING, name, (Level(2 * n - 1, f"{name} low"), Level(2 * n, f"{name} high")))
        for n, name in enumerate(names, 1)
    )


class SameAsOneByOne(unittest.TestCase):
    def check(self, value, assumed, lost, times=60):
        """Every simulated study, written out as readings and judged alone, has the same verdict."""
        rng = np.random.default_rng(5)
        item = next(r for r in value.responses if r.id == assumed.response_id)
        seen = set()
        for contrast in contrasts(value):
            simulation = _Simulation(
                value, item, assumed, contrast, Conditions(lost=lost, drift_sd=0.5), whole_plots(value)
            )
            judged = simulation.judged(times, rng)
            better = measure_of(contrast, item).better
            better = Better.LOWER if better is Better.TARGET else better
            for code, row in zip(judged.codes, simulation._kept[0], strict=True):
                alone = simulation.finding(row, rng)
                self.assertEqual(from_code(int(code), better), alone.verdict, alone.sentence)
                seen.add(alone.verdict)
        return seen

    def test_pairs_with_lost_prints_and_twins(self):
        seen = self.check(planned(), Assumed(1, -1.2, 0.7), lost=0.3, times=150)
        self.assertGreaterEqual(len(seen), 3)

    def test_one_pair_and_a_known_noise_floor(self):
        self.check(planned(repeats=1, twins=0), Assumed(1, 1.0, 0.5, NoiseFloor(0.5, 6)), lost=0.1)

    def test_baseline_change_change_baseline(self):
        self.check(planned(Design(guard=DriftGuard.ABBA), repeats=2, twins=0), Assumed(1, 1.0, 0.5), lost=0.2)

    def test_factorials_fractions_and_split_plots(self):
        for design, names in (
            (Design(DesignKind.FACTORIAL), ("a", "b")),
            (Design(DesignKind.FRACTION), ("a", "b", "c")),
            (Design(DesignKind.SPLIT_PLOT, whole_plots=4), ("a", "b")),
            (Design(DesignKind.CHAIN), ("a", "b")),
        ):
            with self.subTest(design.kind):
                value = planned(design, two_levels(*names), repeats=2, twins=0 if design.no_twins else 2)
                self.check(value, Assumed(1, 1.5, 0.5), lost=0.15, times=15)

    def test_grades(self):
        grade = response(1, "Strings", kind=ResponseKind.GRADE, unit="", margin=0.5)
        value = planned(repeats=6, responses=(grade,))
        self.check(value, Assumed(1, -1.0, 0.6), lost=0.1, times=30)


class Rehearsals(unittest.TestCase):
    def test_the_share_of_odd_or_leaning_is_the_power_of_the_plan(self):
        # Against the noncentral t distribution: five pairs, the true difference is the margin.
        value = planned(repeats=5, twins=0, responses=(response(margin=None),))
        result = rehearse_study(
            value, [Assumed(1, 1.0, 0.5)], Conditions(lost=0.0), np.random.default_rng(1), times=8000
        )
        power = chances_of(Shape(pairs=1), 0.5, 1.0, [5])[0].p_find_margin
        self.assertAlmostEqual(1 - result.rehearsed[0].shares[Verdict.UNDECIDED], power, delta=0.015)

    def test_without_an_effect_it_errs_one_time_in_twenty(self):
        value = dataclasses.replace(planned(repeats=4, twins=0), responses=(response(margin=None),))
        result = rehearse_study(
            value, [Assumed(1, 0.0, 0.5)], Conditions(lost=0.0), np.random.default_rng(2), times=8000
        )
        shares = result.rehearsed[0].shares
        self.assertAlmostEqual(1 - shares[Verdict.UNDECIDED], 0.05, delta=0.01)

    def test_drift_is_balanced_by_baseline_change_change_baseline(self):
        def worse(value):
            result = rehearse_study(
                dataclasses.replace(value, responses=(response(margin=None),)),
                [Assumed(1, 0.0, 0.3)],
                Conditions(lost=0.0, drift_sd=30.0),
                np.random.default_rng(3),
            )
            return sum(share for verdict, share in result.rehearsed[0].shares.items() if "worse" in verdict)

        balanced = planned(Design(guard=DriftGuard.ABBA), repeats=3, twins=0)
        careless = planned(repeats=6, twins=0)
        in_blocks = sorted(careless.runs, key=lambda run: (run.block_id, run.arm_id))
        self.assertLess(worse(balanced), 0.05)
        self.assertGreater(worse(dataclasses.replace(careless, runs=tuple(in_blocks))), 0.5)

    def test_progress_cancel_and_examples(self):
        told = []
        value = planned()
        result = rehearse_study(
            value, [Assumed(1, 1.0, 0.5)], Conditions(), np.random.default_rng(4), job=Job(told.append)
        )
        self.assertEqual((told[-1], told == sorted(told)), (1.0, True))
        estimates = [finding.comparison.estimate for finding in result.rehearsed[0].examples]
        self.assertEqual(len(estimates), 3)
        self.assertEqual(estimates, sorted(estimates))
        self.assertAlmostEqual(sum(result.rehearsed[0].shares.values()), 1.0)
        rng = np.random.default_rng(4)
        with self.assertRaises(CancelledError):
            rehearse_study(value, [Assumed(1, 1.0, 0.5)], Conditions(), rng, job=stopped())

    def test_the_same_seed_says_the_same(self):
        value = planned()
        said = [
            rehearse_study(value, [Assumed(1, 1.0, 0.5)], Conditions(), np.random.default_rng(7)).rehearsed
            for _ in range(2)
        ]
        self.assertEqual(said[0][0].shares, said[1][0].shares)

    def test_what_cannot_be_rehearsed_is_said(self):
        empty = dataclasses.replace(planned(), runs=())
        for value, assumed in ((empty, [Assumed(1, 1.0, 0.5)]), (planned(), [])):
            with self.assertRaises(ValueError):
                rehearse_study(value, assumed, Conditions(), np.random.default_rng(1))
        for wrong in (lambda: Assumed(1, float("nan"), 1.0), lambda: Conditions(lost=1.0)):
            with self.assertRaises(ValueError):
                wrong()
