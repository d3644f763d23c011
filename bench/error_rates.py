"""How often the verdict errs, by simulation from readings to verdict; writes docs/error-rates.md.

``python -m bench.error_rates [STUDIES]``: minutes long with the default of 2 000 studies a line.
"""

from __future__ import annotations

import math
import sys
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.decide import Finding, findings_of
from oddtwin.core.effects import IN_STEPS, Measure, NoiseFloor, Shape, Truth, method_for
from oddtwin.core.readings import Better, Combine, Reading, ResponseKind

DOCUMENT = Path(__file__).parent.parent / "docs" / "error-rates.md"
GRADE, QUANTITY = ResponseKind.GRADE, ResponseKind.QUANTITY

Draw = Callable[[np.random.Generator], list[Reading]]


@dataclass(frozen=True)
class Line:
    """One line of the table: a truth, simulated, and what must hold of it."""

    what: str
    draw: Draw
    true: float | None
    margin: float
    measured: Sequence[tuple[str, Callable[[Finding], bool], float, bool]]
    """What is counted, how, its limit, and whether the limit is the most (else the least)."""
    kind: ResponseKind = QUANTITY
    noise: NoiseFloor | None = None


def main(studies: int) -> None:
    """Simulate every line, and write the table."""
    began, rows = time.monotonic(), []
    for number, line in enumerate(_lines()):
        shares = _simulated(line, studies, np.random.default_rng([7, number]))
        for (name, _, limit, most), share in zip(line.measured, shares, strict=True):
            error = math.sqrt(max(share * (1 - share), 1e-4) / studies)
            holds = share <= limit + 2 * error if most else share >= limit - 2 * error
            bound = f"{'at most' if most else 'at least'} {100 * limit:.1f}"
            rows.append((line.what, name, f"{100 * share:.1f}", bound, "" if holds else "**misses**"))
            print(*rows[-1], flush=True)
    families = [
        *_families(studies),
        *_looked(studies),
        *_drifting(studies),
        *_designs(studies),
        *_ladders(studies),
    ]
    DOCUMENT.write_text(_document(studies, rows, families, _promises(studies)), encoding="utf-8")
    print(f"{DOCUMENT}: {time.monotonic() - began:.0f} s")


def _simulated(line: Line, studies: int, rng: np.random.Generator) -> list[float]:
    measure = Measure("A", "B", line.margin, Better.LOWER, noise=line.noise)
    counts = np.zeros(len(line.measured))
    for _ in range(studies):
        (finding,) = findings_of({"R": line.draw(rng)}, measure, 0)
        counts += [counted(finding) for _, counted, _, _ in line.measured]
    return list(counts / studies)


# ------------------------------------------------------------ what is counted


def differs(finding: Finding) -> bool:
    """Whether any difference is claimed, of the mean or of a cell."""
    return finding.verdict.odd or finding.verdict.leaning or finding.verdict.value == "mixed"


def odd(finding: Finding) -> bool:
    """Whether a difference that matters is claimed."""
    return finding.verdict.odd


def twin(finding: Finding) -> bool:
    """Whether no difference that matters is claimed."""
    return finding.verdict.value == "twin"


def covers(low: float, high: float) -> Callable[[Finding], bool]:
    """Whether the 95 % interval holds some of what is true: a median may be any of a range."""

    def held(finding: Finding) -> bool:
        ends = finding.comparison.inference.ci95
        return ends is None or (ends[0] <= high + 1e-9 and ends[1] >= low - 1e-9)

    return held


# ------------------------------------------------------------ truths


def pairs(base: Floats, change: Floats, kind: ResponseKind = QUANTITY) -> list[Reading]:
    """Readings of one print of each arm in each pair."""
    return [
        Reading(arm, float(value), pair=str(pair), run=f"{arm}{pair}", kind=kind)
        for arm, side in (("A", base), ("B", change))
        for pair, value in enumerate(side)
    ]


def apart(base: Floats, change: Floats, kind: ResponseKind = QUANTITY) -> list[Reading]:
    """Readings of prints that are not paired."""
    return [
        Reading(arm, float(value), run=f"{arm}{number}", kind=kind)
        for arm, side in (("A", base), ("B", change))
        for number, value in enumerate(side)
    ]


def fours(base: Floats, change: Floats) -> list[Reading]:
    """Readings of grades in blocks of two prints of each arm."""
    return [
        Reading(arm, float(value), pair=str(number // 2), run=f"{arm}{number}", kind=GRADE)
        for arm, side in (("A", base), ("B", change))
        for number, value in enumerate(side)
    ]


def _noises() -> dict[str, Callable[[np.random.Generator, int], Floats]]:
    return {
        "normal": lambda rng, n: rng.normal(0, 1, n),
        "t with 3 df": lambda rng, n: rng.standard_t(3, n) / math.sqrt(3),
        "skewed": lambda rng, n: rng.exponential(1, n) - 1,
    }


def _lines() -> Iterator[Line]:
    yield from _numbers()
    yield from _with_twins()
    yield from _unpaired()
    yield from _grades()
    yield from _counts()
    yield from _cells()


def _numbers() -> Iterator[Line]:
    for name, noise in _noises().items():
        for count in (3, 6, 12):

            def at(shift: float, count: int = count, noise=noise) -> Draw:  # type: ignore[no-untyped-def]
                def draw(rng: np.random.Generator) -> list[Reading]:
                    day = rng.normal(0, 3, count)
                    return pairs(day + noise(rng, count), day + shift + noise(rng, count))

                return draw

            what = f"{count} pairs, {name}, days differ by 3 sd"
            yield Line(
                f"{what}, no effect",
                at(0.0),
                0.0,
                1.0,
                (("false difference", differs, 0.05, True), ("interval holds", covers(0, 0), 0.94, False)),
            )
            yield Line(
                f"{what}, effect = margin",
                at(1.0),
                1.0,
                1.0,
                (("false odd", odd, 0.025, True), ("false twin", twin, 0.05, True)),
            )
    yield from _spoilt()


def _spoilt() -> Iterator[Line]:
    """Numbers whose effect varies, of which some are lost, or one lies far off."""
    for what, spread, lost, outlier in (
        ("pair × change sd 1", 1.0, 0.0, 0.0),
        ("20 % lost", 0.0, 0.2, 0.0),
        ("one outlier of 5 sd", 0.0, 0.0, 5.0),
    ):
        for count in (4, 8):

            def draw(
                rng: np.random.Generator,
                count: int = count,
                spread: float = spread,
                lost: float = lost,
                outlier: float = outlier,
            ) -> list[Reading]:
                change = rng.normal(0, 1, count) + rng.normal(0, spread, count)
                change[0] += outlier * rng.choice((-1, 1))
                rows = pairs(rng.normal(0, 1, count), change)
                kept = [row for row in rows if rng.random() >= lost]
                # A study of which nothing is left in an arm says nothing at all.
                return kept if len({row.arm for row in kept}) == 2 else rows

            yield Line(
                f"{count} pairs, {what}, no effect",
                draw,
                0.0,
                1.0,
                (("false difference", differs, 0.05, True), ("interval holds", covers(0, 0), 0.94, False)),
            )


def _with_twins() -> Iterator[Line]:
    def own(count: int, shift: float, spread: float) -> Draw:
        def draw(rng: np.random.Generator) -> list[Reading]:
            rows = pairs(
                rng.normal(0, 1, count), shift + rng.normal(0, 1, count) + rng.normal(0, spread, count)
            )
            # Eight twins of the baseline, in blocks of their own: eight degrees of freedom.
            return rows + [
                Reading("A", float(value), pair=f"t{block}", run=f"t{block}{letter}")
                for block in range(8)
                for letter, value in zip("xy", rng.normal(0, 1, 2), strict=True)
            ]

        return draw

    for count, least in ((2, 0.70), (3, 0.85), (4, 0.95)):
        yield Line(
            f"{count} pairs and own twins with 8 df, effect of 3 sd",
            own(count, 3.0, 0.0),
            3.0,
            0.5,
            (("found", differs, least, False), ("interval holds", covers(3, 3), 0.94, False)),
        )
        for spread in (0.0, 1.0):
            yield Line(
                f"{count} pairs and own twins with 8 df, pair × change sd {spread:g}, no effect",
                own(count, 0.0, spread),
                0.0,
                1.0,
                (("false difference", differs, 0.05, True), ("interval holds", covers(0, 0), 0.94, False)),
            )


def _unpaired() -> Iterator[Line]:
    for left, right in ((2, 6), (2, 10), (4, 4), (6, 6)):

        def draw(rng: np.random.Generator, left: int = left, right: int = right) -> list[Reading]:
            return apart(rng.normal(0, 1, left), rng.normal(0, 1, right))

        yield Line(
            f"{left} against {right} prints, no effect",
            draw,
            0.0,
            1.0,
            (("false difference", differs, 0.055, True), ("interval holds", covers(0, 0), 0.94, False)),
        )


def latent(rng: np.random.Generator, count: int, shift: float, sd: float) -> Floats:
    """Grades of a normal variable that is cut at four places."""
    return np.digitize(rng.normal(1.5 + shift, sd, count), (0.5, 1.5, 2.5, 3.5)).astype(np.float64)


def _grade_truths() -> Iterator[tuple[str, Callable[[np.random.Generator, int], tuple[Floats, Floats]]]]:
    for share in (0.5, 0.8, 1.0):
        yield (
            f"always 0 against 1 with chance {share:g}",
            lambda rng, n, share=share: (np.zeros(n), (rng.random(n) < share).astype(float)),
        )
    yield (
        "1 with chance .3 against .7",
        lambda rng, n: ((rng.random(n) < 0.3).astype(float), (rng.random(n) < 0.7).astype(float)),
    )
    yield "all 2 against all 3", lambda rng, n: (np.full(n, 2.0), np.full(n, 3.0))
    for sd in (0.5, 1.0, 2.0):
        for shift in (0.0, 1.0):
            yield (
                f"normal cut at four places, sd {sd:g}, moved by {shift:g}",
                lambda rng, n, sd=sd, shift=shift: (latent(rng, n, 0, sd), latent(rng, n, shift, sd)),
            )


def _grades() -> Iterator[Line]:
    ways = {"pairs": (lambda base, change: pairs(base, change, GRADE), (3, 6, 9, 12))}
    ways["prints in blocks of four"] = (fours, (4, 8, 12))
    ways["prints that are not paired"] = (lambda base, change: apart(base, change, GRADE), (4, 6, 12))
    for truth, sample in _grade_truths():
        base, change = sample(np.random.default_rng(1), 100_000)
        moved = change - base
        low, high = (float(np.quantile(moved, share, method="lower")) for share in (0.499, 0.501))
        # The smallest margin that the truth does not reach, and the largest that it does.
        above, at = math.floor(high) + 1.0, max(1.0, math.ceil(low))
        for way, (arranged, counts) in ways.items():
            for count in counts:

                def draw(
                    rng: np.random.Generator,
                    sample=sample,
                    arranged=arranged,
                    count: int = count,  # type: ignore[no-untyped-def]
                ) -> list[Reading]:
                    rows: list[Reading] = arranged(*sample(rng, count))
                    return rows

                what = f"{count} {way}, {truth}"
                measured = [
                    ("interval holds", covers(low, high), 0.93, False),
                    ("false odd", odd, 0.035, True),
                ]
                yield Line(what, draw, None, max(1.0, above), measured, GRADE)
                if low >= 1:
                    yield Line(what, draw, None, at, [("false twin", twin, 0.05, True)], GRADE)


def _counts() -> Iterator[Line]:
    for count in (4, 8, 12):
        for base, change in ((0.5, 0.5), (0.2, 0.2), (0.2, 0.7)):

            def shares(
                rng: np.random.Generator, count: int = count, base: float = base, change: float = change
            ) -> list[Reading]:
                sides = ((rng.random(count) < chance).astype(float) for chance in (base, change))
                return apart(*sides, kind=ResponseKind.YES_NO)

            true = change - base
            measured = [("interval holds", covers(true, true), 0.93, False)]
            if not true:
                measured.append(("false difference", differs, 0.05, True))
            yield Line(
                f"{count} against {count} answers, {base:g} against {change:g}", shares, true, 0.3, measured
            )
        for base, change in ((1.0, 1.0), (4.0, 4.0), (2.0, 5.0)):

            def rates(
                rng: np.random.Generator, count: int = count, base: float = base, change: float = change
            ) -> list[Reading]:
                sides = (rng.poisson(mean, count).astype(float) for mean in (base, change))
                return apart(*sides, kind=ResponseKind.COUNT)

            true = change - base
            measured = [("interval holds", covers(true, true), 0.93, False)]
            if not true:
                measured.append(("false difference", differs, 0.05, True))
            yield Line(
                f"{count} against {count} counts, mean {base:g} against {change:g}",
                rates,
                true,
                1.0,
                measured,
            )


def zoned(rng: np.random.Generator, count: int, moved: float, zones: int = 6) -> list[Reading]:
    """Grades of pairs by zone, of which one is moved."""
    rows = []
    for arm in "AB":
        for pair in range(count):
            grades = latent(rng, zones, -1.0, 0.6)
            if arm == "B":
                grades[-1] = min(4.0, grades[-1] + moved)
            rows += [
                Reading(
                    arm,
                    float(grade),
                    pair=str(pair),
                    run=f"{arm}{pair}",
                    zone=f"zone {zone}",
                    kind=GRADE,
                    combine=Combine.WORST,
                )
                for zone, grade in enumerate(grades)
            ]
    return rows


def on_machines(rng: np.random.Generator, count: int, effects: Sequence[float]) -> list[Reading]:
    """Numbers of pairs on several machines, each with an effect of its own."""
    return [
        Reading(arm, float(value), pair=f"{machine}-{pair}", machine=machine, run=f"{arm}{machine}{pair}")
        for number, effect in enumerate(effects)
        for machine in (f"machine {number + 1}",)
        for pair in range(count)
        for arm, value in (("A", rng.normal(0, 1)), ("B", rng.normal(effect, 1)))
    ]


def _cells() -> Iterator[Line]:
    for count in (6, 8, 12):
        for moved, name, counted, limit, most in (
            (0.0, "said to be mixed", lambda one: one.verdict.value == "mixed", 0.05, True),
            (3.0, "said to be a twin", twin, 0.05, True),
            (3.0, "said to be mixed", lambda one: one.verdict.value == "mixed", 0.8, False),
        ):
            yield Line(
                f"{count} pairs graded in 6 zones, one moved by {moved:g}",
                lambda rng, count=count, moved=moved: zoned(rng, count, moved),
                None,
                2.0,
                [(name, counted, limit, most)],
                GRADE,
            )
    for count in (4, 8):
        for effects, name, counted, limit, most in (
            ((0.0, 0.0), "false difference", differs, 0.075, True),
            ((2.0, -2.0), "said to be a twin", twin, 0.05, True),
            ((0.0,) * 12, "said to be mixed", lambda one: one.verdict.value == "mixed", 0.05, True),
            ((0.0,) * 12, "called a twin all the same", twin, 0.0, False),
        ):
            yield Line(
                f"{count} pairs on each of {len(effects)} machines, {effects[0]:g} to {effects[-1]:g}",
                lambda rng, count=count, effects=effects: on_machines(rng, count, effects),
                None,
                1.5,
                [(name, counted, limit, most)],
            )


# ------------------------------------------------------------ families and promises


def _families(studies: int) -> Iterator[tuple[str, str, str, str]]:
    for together in (0.0, 0.5):
        rng = np.random.default_rng(11)
        false = 0
        for _ in range(studies):
            share = rng.normal(0, 1, (2, 6, 1)) * math.sqrt(together)
            values = share + rng.normal(0, 1, (2, 6, 8)) * math.sqrt(1 - together)
            groups = {f"R{number}": pairs(values[0, :, number], values[1, :, number]) for number in range(8)}
            found = findings_of(groups, Measure("A", "B", 1.0, Better.LOWER), 0)
            false += any(map(differs, found))
        yield _line(
            f"8 responses of 6 pairs at correlation {together:g}, no effect in any", false, studies, 0.05
        )


def _line(what: str, wrong: int, studies: int, limit: float) -> tuple[str, str, str, str]:
    share = wrong / studies
    error = math.sqrt(max(share * (1 - share), 1e-4) / studies)
    misses = "" if share <= limit + 2 * error else "**misses**"
    print(what, f"{100 * share:.1f}", misses, flush=True)
    return what, f"{100 * share:.1f}", f"at most {100 * limit:.1f}", misses


def _looked(studies: int) -> Iterator[tuple[str, str, str, str]]:
    """Looks after each of pairs 2 to 12, which were planned: all that any of them claims."""
    for true, name, counted in ((0.0, "any false difference", differs), (1.0, "any false twin", twin)):
        rng, wrong = np.random.default_rng(17), 0
        for _ in range(studies):
            base, change = rng.normal(0, 1, (2, 12))
            wrong += any(
                counted(one)
                for made in range(2, 13)
                for one in findings_of(
                    {"R": pairs(base[:made], change[:made] + true)},
                    Measure("A", "B", 1.0, Better.LOWER),
                    0,
                    (made, 12),
                )
            )
        yield _line(
            f"looks after each of pairs 2 to 12, planned, effect {true:g}: {name}", wrong, studies, 0.05
        )


def _drifting(studies: int) -> Iterator[tuple[str, str, str, str]]:
    """A drift of half a standard deviation a print, and nothing changed: in pairs, and along a chain."""
    from tests.builders import drawn, filled, response

    from oddtwin.core.design import Design, DesignKind
    from oddtwin.core.judgement import analyse

    asked = (response(1, margin=None),)
    designs = [
        (f"{count} pairs in random order", drawn(Design(DesignKind.PAIRS), repeats=count, responses=asked))
        for count in (4, 8, 12)
    ]
    for repeats in (2, 3):
        chain = Design(DesignKind.CHAIN, (2,) * 8)
        value = drawn(chain, levels=("a", "b"), factors=8, repeats=repeats, responses=asked)
        designs.append((f"chain of 8 steps, {repeats} prints of each", value))
    for what, value in designs:
        rng, wrong = np.random.default_rng(19), 0
        for _ in range(studies):
            read = 20 + rng.normal(0, 1, len(value.runs)) + 0.5 * np.arange(len(value.runs))
            wrong += any(map(differs, analyse(filled(value, list(read))).findings))
        yield _line(f"{what}, drift ½ sd a print: any false difference", wrong, studies, 0.06)


def _designs(studies: int) -> Iterator[tuple[str, str, str, str]]:
    """Nothing was changed, in designs that one model judges: split plots, single prints, covariates."""
    from dataclasses import replace

    from tests.builders import drawn, filled, response

    from oddtwin.core.design import Design, DesignKind
    from oddtwin.core.judgement import analyse, whole_plots
    from oddtwin.core.study import Role

    asked, few = (response(1, margin=None),), max(100, studies // 2)
    for spread in (0.0, 1.0, 3.0):
        design = Design(DesignKind.SPLIT_PLOT, (2, 2), whole_plots=4)
        value = drawn(design, levels=("1", "2"), factors=2, repeats=2, responses=asked)
        plots, rng, wrong = whole_plots(value), np.random.default_rng(31), 0
        ordered = sorted(value.runs, key=lambda run: run.position)
        for _ in range(few):
            of_plot = {name: rng.normal(0, spread) for name in sorted(set(plots.values()))}
            read = [20 + of_plot[plots[run.code]] + rng.normal() for run in ordered]
            kept = [None if rng.random() < 0.2 else one for one in read]
            first = next(iter(analyse(filled(value, kept)).findings), None)
            ends = first.comparison.inference.ci95 if first else None
            wrong += ends is not None and (ends[0] > 0 or ends[1] < 0)
        what = f"split plot of 4 whole plots, these scatter by {spread:g} sd, 20 % lost: hard factor differs"
        yield _line(what, wrong, few, 0.05)
    for factors in (3, 4):
        design = Design(DesignKind.FACTORIAL, (2,) * factors)
        value = drawn(design, levels=("1", "2"), factors=factors, responses=asked)
        rng, wrong = np.random.default_rng(37), 0
        for _ in range(few):
            found = analyse(filled(value, list(rng.normal(20, 1, len(value.runs))))).findings
            wrong += any(map(differs, found))
        yield _line(f"2^{factors} of single prints (Lenth): any false difference", wrong, few, 0.05)
    room = replace(response(2, "Room", margin=None), role=Role.COVARIATE)
    value = drawn(Design(DesignKind.PAIRS), repeats=6, responses=(*asked, room))
    rng, wrong = np.random.default_rng(41), 0
    for _ in range(studies):
        warm = rng.normal(20, 3, len(value.runs))
        read = 2 * warm + rng.normal(0, 1, len(value.runs))
        wrong += differs(analyse(filled(filled(value, list(read), 1), list(warm), 2)).findings[0])
    yield _line(
        "6 pairs that follow the room by 6 sd, the room taken out: false difference", wrong, studies, 0.05
    )


def _ladders(studies: int) -> Iterator[tuple[str, str, str, str]]:
    """A level said to hold, 95 % sure, that does not: with one safe print, and with one in each block."""
    from dataclasses import replace

    from tests.builders import drawn, filled, response

    from oddtwin.core.design import Design, DesignKind
    from oddtwin.core.judgement import analyse, ladder_advice

    for levels, edge in ((4, 1), (4, 3), (6, 2), (8, 1), (8, 4), (8, 7)):
        value = drawn(
            Design(DesignKind.LADDER, (levels,)),
            levels=[f"{10 + 10 * place} mm" for place in range(levels)],
            repeats=6,
            responses=(response(1, margin=2.0),),
        )
        place = {arm.id: number for number, arm in enumerate(value.arms)}
        first = min(run.position for run in value.runs if place[run.arm_id] == 0)
        few = replace(value, runs=tuple(r for r in value.runs if place[r.arm_id] or r.position == first))
        for safe, planned in (("one safe print", few), ("a safe print in each block", value)):
            rng, wrong = np.random.default_rng(23), 0
            ordered = sorted(planned.runs, key=lambda run: run.position)
            # From the edge on each level is worse by just the margin: the hardest to tell.
            true = np.array([2.0 * (place[run.arm_id] >= edge) for run in ordered])
            for _ in range(studies // 2):
                made = filled(planned, list(20 + true + rng.normal(0, 1, len(ordered))))
                (curve,) = analyse(made).overall.curves
                advice = ladder_advice(made)
                low = advice.low if advice is not None and advice.low is not None else -1
                held = next((line for line in curve.said if line.startswith("Up to ")), "")
                mean = int(held.split()[2]) // 10 - 1 if held else -1
                wrong += max(low, mean) >= edge
            yield _line(
                f"ladder of {levels}, edge at level {edge + 1}, {safe}: wrongly “holds, 95 % sure”",
                wrong,
                studies // 2,
                0.05,
            )


def _promises(studies: int) -> list[tuple[str, str]]:
    """The largest distance between the chance that a plan claims and how often it happens."""
    rng, found = np.random.default_rng(13), []
    shapes = [
        Shape(QUANTITY, n, n, n, df) for n in (1, 2, 3, 4, 8) for df in (0.0, 2.0, 8.0) if n > 1 or df
    ] + [Shape(QUANTITY, 0, a, b) for a, b in ((2, 2), (2, 6), (4, 4), (6, 6))]
    shapes += [Shape(GRADE, n, n, n) for n in (6, 8, 12)] + [Shape(GRADE, 0, 6, 6)]
    shapes += [Shape(kind, 0, 6, 6) for kind in IN_STEPS if kind is not GRADE]
    from tests.core.test_methods import simulated

    for shape in shapes:
        worst = 0.0
        for difference in (0.0, 1.0, 2.0):
            truth = Truth(difference, 1.0, 1.0)
            promised = method_for(shape).chances(shape, truth)
            ends = method_for(shape).infer_many(
                simulated(shape, truth, 10 * studies, rng), Measure("A", "B", 1.0)
            )
            if promised is None or ends is None:
                continue
            seen = (
                np.mean((ends.low95 > 0) | (ends.high95 < 0)),
                np.mean(ends.low95 >= 1.0),
                np.mean((ends.low90 > -1.0) & (ends.high90 < 1.0)),
            )
            worst = max(worst, *(abs(one - float(other)) for one, other in zip(promised, seen, strict=True)))
        counted = (
            f"{shape.pairs} pairs" if shape.pairs else f"{shape.n_baseline} against {shape.n_change} prints"
        )
        twins = f", twins with {shape.noise_df:g} df" if shape.noise_df else ""
        found.append((f"{shape.kind.value}, {counted}{twins}", f"{worst:.3f}"))
    return found


def _document(
    studies: int,
    rows: Sequence[tuple[str, str, str, str, str]],
    families: Sequence[tuple[str, str, str, str]],
    promises: Sequence[tuple[str, str]],
) -> str:
    error = 100 * math.sqrt(0.05 * 0.95 / studies)
    lines = [
        "# How often the verdict errs",
        "",
        f"Written by `python -m bench.error_rates {studies}`: {studies} simulated studies a line, each "
        "judged as the command `verdict` judges a table, from readings to verdict. A share of 5 % is "
        f"known to ± {2 * error:.1f}. What misses its limit by more than that is marked.",
        "",
        "| truth | counted | % of studies | limit | |",
        "| --- | --- | --- | --- | --- |",
        *(f"| {' | '.join(row)} |" for row in rows),
        "",
        "## Many questions at once",
        "| truth | any false difference, % | limit | |",
        "| --- | --- | --- | --- |",
        *(f"| {' | '.join(row)} |" for row in families),
        "",
        "## What a plan promises, and what happens",
        "Largest distance between the chance claimed and the share seen, over three truths and three claims "
        "(a difference, one beyond the margin, a twin); the limit is .02.",
        "",
        "| prints | distance |",
        "| --- | --- |",
        *(f"| {' | '.join(row)} |" for row in promises),
        "",
    ]
    return "\n".join(lines)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 2000)
