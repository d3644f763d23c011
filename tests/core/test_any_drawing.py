"""Pictures of any figures, few and many, small and large, stay drawn as was approved.

``APPROVE=1 python -m unittest tests.core.test_any_drawing`` writes what comes out now.
"""

import unittest
from datetime import timedelta

import numpy as np

from oddtwin.core.decide import Verdict
from oddtwin.core.design import Design, DesignKind
from oddtwin.core.effects import Shape, chances_of, limits_of_agreement
from oddtwin.core.judgement import analyse
from oddtwin.core.judgement.overall import Course, CoursePoint, LevelCurve, LevelPoint
from oddtwin.core.picture import (
    DARK,
    GRIDS,
    LIGHT,
    Branch,
    CardText,
    CellMap,
    DayChart,
    Happening,
    Past,
    Placed,
    Point,
    RunLabel,
    SheetRow,
    TrayLine,
    WeighedArm,
    agreement_plot,
    design_picture,
    forest,
    history_strip,
    label_sheets,
    layer_chart,
    plate_picture,
    plate_squares,
    power_curve,
    readings_plot,
    run_sheet,
    study_card,
    timeline,
    to_svg,
    tradeoff_picture,
    tray_pages,
    twin_mark,
    verdict_shares,
)
from oddtwin.core.picture.curve import level_curve, time_course
from oddtwin.core.picture.margins import margin_rows
from oddtwin.core.picture.scale import axis_of, nice_ticks
from oddtwin.core.picture.shapes import clipped
from oddtwin.core.picture.wrapping import fit, wrapped
from oddtwin.core.schedule import Placed as PlacedPrint
from oddtwin.core.schedule import Presence
from oddtwin.core.toolpath.match import LayerDifference
from tests.any_study import any_study
from tests.builders import NOON
from tests.core.stays import Stays, tried

SCALES = (0.01, 1.0, 40.0, 1e5)
WORDS = ("a", "ring that", "was dried", "for two hours", "and then", "printed", "beside", "on Marlow")


def figure(rng, scale):
    return scale * rng.randint(-16, 16) / 8


def words(rng, most=12):
    return " ".join(rng.choices(WORDS, k=rng.randint(1, most)))


def interval(rng, value, scale):
    wide = scale * rng.choice((0.0, 0.125, 2.0))
    return rng.choice(((value - wide, value + wide), (value - wide, value)))


class AnyDrawing(Stays):
    def test_scales(self):
        def draw(rng):
            scale = rng.choice(SCALES)
            values = [figure(rng, scale) for _ in range(rng.choice((1, 2, 9)))]
            axis = axis_of(values, 40.0, rng.choice((90.0, 400.0)))
            low = figure(rng, scale)
            ticks = nice_ticks(low, low + scale * rng.choice((0.0, 0.1, 1.0, 7.3)), rng.choice((2, 5, 8)))
            text, room = words(rng), rng.choice((20.0, 90.0, 300.0))
            fitted = fit(text, room, 11.0), wrapped(text, room, 11.0, rng.choice((1, 2, 4)))
            return axis, [axis.at(one) for one in values], ticks, fitted, clipped(text, room)

        self.made("drawn", "scales", draw, 80, 8)

    def test_points_and_intervals(self):
        def draw(rng):
            scale, width = rng.choice(SCALES), rng.choice((240.0, 520.0, 900.0))
            count = rng.choice((0, 1, 2, 7, 40))
            places = [(figure(rng, scale), figure(rng, 1.0)) for _ in range(count)]
            groups = rng.choice((("",), ("old", "new"), (words(rng), words(rng), "as stored")))
            points = [Point(x, y, rng.choice(groups)) for x, y in places]
            past = [
                Past(f"2026-0{1 + n % 9}-11", y, *((y - 0.5, y + 1.0) if n % 2 else (None, None)))
                for n, (_, y) in enumerate(places[:9])
            ]
            branches = [Branch(words(rng, 6), value, interval(rng, value, scale)) for value, _ in places[:6]]
            whole = Branch("together", 0.5 * scale, (0.0, scale)) if rng.random() < 0.7 else None
            predicted, measured = [x for x, _ in places], [x + y for x, y in places]
            agreed = limits_of_agreement(predicted, measured) if count > 1 else None
            return (
                tried(readings_plot, points, ("minutes", "mass, g"), width),
                tried(history_strip, past, "mm", width),
                tried(forest, branches, whole, interval(rng, 0.0, scale) if whole else None, "min", width),
                agreed and agreement_plot(predicted, measured, agreed, "min", width),
            )

        self.made("drawn", "points", draw, 40, 8)

    def test_levels_and_time(self):
        def draw(rng):
            scale, width = rng.choice(SCALES), rng.choice((260.0, 700.0))
            verdicts = (None, *Verdict)
            levels = tuple(
                LevelPoint(
                    words(rng, 3),
                    rng.choice((None, figure(rng, scale), figure(rng, scale))),
                    rng.choice((None, (-scale, scale / 2))),
                    tuple(figure(rng, scale) for _ in range(rng.choice((0, 1, 4)))),
                    rng.choice((None, float(n), 2.5 * n)),
                    rng.choice(verdicts),
                )
                for n in range(rng.choice((1, 2, 5)))
            )
            ends = (None, 0, len(levels) - 1)
            curve = LevelCurve(
                "Sag", rng.choice(("mm", "")), "Sag", levels, rng.choice((None, scale)),
                rng.choice((None, scale / 4)), (rng.choice(ends), rng.choice(ends)),
                (rng.choice(ends), rng.choice(ends)),
            )  # fmt: skip
            course = Course(
                "Mass",
                "g",
                tuple(
                    CoursePoint(n + 1, figure(rng, scale), rng.random() < 0.5, words(rng, 2))
                    for n in range(rng.choice((1, 3, 12)))
                ),
                rng.choice((None, (scale / 8, scale), (-scale / 8, scale))),
            )
            pairs = rng.choice((1, 4, 12))
            table = chances_of(Shape(pairs=1), rng.choice((0.5, 2.0)), 1.0, range(1, pairs + 1))
            shares = {one: rng.random() for one in rng.sample(list(Verdict), rng.choice((1, 3)))}
            return (
                level_curve(curve, width), time_course(course, width),
                power_curve(table, rng.randint(1, 12), rng.choice(("pairs", "prints")), width),
                verdict_shares(shares, width), [twin_mark(one, rng.choice((12.0, 40.0))) for one in verdicts],
            )  # fmt: skip

        self.made("drawn", "levels", draw, 40, 8)

    def test_plans(self):
        def draw(rng):
            width = rng.choice((320.0, 900.0))
            presence = Presence.parsed(rng.choice(("7-9, 17-23", "0-24", "8-12")), rng.choice(("9-23", "")))
            prints = tuple(
                PlacedPrint(n, 1 + n % 2, at, at + timedelta(minutes=rng.choice((5, 40))),
                            at + timedelta(minutes=rng.choice((60, 300, 1500))), rng.choice((0.0, 30.0)))
                for n in range(rng.choice((1, 4, 9)))
                for at in (NOON + timedelta(hours=7 * n),)
            )  # fmt: skip
            chart = DayChart(
                prints, {1: "Marlow", 2: words(rng, 3)}, {one.key: f"K{one.key}" for one in prints},
                frozenset({0}), presence, width,
            )  # fmt: skip
            boxes = [chart.box(one) for one in prints]
            under = [chart.item_at(x + wide / 2, y + tall / 2) for x, y, wide, tall in boxes]
            happenings = [Happening(words(rng, 2), one.start, one.end, words(rng, 3)) for one in prints]
            pieces = [
                Placed(f"K{n}", n, rng.choice(("front", "back", "")), rng.random() < 0.3, rng.random() < 0.2)
                for n in range(1, rng.choice((2, 3, 6, 12)))
            ]
            levels = rng.choice(((2,), (3,), (2, 2), (2, 2, 2), (4,)))
            kind, centre = rng.choice(list(DesignKind)), rng.choice((0, 2))
            design = Design(kind, levels, control=rng.random() < 0.3, centre_points=centre)
            arms = []
            for n in range(rng.choice((1, 2, 5))):
                x, y = figure(rng, 30.0), figure(rng, 0.5)
                ends = rng.choice((None, (x - 1, x + 1))), rng.choice((None, (y, y + 2)))
                arms.append(WeighedArm(words(rng, 3), x, y, *ends, n == 0, rng.random() < 0.3))
            names = [arm.name for arm in arms]
            return (
                chart.drawing(rng.choice((None, 0))), chart.height, chart.days, boxes, under,
                [chart.at(x) for x, *_ in boxes], tried(timeline, happenings, width),
                tried(plate_squares, pieces, 300.0, 200.0), tried(plate_picture, pieces, 300.0, 200.0),
                tried(design_picture, design),
                tried(tradeoff_picture, arms, ("minutes", "€"), (-1, rng.choice((1, -1))), width, 300.0,
                      rng.sample(names, rng.randint(0, len(names))), rng.choice(("", names[0]))),
            )  # fmt: skip

        self.made("drawn", "plans", draw, 40, 8)

    def test_paper(self):
        def draw(rng):
            count = rng.choice((1, 5, 30))
            labels = [
                RunLabel(f"K{n}", tuple(words(rng, 4) for _ in range(2)), f"oddtwin:{words(rng, 2)}")
                for n in range(count)
            ]
            rows = [SheetRow(*(words(rng, 4) for _ in range(6))) for _ in range(count)]
            lines = [TrayLine(words(rng, 3), words(rng, 6)) for _ in range(count)]
            return (
                tried(label_sheets, labels, rng.choice(GRIDS), rng.choice((1, 3))),
                tried(run_sheet, words(rng), words(rng), rows, rng.choice(((210.0, 297.0), (297.0, 210.0)))),
                tried(tray_pages, words(rng), words(rng), lines, words(rng)),
            )

        self.made("drawn", "paper", draw, 16, 8)

    def test_findings(self):
        # Studies with many cells, and with some.
        studies = iter((4, 6, 9))

        def draw(rng):
            found = analyse(any_study(next(studies)), lambda _: None).findings
            text = CardText(*(words(rng) for _ in range(6)), frozenset(), words(rng, 3))
            maps = []
            for one in found:
                if one.cellwise:
                    shown = CellMap(one)
                    beside = [shown.beside(0, *way) for way in ((1, 0), (0, 1), (-1, 0), (0, -1))]
                    under = [shown.at(x, y, 400.0) for x in (20.0, 120.0, 300.0) for y in (20.0, 60.0)]
                    maps.append((shown.drawing(400.0, 0), beside, under))
            width = rng.choice((300.0, 640.0))
            card = study_card(text, found)
            return margin_rows(found, width), maps, card, [to_svg(card, one) for one in (LIGHT, DARK)]

        self.made("drawn", "findings", draw, 3, 8)

    def test_layers(self):
        def draw(rng):
            count = rng.choice((1, 3, 60))
            rows = [
                LayerDifference(
                    words(rng, 2), rng.choice(("s", "g")), 0.2 * np.arange(1.0, count + 1),
                    np.array([abs(figure(rng, 1.0)) for _ in range(count)]),
                    np.array([abs(figure(rng, rng.choice((1.0, 50.0)))) for _ in range(count)]),
                )
                for _ in range(rng.choice((1, 3)))
            ]  # fmt: skip
            return tried(layer_chart, rows, rng.choice((300.0, 700.0)))

        self.made("drawn", "layers", draw, 24, 8)


if __name__ == "__main__":
    unittest.main()
