"""Pictures of plans: all of them inside their sheets, and silent about the arm where they must be."""

import dataclasses
import unittest
from datetime import datetime, timedelta

from oddtwin.core.decide import Verdict
from oddtwin.core.design import Design, DesignKind
from oddtwin.core.effects import Shape, chances_of
from oddtwin.core.outlook import labels_of, placed_of, sheet_rows, slots_of, workload_of
from oddtwin.core.picture import (
    GRIDS,
    LIGHT,
    Circle,
    DayChart,
    Line,
    Rect,
    RunLabel,
    Text,
    design_picture,
    label_sheets,
    power_curve,
    run_sheet,
    to_svg,
    verdict_shares,
)
from oddtwin.core.schedule import Presence, make_timetable
from oddtwin.core.study import Machine
from tests.core.test_outlook import drawn, factors


class InSheet(unittest.TestCase):
    def check(self, drawing, slack=1.0):
        """Every shape lies on the sheet, and the drawing can be written as SVG."""
        for shape in drawing.shapes:
            if isinstance(shape, Line):
                points = [(shape.x1, shape.y1), (shape.x2, shape.y2)]
            elif isinstance(shape, Rect):
                points = [(shape.x, shape.y), (shape.x + shape.width, shape.y + shape.height)]
            elif isinstance(shape, Circle):
                points = [(shape.x - shape.radius, shape.y - shape.radius),
                          (shape.x + shape.radius, shape.y + shape.radius)]  # fmt: skip
            else:
                width = 0.6 * shape.size * len(shape.text)
                start = {"start": 0.0, "middle": -width / 2, "end": -width}[shape.anchor]
                points = [(shape.x + start, shape.y - shape.size * 0.7)]
            for x, y in points:
                self.assertTrue(-slack <= x <= drawing.width + slack, shape)
                self.assertTrue(-slack <= y <= drawing.height + slack, shape)
        self.assertTrue(drawing.description)
        self.assertIn("<svg", to_svg(drawing, LIGHT))

    def texts(self, drawing):
        return [shape.text for shape in drawing.shapes if isinstance(shape, Text)]


class Designs(InSheet):
    def test_every_design_has_a_picture(self):
        for kind, levels in (
            (DesignKind.PAIRS, (2,)),
            (DesignKind.LADDER, (8,)),
            (DesignKind.CHAIN, (2, 2, 2)),
            (DesignKind.FACTORIAL, (3, 3, 2)),
            (DesignKind.FRACTION, (2,) * 7),
            (DesignKind.CROSSOVER, (2, 2)),
            (DesignKind.SPLIT_PLOT, (2, 3)),
        ):
            with self.subTest(kind):
                picture = design_picture(Design(kind, levels, fraction_p=4))
                self.check(picture)
                rings = [s for s in picture.shapes if isinstance(s, Circle) and s.role == "baseline"]
                self.assertTrue(rings)

    def test_the_height_tells_the_arm(self):
        picture = design_picture(Design(DesignKind.LADDER, (4,)))
        heights = {round(shape.y) for shape in picture.shapes if isinstance(shape, Circle)}
        self.assertEqual(len(heights), 4)


class Chances(InSheet):
    def test_the_curve_rises_and_marks_the_plan(self):
        table = chances_of(Shape(pairs=1), 0.6, 1.0, range(1, 13))
        curve = power_curve(table, 5, "pairs", 800.0)
        self.check(curve)
        found = [s for s in curve.shapes if isinstance(s, Circle) and s.role == "change"][:-1]
        # One pair allows no test, so eleven points; higher chances lie higher up.
        self.assertEqual(len(found), 11)
        self.assertEqual([s.y for s in found], sorted((s.y for s in found), reverse=True))
        self.assertTrue(any(isinstance(s, Rect) and s.role == "accent_soft" for s in curve.shapes))
        self.assertFalse(any(isinstance(s, Rect) for s in power_curve(table, 40, "pairs", 800.0).shapes))

    def test_bars_are_as_long_as_the_shares(self):
        shares = {Verdict.ODD_BETTER: 0.5, Verdict.UNDECIDED: 0.25, Verdict.TWIN: 0.25}
        drawing = verdict_shares(shares, 600.0)
        self.check(drawing)
        bars = [s.width for s in drawing.shapes if isinstance(s, Rect) and s.role != "sunken"]
        self.assertAlmostEqual(bars[0], 2 * bars[1])
        self.assertIn("50 %", self.texts(drawing))


class DaysOfPrinting(InSheet):
    def chart(self, width=900.0):
        value = drawn(made=factors("part", minutes=30.0), repeats=3)
        made = make_timetable(workload_of(value, datetime(2026, 11, 30)), 1.0)
        codes = {run.id: run.code for run in value.runs}
        presence = Presence.parsed(value.rates.weekdays, value.rates.weekend)
        pinned = frozenset({made.placed[0].key})
        return value, made, DayChart(made.placed, {1: "Marlow"}, codes, pinned, presence, width)

    def test_moments_and_places_are_each_others_reverse(self):
        _, made, chart = self.chart()
        for item in made.placed:
            self.assertLess(abs(chart.at(chart.x(item.start)) - item.start), timedelta(minutes=5))
            left, top, width, height = chart.box(item)
            self.assertEqual(chart.item_at(left + width / 2, top + height / 2), item)
        self.assertIsNone(chart.item_at(2.0, 2.0))

    def test_nothing_on_the_chart_tells_the_arm(self):
        value, _, chart = self.chart()
        for width in (300.0, 900.0, 2000.0):
            drawing = dataclasses.replace(chart, width=width).drawing(chart.placed[1].key)
            self.check(drawing, slack=12.0)
            words = " ".join(self.texts(drawing))
            for arm in value.arms:
                self.assertNotIn(arm.name, words)
            fills = {s.role for s in drawing.shapes if isinstance(s, Rect) and s.height == 30.0}
            self.assertEqual(fills, {"accent"})

    def test_kept_times_give_the_same_chart_back(self):
        value, made, _ = self.chart()
        slots = slots_of(value, made, {made.placed[0].key})
        runs = tuple(run.with_plate(slot=slots[run.id]) for run in value.runs)
        again = placed_of(dataclasses.replace(value, runs=runs))
        self.assertEqual(again, made.placed)
        self.assertEqual(placed_of(value), ())


class Paper(InSheet):
    def test_labels_never_tell_the_arm(self):
        for value in (
            drawn(),
            drawn(DesignKind.FACTORIAL, ("a", "b"), options={"copies": 4}),
            drawn(
                made=(dataclasses.replace(factors("machine", kind="machine")[0], levels=tuple(
                    dataclasses.replace(level, value=name)
                    for level, name in zip(factors("m")[0].levels, ("Marlow", "Tessel"), strict=True))),),
                machines={1: Machine(1, "Marlow"), 2: Machine(2, "Tessel")},
            ),
        ):  # fmt: skip
            for label in labels_of(value):
                words = " ".join((label.code, *label.lines, label.link))
                for arm in value.arms:
                    self.assertNotIn(arm.name, words)
                self.assertNotIn("Tessel", words)
                self.assertIn(label.code, label.link)

    def test_sheets_hold_as_many_as_they_should(self):
        labels = [RunLabel(f"K{n}M", ("Lamp ring · Marlow", "block 1", "A long name " * 5), f"run {n}")
                  for n in range(50)]  # fmt: skip
        for grid in GRIDS:
            with self.subTest(grid.name):
                sheets = label_sheets(labels, grid)
                self.assertEqual(len(sheets), -(-50 // grid.each))
                for sheet in sheets:
                    self.check(sheet)
                codes = [text for sheet in sheets for text in self.texts(sheet) if text.startswith("K")]
                self.assertEqual(codes, [label.code for label in labels])
                # A sheet that is partly used begins further on.
                self.assertEqual(len(label_sheets(labels, grid, grid.each)), 1 + -(-49 // grid.each))

    def test_labels_do_not_reach_into_their_neighbours(self):
        grid = GRIDS[0]
        first = label_sheets([RunLabel("K7M", ("Ring",), "x")], grid)[0]
        for shape in first.shapes:
            right = shape.x + shape.width if isinstance(shape, Rect) else getattr(shape, "x", 0)
            self.assertLessEqual(right, grid.label_width_mm * 72 / 25.4)

    def test_the_qr_code_is_the_one_of_the_library(self):
        import segno

        sheet = label_sheets([RunLabel("K7M", (), "odd-twin run K7M")], GRIDS[2])[0]
        matrix = segno.make("odd-twin run K7M", error="m", micro=False).matrix
        squares = [s for s in sheet.shapes if isinstance(s, Rect)]
        step = min(s.height for s in squares) / 1.02
        dark = sum(round(s.width / step) for s in squares)
        self.assertEqual(dark, sum(sum(line) for line in matrix))

    def test_one_page_for_each_machine_whatever_the_number_of_runs(self):
        for repeats in (1, 6, 30):
            value = drawn(made=factors("part", kind="part", disturbs="nozzle", minutes=20.0), repeats=repeats)
            (rows,) = sheet_rows(value).values()
            self.assertEqual([row.code for row in rows], [run.code for run in value.runs])
            page = run_sheet("Marlow", "Trial", rows, (210.0, 297.0))
            self.check(page, slack=3.0)
            words = " ".join(self.texts(page))
            self.assertIn("judge by the codes alone", words)
            self.assertIn("smoke", words)
        self.assertTrue(any("Z offset" in row.checks for row in rows))
        self.assertTrue(any("part: high" in row.set_up for row in rows))

    def test_pieces_that_share_a_plate_have_one_number_and_one_set_up(self):
        value = drawn(
            options={"copies": 3},
            made=factors("part", kind="part", disturbs="nozzle", minutes=20.0),
            repeats=2,
        )
        (rows,) = sheet_rows(value).values()
        plates = [rows[start : start + 3] for start in range(0, len(rows), 3)]
        self.assertEqual([first.number for first, *_ in plates], [str(n + 1) for n in range(len(plates))])
        for first, *others in plates:
            self.assertIn("part:", first.set_up)
            self.assertEqual([(row.number, row.set_up) for row in others], [("", "")] * 2)
            self.assertIn("place 1", first.piece)
        self.assertEqual(len(labels_of(value)), len(value.runs), "one for each piece")
