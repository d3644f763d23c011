"""Every formula of the engine, over all it can be given, edges and ties too, stays as it was approved.

``APPROVE=1 python -m unittest tests.core.test_any_figures`` writes what comes out now. What the formulas give
is held against published figures elsewhere.
"""

import random
import unittest
from dataclasses import replace
from itertools import product

import numpy as np

from oddtwin.core.calibrate import components_of
from oddtwin.core.calibrate.fits import crossings, curve_of, ends_of, line_of, mean_of, rising
from oddtwin.core.decide import (
    as_json,
    aside_words,
    detail_lines,
    finding_of,
    prints_line,
    sensitivity,
    table_row,
)
from oddtwin.core.effects import (
    LinearModel,
    Measure,
    Modelled,
    NoiseFloor,
    Row,
    Shape,
    StudentEstimate,
    Truth,
    across,
    adjusted,
    cells_of,
    chance_all_within,
    chance_different,
    chance_of_wins,
    chances_of,
    cliffs_delta,
    clopper_pearson,
    cochran_edge,
    compare,
    edge_of_all,
    every_effect,
    farthest,
    further_prints,
    grubbs_edge,
    holm,
    in_steps,
    isotonic,
    jonckheere,
    level_for_looks,
    level_of_all,
    limits_of_agreement,
    log_of_percent,
    many_modelled,
    may_be_best,
    median_rank,
    method_for,
    noise_from_twins,
    noise_of_table,
    page,
    pairs_needed,
    percent_interval,
    percent_of_log,
    pool,
    price_of_looks,
    pseudo_df,
    pseudo_error,
    simultaneous,
    smallest_findable,
    step_of,
    stepped_down,
    widest,
    wins_allowed,
)
from oddtwin.core.readings import Better, Bound, PrintValue, Reading, ResponseKind
from tests.core.stays import Stays, tried

SIZES = ((2, 2), (3, 3), (4, 4), (5, 3), (3, 6), (8, 8), (1, 4), (12, 9), (20, 20), (0, 3), (1, 1))
KINDS = [kind for kind in ResponseKind if kind is not ResponseKind.WORD]


def eighths(rng, count, low=-8, high=8):
    """Figures that are equal now and then."""
    return [rng.randint(low, high) / 8 for _ in range(count)]


def drawn(rng, kind, up, bounds):
    """A reading of a kind, how many tries are behind it, and whether it is a limit."""
    if kind is ResponseKind.YES_NO:
        tries = rng.choice((1, 1, 5))
        return float(sum(rng.random() < 0.2 + 0.3 * up for _ in range(tries))), {"out_of": tries}
    if kind is ResponseKind.GRADE:
        return float(min(4, rng.randint(0, 2) + 2 * up)), {}
    if kind is ResponseKind.COUNT:
        return float(rng.choice((0, 0, 1, 3, 7)) * (1 + up)), {}
    value = rng.choice((24.0, 24.0, 0.0, 1000.0)) + rng.randint(0, 12) / 8 + up
    bound = rng.choice(bounds)
    return value, {"bound": bound, "high": value + 0.5 if bound is Bound.BETWEEN else None}


def prints(rng, kind):
    """Prints of two arms as readings, in pairs or not, here and there in several places."""
    fewer, more = rng.choice(SIZES)
    paired = fewer == more and rng.random() < 0.6
    place = rng.choice((("",), ("",), ("Marlow", "Heron"), ("Marlow", "Heron", "Tarn")))
    up = rng.choice((0, 1, 1))
    of_machine = {name: rng.choice((up, 1 - up)) for name in place}
    # What is known by limits only is fitted, which takes its time.
    bounds = (Bound.EXACT, Bound.EXACT, *Bound) if rng.random() < 0.04 else (Bound.EXACT,)
    rows = []
    for arm, count in (("A", fewer), ("B", more)):
        for number in range(count):
            machine = place[number % len(place)]
            value, told = drawn(rng, kind, of_machine[machine] if arm == "B" else 0, bounds)
            row = Reading(
                arm, value if rng.random() > 0.03 else None, pair=str(number) if paired else "",
                machine=machine, run=f"{arm}{number}", kind=kind, order=float(2 * number + (arm == "B")),
                set_aside="torn off" if rng.random() < 0.03 else "",
                failed="blob" if rng.random() < 0.03 else "", **told,
            )  # fmt: skip
            rows.append(row)
            if rng.random() < 0.2:
                # A twin of it, or another reading of the same print.
                again, told = drawn(rng, kind, 0, bounds)
                rows.append(replace(row, value=again, run=row.run + rng.choice(("", "t")), **told))
    return rows


def measure(rng, kind):
    better = rng.choice((Better.LOWER, Better.HIGHER, None))
    if kind in (ResponseKind.QUANTITY, ResponseKind.DEVIATION) and rng.random() < 0.2:
        better = Better.TARGET
    return Measure(
        "A", "B",
        margin=rng.choice((None, 0.125, 0.5, 1.0, 4.0)),
        better=better,
        target=24.0 if better is Better.TARGET else None,
        noise=rng.choice((None, None, NoiseFloor(0.25, 3), NoiseFloor(0.75, 12), NoiseFloor(2.0, 40))),
        onset=2.0 if kind is ResponseKind.ONSET else None,
        step=rng.choice((None, None, 0.125, 1.0)),
        guard=rng.random() < 0.1,
        level=rng.choice((0.05, 0.05, 0.025, 0.3)),
    )  # fmt: skip


def shapes(rng):
    """Shapes of comparisons, before any figure of them."""
    for kind, (fewer, more) in product(KINDS, SIZES):
        yield Shape(
            kind,
            pairs=fewer if fewer == more and rng.random() < 0.6 else 0,
            n_baseline=fewer,
            n_change=more,
            noise_df=rng.choice((0.0, 0.0, 2.0, 9.5, 60.0)),
            strata=rng.choice((1, 1, 2)) if fewer > 2 else 1,
            level=rng.choice((0.05, 0.05, 0.01, 0.3)),
        )


def correlation(rng, count):
    """Of comparisons with one baseline, or of sums of them, which may be singular."""
    ways = np.array([[rng.choice((-1.0, 0.0, 1.0, 1.0)) for _ in range(3)] + [0.5] for _ in range(count)])
    spread = ways @ ways.T
    size = np.sqrt(np.diag(spread))
    return spread / size[:, None] / size


class AnyFigures(Stays):
    def test_prints_of_every_kind(self):
        told = []
        for seed, kind in product(range(48), KINDS):
            rng = random.Random(f"{seed} {kind}")
            asked, rows = measure(rng, kind), prints(rng, kind)
            found = tried(compare, rows, asked, np.random.default_rng(1))
            if not isinstance(found, str):
                judged = finding_of(found, rng.choice((None, 0.125, 0.5)))
                # How many more it takes is simulated where prints come in steps.
                words = as_json, table_row, detail_lines, sensitivity
                more = [work(judged) for work in words if seed % 12 == 0 or (kind.measured and seed % 4 == 1)]
                found = judged, prints_line(found), aside_words(found), more
            told.append(found)
        self.together("every", "compared", told, 12)

    def test_cells_of_every_kind(self):
        def value(rng, kind, up):
            read, told = drawn(rng, kind, up, (Bound.EXACT,))
            tries = told.get("out_of", 1)
            return {"value": read / tries, "tries": tries}

        told = []
        for seed in range(90):
            rng = random.Random(seed)
            kind = rng.choice(KINDS)
            places, zones = rng.choice(((1, 1), (2, 1), (4, 1), (2, 2))), rng.choice((0, 0, 2, 3))
            rows = []
            for machine, piece, number in product(*map(range, places), range(rng.choice((1, 2, 3, 5)))):
                pair = f"{machine} {piece} {number}" if seed % 2 else ""
                for arm in "AB":
                    up = machine % 2 if arm == "B" else 0
                    one = PrintValue(arm, pair, f"m{machine}", f"p{piece}", "", "", "", None)
                    rows.append(replace(one, **value(rng, kind, up)))
            if rng.random() < 0.1:
                rows[0] = replace(rows[0], reach=(0.0, 1.0))
            of_zones = {
                f"zone {n}": [replace(one, **value(rng, kind, n % 2)) for one in rows] for n in range(zones)
            }
            asked = Measure("A", "B", margin=0.5, better=Better.LOWER)
            noise = rng.choice((None, NoiseFloor(0.25, 4)))
            told.append(tried(cells_of, kind, rows, of_zones, asked, noise, np.random.default_rng(seed)))
        self.together("every", "cells", told, 3)

    def test_models_of_any_prints(self):
        told = []
        for seed in range(90):
            rng = random.Random(seed)
            arms = "ABCD"[: rng.choice((2, 3, 4))]
            rows = [
                Row(arm, str(n % blocks), f"m{n % 2}", float(n), (rng.randint(0, 9) / 2,))
                for blocks in (rng.choice((1, 2, 4)),)
                for n, arm in enumerate(rng.choices(arms, k=rng.choice((4, 6, 9, 14))))
            ]
            coding = {name: tuple(float(name == other) for other in arms) for name in arms}
            weights = tuple({"A": -1.0, "B": 1.0}.get(name, 0.0) for name in arms)
            effects = {name: (rng.choice((-1.0, 1.0)), rng.choice((-1.0, 1.0))) for name in arms}
            model = LinearModel(
                coding, weights, (frozenset("A"), frozenset("B")), rng.random() < 0.4, rng.random() < 0.7,
                ("degrees",) if rng.random() < 0.3 else (), rng.choice((None, effects)),
            )  # fmt: skip
            solved = model.solve(rows)
            values = np.array([eighths(rng, len(rows), 1, 40) for _ in range(3)]) * rng.choice((1.0, 1e6))
            if solved is None:
                told.append(None)
                continue
            asked = Measure("A", "B", 0.5, noise=rng.choice((None, NoiseFloor(0.5, 4))))
            alone = Modelled(solved, values[0])
            data = tried(alone.data, ResponseKind.QUANTITY, asked)
            judged = data and (data, method_for(data.shape).infer(data))
            logs = tried(lambda alone=alone: alone.logarithms().values)
            many = many_modelled(solved, values, ResponseKind.QUANTITY, NoiseFloor(0.5, 4))
            told.append((solved, judged, logs, many))
        self.together("every", "modelled", told, 3)

    def test_twins_in_a_table(self):
        told = []
        for seed in range(40):
            rng = random.Random(seed)
            rows = [
                replace(
                    row,
                    response=rng.choice(("", "mass")),
                    value=row.value and row.value * rng.choice((1, 1, 9)),
                )
                for row in prints(rng, rng.choice((ResponseKind.QUANTITY, ResponseKind.GRADE)))
            ]
            told.append(tried(noise_of_table, rows))
        self.together("every", "tables", told, 4)

    def test_components_of_a_gauge_lines_and_curves(self):
        told = []
        for seed in range(60):
            rng = random.Random(seed)
            shape = rng.choice((1, 2, 3)), rng.choice((2, 3)), rng.choice((2, 5))
            spread = rng.choice((0, 1, 4))
            data = np.array([[[n + rng.randint(0, spread) / 4 for n in range(shape[2])]
                              for _ in range(shape[1])] for _ in range(shape[0])])  # fmt: skip
            count = rng.choice((3, 5, 9))
            x = np.array(sorted(rng.sample(range(20), count)), float)
            y = np.array(eighths(rng, count, 0, 24)) + x / 8
            weights = np.array(rng.choices((1.0, 2.0), k=count))
            told.append(
                (
                    [components_of(data, pool) for pool in (None, True, False)],
                    tried(mean_of, y, rng.choice((0.0, 0.125))),
                    [(line, line.at(4.0), line.reach(4.0), line.reach(4.0, one=True))
                     for line in [line_of(x, y, rng.choice((0.0, 0.25)))]],
                    rising(y, weights), crossings(x, rising(y, weights)[:, None], 1.5), ends_of(y),
                    tried(lambda x=x, y=y: curve_of(x, y, 0.125).crossing(1.5)),
                )
            )  # fmt: skip
        self.together("every", "fits", told, 4)

    def test_chances_of_every_shape(self):
        rng, told = random.Random(1), []
        for shape in shapes(rng):
            method, sd = method_for(shape), rng.choice((0.25, 1.0, 3.0))
            difference, margin = rng.choice(((0.0, 1.0), (1.0, 1.0), (0.5, 1.0), (3.0, 1.0), (2.0, None)))
            truth = Truth(difference, sd, margin)
            further = shape.kind is ResponseKind.QUANTITY or rng.random() < 0.1
            told.append(
                (
                    type(method).__name__,
                    tried(method.chances, shape, truth),
                    tried(chances_of, shape, sd, 1.0, (1, 2, 5)),
                    tried(smallest_findable, shape, sd),
                    further and tried(pairs_needed, shape, sd, 1.0, 0.8, rng.random() < 0.3),
                    further and tried(further_prints, shape, truth, rng.random() < 0.5),
                )
            )
        self.together("every", "shapes", told, 4)

    def test_shares_ranks_and_steps(self):
        told = [
            [clopper_pearson(np.arange(tries + 1.0), tries, level) for level in (0.9, 0.95, 0.999)]
            for tries in (1, 2, 5, 40)
        ]
        told += [[median_rank(count, level) for count in range(30)] for level in (0.8, 0.9, 0.95, 0.99)]
        told += [
            (
                [chance_of_wins(wins, *sizes) for wins in range(sizes[0] * sizes[1] + 1)],
                [wins_allowed(*sizes, tail) for tail in (0.3, 0.05, 0.025, 0.005)],
            )
            for sizes in ((1, 1), (1, 5), (2, 3), (4, 4), (6, 3), (9, 8))
        ]
        values = np.arange(-24, 25) / 8
        told += [in_steps(values, kind, sd) for kind in ResponseKind for sd in (0.5, 1.5)]
        told += [step_of(np.array(some)) for some in ([1, 2.5], [0.1, 0.25], [3, 3], [1e6, 7.0], [1 / 3], [])]
        self.together("every", "steps", told, 2)

    def test_twins_and_what_lies_apart(self):
        told = []
        for seed in range(60):
            rng = random.Random(seed)
            rows = [eighths(rng, rng.choice((1, 2, 2, 3, 6))) for _ in range(rng.choice((1, 2, 3, 5)))]
            same = [eighths(rng, 3) for _ in range(rng.choice((2, 3, 4)))]
            scale = rng.choice((1.0, 1e-7, 1e6))
            told.append(
                (
                    noise_from_twins([[scale * one for one in row] for row in rows]),
                    tried(pool, NoiseFloor(0.5, 3), noise_from_twins(rows)),
                    [farthest(np.array(row)) for row in rows if len(row) > 2],
                    (widest(same), widest(rows)),
                    limits_of_agreement(
                        *zip(*[eighths(rng, 2) for _ in range(rng.choice((1, 2, 3, 9)))], strict=True)
                    ),
                    cliffs_delta(np.array(rows[0]), np.array(rows[-1])),
                    holm([rng.choice((None, rng.random() ** 3)) for _ in range(5)]),
                )
            )
        told += [
            ([grubbs_edge(count, alpha) for count in range(3, 20)],
             [cochran_edge(count, size, alpha) for count, size in product((2, 3, 8), (2, 3, 5))])
            for alpha in (0.05, 0.01)
        ]  # fmt: skip
        floors = [NoiseFloor(sd, df) for sd, df in product((0.0, 0.5, 3.0), (0.5, 1, 3, 30))]
        told += [(one.judges, one.limit, one.exceeded, one.interval(0.9)) for one in floors]
        self.together("every", "twins", told, 4)

    def test_chances_of_student(self):
        told = []
        for difference, error, df in product((0.0, 0.5, -2.0, 40.0), (0.25, 1.0), (1.0, 2.5, 9.0, 200.0)):
            one = StudentEstimate(difference, error, df, "t")
            edges = np.array([0.5, 2.0, 4.0, np.inf])
            told.append(
                (
                    [one.interval(level) for level in (0.5, 0.9, 0.95, 0.999)],
                    one.p_difference,
                    [(one.p_equivalence(margin), one.p_beyond(margin)) for margin in (0.0, 0.5, 2.0, 50.0)],
                    chance_different(difference, error, df),
                    chance_different(difference, error, df, edges),
                )
            )
        told += [(log_of_percent(one), percent_of_log(one / 50), percent_interval((one / 50, one / 20)))
                 for one in (-99.0, -20.0, 0.0, 5.0, 60.0, 400.0)]  # fmt: skip
        told += [[level_for_looks(some), price_of_looks(some), level_for_looks(some, 0.2)]
                 for some in ((4,), (2, 4), (3, 4), (2, 4, 8), (5, 6, 7, 8))]  # fmt: skip
        self.together("every", "student", told, 4)

    def test_several_at_once(self):
        told = []
        for seed in range(24):
            rng = random.Random(seed)
            count, df = rng.choice((1, 2, 3, 5)), rng.choice((1.0, 3.0, 12.0, 300.0))
            alike = correlation(rng, count)
            errors = [rng.choice((0.25, 1.0)) for _ in range(count)]
            one_sided = rng.random() < 0.3
            means = np.array(eighths(rng, count + 1, -16, 16))
            told.append(
                (
                    [chance_all_within(limit, alike, df, one_sided) for limit in (0.0, 0.5, 2.0, 4.0)],
                    stepped_down(eighths(rng, count, -40, 40), alike, df),
                    [edge_of_all(alike, df, level, one_sided) for level in (0.9, 0.95)],
                    level_of_all(alike, df, 0.95),
                    simultaneous(eighths(rng, count), errors, alike, df),
                    [may_be_best(means, np.diag([0.25, *errors]), df, sign) for sign in (1.0, -1.0)],
                )
            )
        self.together("every", "several", told, 2)

    def test_trends_places_and_effects(self):
        told = []
        for seed in range(48):
            rng = random.Random(seed)
            levels, several = rng.choice((2, 3, 4)), rng.choice((1, 2, 5, 30))
            blocks = [list(enumerate(eighths(rng, levels, 0, rng.choice((2, 40))))) for _ in range(several)]
            groups = [eighths(rng, rng.choice((1, 2, 4)), n, 12) for n in range(levels)]
            values = np.array(eighths(rng, 8, 0, 16))
            is_change = np.array([n % 2 == 1 for n in range(8)])
            places = np.array([n // 2 % rng.choice((1, 2, 3)) for n in range(8)])
            estimates = eighths(rng, rng.choice((1, 2, 4, 7)))
            errors = [rng.choice((0.125, 0.5, 1.0)) for _ in estimates]
            told.append(
                (
                    page(blocks), jonckheere(groups), tried(adjusted, values, is_change, places),
                    [isotonic(values, 1 + np.arange(8.0), rising) for rising in (None, True, False)],
                    tried(across, estimates, errors),
                    pseudo_error(np.array([eighths(rng, 7), eighths(rng, 7, -40, 40)])),
                )
            )  # fmt: skip
        told += [pseudo_df(count) for count in (3, 7, 15)]
        crossed = [(str(n), tuple(n >> bit & 1 for bit in range(3))) for n in range(8)]
        told += [tried(every_effect, dict(some)) for some in (crossed, crossed[:4], crossed[::3])]
        self.together("every", "trends", told, 4)


if __name__ == "__main__":
    unittest.main()
