"""Work on several cores gives what it gave on one, and fails where it failed on one."""

import dataclasses
import threading
import unittest
from unittest import mock

import numpy as np

from oddtwin.core.job import CancelledError, Job
from oddtwin.core.language import is_plain, plainly
from oddtwin.core.parallel import ahead, each
from oddtwin.core.toolpath.gcode import GcodeError, read_gcode
from oddtwin.core.toolpath.motion import Limits, plan, plan_motion
from oddtwin.core.toolpath.sliced import analyse, blocks, layer_figures, reach


def gcode(moves=600):
    """Walls, travels, arcs and pulls, with layers that begin anywhere."""
    rng = np.random.default_rng(8)
    lines = ["M83", "G90", "G1 X10 Y10 Z0.2 F1200"]
    for number in range(moves):
        x, y = rng.uniform(10, 150, 2)
        if number % 97 == 0:
            lines += ["; layer_change", f"G1 Z{0.2 + number / 485:.2f} F600"]
        if number % 11 == 0:
            lines += ["G1 E-0.8 F2400", f"G0 X{x:.2f} Y{y:.2f} F9000", "G1 E0.8 F2400"]
        elif number % 7 == 0:
            lines.append(f"G2 X{x:.2f} Y{y:.2f} R200 E{rng.uniform(0.1, 2):.4f} F3000")
        elif number % 13 == 0:
            # So tight and so fast that the pull to its outside holds it back.
            lines.append(f"G2 I1.5 J0.5 E{rng.uniform(0.1, 2):.4f} F9000")
        else:
            lines.append(f"G1 X{x:.2f} Y{y:.2f} E{rng.uniform(0.1, 2):.4f} F{rng.integers(600, 9000)}")
    return "\n".join(lines).encode() + b"\n"


class Ahead(unittest.TestCase):
    def test_results_come_in_order_and_work_is_done_on_another_thread(self):
        found = list(ahead(lambda item: (item * item, threading.get_ident()), range(20)))
        self.assertEqual([(item, made[0]) for item, made in found], [(k, k * k) for k in range(20)])
        self.assertNotIn(threading.get_ident(), {made[1] for _, made in found})

    def test_no_more_is_asked_for_than_is_worked_on_ahead(self):
        asked = []
        items = ahead(str, (asked.append(k) or k for k in range(50)), waiting=2)
        self.assertEqual([next(items), next(items)], [(0, "0"), (1, "1")])
        self.assertEqual(asked, [0, 1, 2, 3])
        items.close()
        self.assertEqual(asked, [0, 1, 2, 3])

    def test_what_goes_wrong_is_told_after_what_came_before_it(self):
        def items():
            yield from (4, 2)
            raise GcodeError("cut off")

        seen = []
        with self.assertRaisesRegex(GcodeError, "cut off"):
            for item, made in ahead(lambda item: 8 // item, items(), waiting=5):
                seen.append((item, made))
        self.assertEqual(seen, [(4, 2), (2, 4)])
        with self.assertRaises(ZeroDivisionError):
            for _, made in ahead(lambda item: 8 // item, (2, 0, 4)):
                seen.append(made)
        self.assertEqual(seen[2:], [4])

    def test_each_keeps_the_order_and_tells_the_first_failure(self):
        self.assertEqual(each(lambda item: -item, range(100)), [-k for k in range(100)])
        with self.assertRaisesRegex(ValueError, "^3$"):
            each(self._refuse_from_three, range(9))

    def test_what_is_for_programs_is_so_on_the_threads_too(self):
        self.assertFalse(any(each(lambda _: is_plain(), range(4))))
        with plainly():
            self.assertTrue(all(each(lambda _: is_plain(), range(4))))
            self.assertTrue(all(made for _, made in ahead(lambda _: is_plain(), range(4), waiting=2)))

    @staticmethod
    def _refuse_from_three(item):
        if item >= 3:
            raise ValueError(str(item))


class SameAsOneByOne(unittest.TestCase):
    def test_the_first_fault_of_a_file_is_told_however_far_ahead_it_is_read(self):
        chunks = [gcode(50), b"G1 X200000 Y1 E1\n", b"\0\0\n"]
        with self.assertRaisesRegex(GcodeError, "far beyond any printer"):
            read_gcode(chunks)
        lines = gcode(50).count(b"\n")
        with self.assertRaisesRegex(GcodeError, f"after line {lines + 1}: .* binary file"):
            read_gcode([gcode(50), b"\0\0\n"])

    def test_a_plan_does_not_hang_on_where_blocks_begin(self):
        path = read_gcode([gcode()])
        whole = plan_motion(path, Limits())
        for size in (1, 7, 200):
            with mock.patch.object(plan, "BLOCK", size):
                parts = plan_motion(path, Limits())
            for name in ("time", "peak", "steady", "wanted"):
                np.testing.assert_array_equal(getattr(parts, name), getattr(whole, name), f"{name}, {size}")

    def test_figures_do_not_hang_on_where_blocks_begin(self):
        path = read_gcode([gcode()])
        whole = analyse(path)
        expected = layer_figures(whole)
        for size in (13, 200):
            with mock.patch.object(blocks, "BLOCK", size):
                sliced = analyse(path)
                figures = layer_figures(sliced)
                for field in dataclasses.fields(figures):
                    values = getattr(figures, field.name)
                    np.testing.assert_allclose(values, getattr(expected, field.name), rtol=1e-9)
                self.assertAlmostEqual(reach(sliced, 8.0).time_above_flow, reach(whole, 8.0).time_above_flow)
                self.assertEqual(sliced.total.retractions, whole.total.retractions)
                self.assertAlmostEqual(sliced.total.mass_g, whole.total.mass_g)

    def test_a_cancelled_plan_stops(self):
        job = Job(lambda share: None)
        job.cancel()
        with self.assertRaises(CancelledError):
            plan_motion(read_gcode([gcode(100)]), Limits(), job=job)


if __name__ == "__main__":
    unittest.main()
