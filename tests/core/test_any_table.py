"""Tables of prints as people write them, of any arms, levels and factors, stay judged as was approved.

``APPROVE=1 python -m unittest tests.core.test_any_table`` writes what comes out now.
"""

import random
import unittest
from itertools import product

from oddtwin.core.decide import detail_lines
from oddtwin.core.effects import Measure, NoiseFloor
from oddtwin.core.judgement import judge_table, table_json
from oddtwin.core.readings import Better, Reading, ResponseKind
from tests.core.stays import Stays, leaves, tried, unsound

RESPONSES = (
    ("mass", "g", ResponseKind.QUANTITY), ("minutes", "min", ResponseKind.QUANTITY),
    ("sag", "mm", ResponseKind.DEVIATION), ("hairs", "", ResponseKind.GRADE),
    ("blobs", "", ResponseKind.COUNT), ("held", "", ResponseKind.YES_NO),
)  # fmt: skip
CROSSED = (("4", "dry"), ("4", "wet"), ("6", "dry"), ("6", "wet"))


def value_of(rng, kind, up):
    if kind is ResponseKind.GRADE:
        return float(min(4, rng.randint(0, 2) + up % 3))
    if kind is ResponseKind.COUNT:
        return float(rng.choice((0, 1, 2, 5)) + 2 * up)
    if kind is ResponseKind.YES_NO:
        return float(rng.random() < 0.3 + 0.2 * up)
    return (24 if kind is ResponseKind.QUANTITY else 0) + rng.randint(-4, 4) / 8 + up / 2


def any_table(rng):
    """Readings of several responses: of a few arms, of a ladder of levels, or of two crossed factors."""
    way = rng.choice(("arms", "arms", "levels", "factors"))
    arms = [("old", "", ())] + [(f"new {n}", "", ()) for n in range(1, rng.choice((2, 2, 3, 5)))]
    if way == "levels":
        arms = [(f"{20 * n} mm", f"{20 * n}", ()) for n in range(1, rng.choice((3, 4, 6)))]
    if way == "factors":
        arms = [
            (f"{height}, {state}", "", (("height", height), ("drying", state))) for height, state in CROSSED
        ]
    machines = rng.choice((("",), ("",), ("Marlow", "Heron")))
    paired, repeats = rng.random() < 0.5, rng.choice((1, 2, 3, 5))
    rows, order = [], 0
    asked = rng.sample(RESPONSES, rng.choice((1, 1, 2, 3)))
    for number, machine in product(range(repeats), machines):
        for place in rng.sample(range(len(arms)), len(arms)):
            arm, level, factors = arms[place]
            order += 1
            lost = rng.random()
            for name, unit, kind in asked:
                value = value_of(rng, kind, place)
                rows.append(
                    Reading(
                        arm, value if lost > 0.04 else None, name, unit,
                        pair=f"{number}" if paired else "", machine=machine, run=f"{order}", kind=kind,
                        level=level, factors=factors, order=float(order),
                        failed="torn" if 0.04 < lost < 0.08 else "", day=f"2026-03-{1 + order // 6:02}",
                    )
                )  # fmt: skip
    return arms[0][0], arms[-1][0], rows, [name for name, *_ in asked]


class AnyTable(Stays):
    def test_tables(self):
        told = []
        for seed in range(48):
            rng = random.Random(seed)
            baseline, change, rows, names = any_table(rng)
            better = rng.choice((Better.LOWER, Better.HIGHER, None))
            measure = Measure(baseline, change, rng.choice((None, 0.25, 1.0)), better)
            more = {
                "accept": rng.choice((None, None, 1.0, 25.0)),
                "percent": rng.random() < 0.2,
                "earlier": rng.choice((None, {names[0]: NoiseFloor(0.5, 6)})),
                "covariates": names[-1:] if len(names) > 1 and rng.random() < 0.2 else (),
            }
            found = tried(lambda rows=rows, measure=measure, more=more: judge_table(rows, measure, **more))
            if not isinstance(found, str):
                study, analysis = found
                # How many more prints it takes is simulated where prints come in steps.
                more = (
                    (table_json(study, analysis), *map(detail_lines, analysis.findings))
                    if seed % 4 == 0
                    else ()
                )
                found = [one.sentence for one in analysis.findings], analysis, more
            self.assertEqual([one for one in leaves(found) if unsound(one)], [], seed)
            told.append(found)
        self.together("any", "tables", told, 4)


if __name__ == "__main__":
    unittest.main()
