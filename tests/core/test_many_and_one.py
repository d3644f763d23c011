"""What a rehearsal judges many at a time is, study by study, what a verdict says of one."""

import random
import unittest

import numpy as np

from oddtwin.core.decide import finding_of, from_code
from oddtwin.core.effects import Measure, NoiseFloor, compare
from oddtwin.core.judgement import PlannedPrint
from oddtwin.core.readings import Better, Reading, ResponseKind
from oddtwin.core.rehearsal.many import Arrangement, judge_many

STEPS = {ResponseKind.QUANTITY: 0.125, ResponseKind.DEVIATION: 0.125}
KINDS = (*STEPS, ResponseKind.GRADE, ResponseKind.COUNT, ResponseKind.YES_NO)


def planned(rng):
    """Prints of two arms in pairs or in groups, on one machine to three."""
    paired, each = rng.random() < 0.5, rng.choice((2, 3, 5))
    return [
        PlannedPrint(
            f"{machine} {pair}" if paired else "",
            is_change,
            "",
            f"{machine}",
            "ring",
            f"{machine} {pair} {is_change}",
        )
        for machine in range(rng.choice((1, 1, 2, 3)))
        for pair in range(each)
        for is_change in (False, True)
    ]


def read(rng, kind, one, up):
    """What a print shows; one in twenty is lost."""
    up *= one.is_change
    if rng.random() < 0.05:
        return np.nan
    if kind is ResponseKind.GRADE:
        return float(min(4, rng.randint(0, 2) + up))
    if kind is ResponseKind.COUNT:
        return float(rng.choice((0, 1, 3)) + 3 * up)
    if kind is ResponseKind.YES_NO:
        return float(rng.random() < 0.2 + 0.3 * up)
    return 20 + 3 * int(one.machine) + rng.randint(-4, 4) / 8 + up


class ManyAndOne(unittest.TestCase):
    def test_the_verdict_and_the_estimate_are_the_same(self):
        for seed in range(60):
            rng = random.Random(seed)
            kind, prints = rng.choice(KINDS), planned(rng)
            values = np.array([[read(rng, kind, one, study % 3) for one in prints] for study in range(12)])
            measure = Measure(
                "A",
                "B",
                margin=rng.choice((None, 0.5, 1.0)),
                better=rng.choice((Better.LOWER, Better.HIGHER, None)),
                noise=rng.choice((None, NoiseFloor(0.5, 5))),
                step=STEPS.get(kind),
            )
            many = judge_many(values, Arrangement(prints), measure, kind)
            for code, estimate, row in zip(many.codes, many.estimates, values.tolist(), strict=True):
                readings = [
                    Reading(
                        "B" if one.is_change else "A", None if np.isnan(value) else value, pair=one.block,
                        machine=one.machine, piece=one.piece, run=one.unit, kind=kind,
                    )
                    for one, value in zip(prints, row, strict=True)
                ]  # fmt: skip
                found = finding_of(compare(readings, measure, np.random.default_rng(1)), None)
                self.assertEqual(from_code(int(code), measure.better), found.verdict, (seed, row))
                one = found.comparison.estimate
                np.testing.assert_allclose(estimate, np.nan if one is None else one, atol=1e-9)


if __name__ == "__main__":
    unittest.main()
