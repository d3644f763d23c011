"""Pictures of readings and of figures of the past: every point inside, told in words, also of odd data."""

import unittest

import numpy as np

from oddtwin.core.calibrate import JOBS, drawn_points, read_rows
from oddtwin.core.picture import Past, Point, history_strip, readings_plot
from oddtwin.core.picture.shapes import Circle, Line, Text

TEXTS = {
    "steps": "commanded,measured\n100,97\n100,98\n",
    "flow-ceiling": "setup,flow,expected_g,weighed_g,skip\na,5,2,1.9,\nb,5,2,1.8,y\n",
    "sizes": "nominal,measured,axis,kind\n20,20.1,x,outside\n10,9.8,x,hole\n",
    "pull": "pair,arm,force\n1,a,30\n1,b,>40\n",
    "motor-skip": "level,held\n1000,y\n2000,n\n",
    "filament": "spool_g,core_g,diameter_mm\n900,200,\n,,1.75\n",
}


class Plots(unittest.TestCase):
    def inside(self, drawing):
        for shape in drawing.shapes:
            if isinstance(shape, Circle):
                self.assertTrue(0 <= shape.x <= drawing.width and 0 <= shape.y <= drawing.height, shape)
            if isinstance(shape, Line):
                for x, y in ((shape.x1, shape.y1), (shape.x2, shape.y2)):
                    self.assertTrue(-1 <= x <= drawing.width + 1 and -1 <= y <= drawing.height + 1, shape)

    def circles(self, drawing):
        return [shape for shape in drawing.shapes if isinstance(shape, Circle)]

    def test_every_reading_is_a_point_where_it_belongs(self):
        points = [Point(1, 10), Point(2, 20), Point(3, 15)]
        drawing = readings_plot(points, ("reading", "mass, g"), 500)
        self.inside(drawing)
        found = self.circles(drawing)
        self.assertEqual(len(found), 3)
        # Further right along, and higher up the larger the reading.
        self.assertTrue(found[0].x < found[1].x < found[2].x)
        self.assertTrue(found[1].y < found[2].y < found[0].y)
        self.assertEqual(drawing.description, "3 readings: mass, g over reading")

    def test_the_first_group_is_a_ring_and_the_others_discs_with_their_names(self):
        drawing = readings_plot([Point(1, 1, "old"), Point(2, 2, "new")], ("x", "y"), 500)
        ring, disc = self.circles(drawing)[:2]
        self.assertGreater(ring.width, 0)
        self.assertEqual(disc.width, 0)
        names = {shape.text for shape in drawing.shapes if isinstance(shape, Text)}
        self.assertTrue({"old", "new"} <= names)

    def test_odd_readings_are_drawn_all_the_same(self):
        rng = np.random.default_rng(1)
        for points in (
            [Point(5, 5)],
            [Point(0, 0), Point(0, 0)],
            [Point(1e9, -1e9), Point(-1e9, 1e9)],
            [Point(float(x), float(y), str(x)[:3]) for x, y in rng.normal(0, 1, (60, 2))],
        ):
            for width in (120.0, 400.0, 1600.0):
                self.inside(readings_plot(points, ("x", "y"), width))

    def test_the_past_stands_in_a_row_with_its_intervals_and_the_newest_is_a_disc(self):
        past = [
            Past("2025-01-01", 400, 398, 402),
            Past("2025-06-01", 410, None, None),
            Past("2026-01-01", 412, 411, 413),
        ]
        drawing = history_strip(past, "steps/mm", 600)
        self.inside(drawing)
        found = self.circles(drawing)
        self.assertEqual([bool(one.width) for one in found], [True, True, False])
        # An interval that nobody knows is not drawn.
        upright = [one for one in drawing.shapes if isinstance(one, Line) and one.x1 == one.x2]
        self.assertEqual(len(upright), 2)
        self.assertIn("the newest 412 steps/mm", drawing.description)
        self.inside(history_strip(past[:1], "", 200))
        many = history_strip([Past("d", float(n), None, None) for n in range(24)], "g", 500)
        self.inside(many)
        # Where there is no room for every date, the first and the last stand there.
        self.assertEqual(sum(isinstance(one, Text) and one.text == "d" for one in many.shapes), 2)

    def test_what_is_drawn_of_each_calibration(self):
        for name, text in TEXTS.items():
            job = next(job for job in JOBS if job.name == name)
            points, labels = drawn_points(job, read_rows(text, job.columns))
            self.assertTrue(points, name)
            self.assertTrue(all(labels), name)
        flow = next(job for job in JOBS if job.name == "flow-ceiling")
        points, labels = drawn_points(flow, read_rows(TEXTS["flow-ceiling"], flow.columns))
        self.assertEqual([round(one.y, 6) for one in points], [5.0, 10.0])
        self.assertEqual(labels, ("flow, mm³/s", "shortfall, %"))
        self.assertEqual([one.group for one in points], ["a", "b"])
        # A cell that is empty gives no point, and none at zero.
        spool = next(job for job in JOBS if job.name == "filament")
        self.assertEqual(len(drawn_points(spool, read_rows(TEXTS["filament"], spool.columns))[0]), 1)

    def test_every_calibration_has_a_picture_of_columns_that_it_has(self):
        for job in JOBS:
            header = ",".join(column.name for column in job.columns)
            cells = [
                "y" if c.kind.name == "YES" else "a" if c.kind.name == "TEXT" else "2" for c in job.columns
            ]
            points, labels = drawn_points(job, read_rows(f"{header}\n{','.join(cells)}\n", job.columns))
            if job.name == "fault":
                # Prints and what they were made with are words: their table is their picture.
                self.assertEqual((points, labels), ([], ("", "")))
                continue
            self.assertTrue(labels[1], job.name)


if __name__ == "__main__":
    unittest.main()
