"""Calibrations against published figures, textbook formulas and simulated readings; and what is refused."""

import json
import math
import unittest

import numpy as np

from oddtwin.core.calibrate import JOBS, CalibrationError, calibration, components_of, result_json
from oddtwin.core.calibrate.fits import curve_of, line_of, mean_of, rising
from oddtwin.core.readings import TableError

BY_NAME = {job.name: job for job in JOBS}


def table(names, rows):
    return "\n".join((names, *(",".join("" if cell is None else str(cell) for cell in row) for row in rows)))


def reckoned(name, names, rows, **options):
    return calibration(BY_NAME[name], table(names, rows), options)


class Published(unittest.TestCase):
    def test_a_line_has_the_certified_figures_of_norris(self):
        # NIST StRD Norris, certified values (read from the file that scipy ships).
        x = [
             0.2, 337.4, 118.2, 884.6, 10.1, 226.5, 666.3, 996.3, 448.6, 777.0, 558.2, 0.4, 0.6, 775.5,
             666.9, 338.0,
             447.5, 11.6, 556.0, 228.1, 995.8, 887.6, 120.2, 0.3, 0.3, 556.8, 339.1, 887.2, 999.0, 779.0,
             11.1, 118.3,
             229.2, 669.1, 448.9, 0.5]  # fmt: skip
        y = [
             0.1, 338.8, 118.1, 888.0, 9.2, 228.1, 668.5, 998.5, 449.1, 778.9, 559.2, 0.3, 0.1, 778.1,
             668.8, 339.3,
             448.9, 10.8, 557.7, 228.3, 998.0, 888.8, 119.6, 0.3, 0.6, 557.6, 339.3, 888.0, 998.5, 778.9,
             10.2, 117.6,
             228.9, 668.4, 449.2, 0.2]  # fmt: skip
        found = line_of(np.array(x), np.array(y))
        for value, certified in (
            (found.intercept, -0.262323073774029),
            (found.slope, 1.00211681802045),
            (found.u_intercept, 0.232818234301152),
            (found.u_slope, 0.000429796848199937),
            (found.sd, 0.884796396144373),
        ):
            self.assertAlmostEqual(value / certified, 1, places=9)

    def test_a_calibration_line_has_the_figures_of_the_guide_to_uncertainty(self):
        # JCGM 100:2008 (GUM) H.3, correction of a thermometer (data from memory, figures by R 4.2.2 lm).
        t = [21.521, 22.012, 22.512, 23.003, 23.507, 23.999, 24.513, 25.002, 25.503, 26.01, 26.511]
        b = [-0.171, -0.169, -0.166, -0.159, -0.164, -0.165, -0.156, -0.157, -0.159, -0.161, -0.16]
        found = line_of(np.array(t) - 20, np.array(b))
        self.assertAlmostEqual(found.intercept, -0.17120379013135, places=10)
        self.assertAlmostEqual(found.slope, 0.00218269773988728, places=10)
        self.assertAlmostEqual(found.at(10), -0.149376812732477, places=10)
        u = found.sd * math.sqrt(1 / found.n + (10 - found.mean) ** 2 / found.spread)
        self.assertAlmostEqual(u, 0.00413859575285495, places=10)

    def test_equal_readings_are_no_surer_than_the_step(self):
        # GUM F.2.2.1: u = 0.29 of the step (from memory).
        self.assertAlmostEqual(mean_of([12.0, 12.0, 12.0], 1.0).u, 0.2886751346, places=9)

    def test_a_gauge_study_has_the_figures_of_the_handbook(self):
        # AIAG Measurement Systems Analysis, 4th ed. (data from memory; figures by R 4.2.2 lm and anova).
        data = np.array([
            [[0.29, -0.56, 1.34, 0.47, -0.8, 0.02, 0.59, -0.31, 2.26, -1.36],
             [0.41, -0.68, 1.17, 0.5, -0.92, -0.11, 0.75, -0.2, 1.99, -1.25],
             [0.64, -0.58, 1.27, 0.64, -0.84, -0.21, 0.66, -0.17, 2.01, -1.31]],
            [[0.08, -0.47, 1.19, 0.01, -0.56, -0.2, 0.47, -0.63, 1.8, -1.68],
             [0.25, -1.22, 0.94, 1.03, -1.2, 0.22, 0.55, 0.08, 2.12, -1.62],
             [0.07, -0.68, 1.34, 0.2, -1.28, 0.06, 0.83, -0.34, 2.19, -1.5]],
            [[0.04, -1.38, 0.88, 0.14, -1.46, -0.29, 0.02, -0.46, 1.77, -1.49],
             [-0.11, -1.13, 1.09, 0.2, -1.07, -0.67, 0.01, -0.56, 1.45, -1.77],
             [-0.15, -0.96, 0.67, 0.11, -1.45, -0.49, 0.21, -0.49, 1.87, -2.16]],
        ])  # fmt: skip
        found = components_of(data)
        self.assertTrue(found.pooled)
        self.assertAlmostEqual(found.p_interaction, 0.9741064043, places=7)
        for value, expected in (
            (found.repeats, 0.1999331797), (found.people, 0.2268375215), (found.gauge, 0.3023715223),
            (found.pieces, 1.042327494), (found.total, 1.085299563),
        ):  # fmt: skip
            self.assertAlmostEqual(value, expected, places=6)
        apart = components_of(data, pool=False)
        self.assertAlmostEqual(apart.repeats, 0.2144346572, places=7)
        self.assertAlmostEqual(apart.gauge, 0.313217407, places=6)
        rows = [
            (piece, person, data[person, trial, piece])
            for person in range(3) for trial in range(3) for piece in range(10)
        ]  # fmt: skip
        result = reckoned("instrument", "piece,person,reading", rows, margin=0.5)
        self.assertAlmostEqual(result.value, 27.86065088, places=5)
        self.assertEqual(result.more["kinds"], 4)
        self.assertIn("cannot see a margin", result.sentence)
        # 1.96 √2 · 0.302 = 0.838; over √n that is below 0.5 from n = 3 on.
        self.assertIn("3 times", result.advice)

    def test_tension_is_that_of_a_vibrating_string(self):
        # Textbook: f = 1/(2L)·√(T/μ). 150 mm of 8.5 g/m at 80 Hz pull 4.896 N.
        result = reckoned(
            "belts", "axis,frequency_hz", [("x", 80), ("x", 80), ("x", 80)], span=150, density=8.5
        )
        self.assertAlmostEqual(result.value, 0.0085 * (2 * 0.15 * 80) ** 2)
        self.assertAlmostEqual(1 / (2 * 0.15) * math.sqrt(result.value / 0.0085), 80)

    def test_on_the_ramp_the_time_is_that_of_uniform_acceleration(self):
        # From rest at 1000 mm/s² the first 5 mm take 0.1 s; then 100 mm/s. The echo begins in the corner.
        result = reckoned("ringing", "distance_mm", [(2.0,), (2.0,)], speed=100, accel=1000)
        self.assertAlmostEqual(result.value, 1 / math.sqrt(2 * 2.0 / 1000))
        self.assertTrue(any("ramp" in line for line in result.warnings))
        # From 4 to 7 mm: one millimetre on the ramp, two behind it.
        late = reckoned("ringing", "distance_mm,from_mm", [(3.0, 4.0)], speed=100, accel=1000)
        self.assertAlmostEqual(late.value, 1 / (0.1 + 0.02 - math.sqrt(2 * 4 / 1000)))
        # Where the ramp is shorter than the echo it is speed over distance (common practice, no source).
        plain = reckoned("ringing", "distance_mm", [(2.0,), (2.0,)], speed=100, accel=5000)
        self.assertAlmostEqual(plain.value, 50.0)

    def test_each_axis_and_place_rings_at_its_own_frequency(self):
        rows = [("x", "", 50), ("x", "", 52), ("y", "", 30), ("y", "rear", 40)]
        found = reckoned("ringing", "axis,place,frequency_hz", rows, speed=100)
        told = [(one["axis"], one["place"], one["frequency_hz"], one["n"]) for one in found.table]
        self.assertEqual(told, [("x", "", 51.0, 2), ("y", "", 30.0, 1), ("y", "rear", 40.0, 1)])
        self.assertIn("the mean of them is that of none", " ".join(found.warnings))
        alone = reckoned("ringing", "axis,frequency_hz", [("x", 50), ("x", 52)], speed=100)
        self.assertNotIn("that of none", " ".join(alone.warnings))

    def test_damping_is_the_logarithmic_decrement(self):
        rows = [(50, echo, 10 * math.exp(-0.5 * echo)) for echo in (1, 2, 3, 4)]
        found = reckoned("ringing", "frequency_hz,echo,strength", rows, speed=100)
        self.assertAlmostEqual(found.more["decrement"], 0.5)
        self.assertAlmostEqual(found.more["damping_ratio"], 0.5 / math.sqrt(4 * math.pi**2 + 0.25))
        self.assertAlmostEqual(found.more["damping_mm"], 4.0)


class Steps(unittest.TestCase):
    def test_new_steps_are_old_times_commanded_over_measured(self):
        # Common practice, no source: 100 mm commanded, 97 in.
        found = reckoned("steps", "commanded,measured", [(100, 97.0), (100, 97.1), (100, 96.9)], old=405.2)
        self.assertAlmostEqual(found.value, 405.2 * 100 / 97, places=3)
        self.assertLess(found.ci95[0], found.value)
        self.assertTrue(found.advice.startswith("set 417.7"), found.advice)

    def test_scatter_is_called_slip_and_not_calibration(self):
        rng = np.random.default_rng(1)
        for _ in range(50):
            # Common practice, no source: a slipping extruder falls short by 20 to 40 % at random.
            short = rng.uniform(20, 40, 8)
            found = reckoned(
                "steps", "commanded,measured", [(100, round(100 - one, 1)) for one in short], old=400
            )
            self.assertTrue(found.advice.startswith("slip"), short)
        for shortfall in (0.5, 3.0, 12.0):
            fed = [(100, round(100 - shortfall + one, 2)) for one in rng.normal(0, 0.3, 6)]
            found = reckoned("steps", "commanded,measured", fed, old=400)
            self.assertFalse(found.advice.startswith("slip"), fed)

    def test_a_shortfall_within_its_scatter_is_left_alone(self):
        found = reckoned("steps", "commanded,measured", [(100, 99.6), (100, 100.3), (100, 100.2)], old=400)
        self.assertTrue(found.advice.startswith("leave 400"), found.advice)

    def test_half_of_what_was_commanded_is_a_gear_and_no_calibration(self):
        found = reckoned("steps", "commanded,measured", [(100, 50.1), (100, 49.9), (100, 50.0)], old=400)
        self.assertIn("gear ratio or microstepping", found.warnings[0])
        drive = {"full_steps": 200, "microsteps": 16, "ratio": 3, "diameter": 11}
        odd = reckoned("steps", "commanded,measured", [(100, 97), (100, 97.1), (100, 97.2)], old=150, **drive)
        self.assertIn("277.8 steps/mm", odd.warnings[0])

    def test_its_interval_holds_in_95_of_100(self):
        rng = np.random.default_rng(2)
        held = 0
        for _ in range(400):
            fed = rng.normal(96.0, 0.4, 5)
            found = reckoned("steps", "commanded,measured", [(100, f"{one:.4f}") for one in fed], old=400)
            held += found.ci95[0] <= 400 / 0.96 <= found.ci95[1]
        self.assertTrue(0.92 <= held / 400 <= 0.98, held / 400)


class Flow(unittest.TestCase):
    NAMES = "setup,flow,expected_g,weighed_g,skip"

    @staticmethod
    def short(flow, ceiling):
        """A shortfall in % that reaches 5 % at its ceiling."""
        return 5.0 * (flow / ceiling) ** 3

    def rows(self, ceiling, rng, name="a", sd=0.3, flows=(6, 9, 12, 15, 18, 21)):
        return [
            (name, flow, 2.0, f"{2.0 * (1 - (self.short(flow, ceiling) + rng.normal(0, sd)) / 100):.4f}", "")
            for flow in flows for _ in range(2)
        ]  # fmt: skip

    def test_the_ceiling_is_found_and_its_interval_holds(self):
        rng = np.random.default_rng(3)
        held, off = 0, []
        for _ in range(200):
            ceiling = float(rng.uniform(12, 18))
            found = reckoned("flow-ceiling", self.NAMES, self.rows(ceiling, rng))
            held += found.ci95[0] <= ceiling <= found.ci95[1]
            off.append(found.value - ceiling)
        self.assertGreaterEqual(held / 200, 0.9)
        self.assertLess(abs(float(np.mean(off))), 0.3)

    def test_two_set_ups_differ_by_what_they_were_made_to(self):
        rng = np.random.default_rng(4)
        held = 0
        for _ in range(100):
            rows = self.rows(12.0, rng, "old") + self.rows(15.0, rng, "new")
            found = reckoned("flow-ceiling", self.NAMES, rows)
            held += found.ci95[0] <= 3.0 <= found.ci95[1]
            self.assertEqual([row["setup"] for row in found.table], ["old", "new"])
        self.assertGreaterEqual(held, 90)
        self.assertAlmostEqual(found.more["ratio"], 1.25, delta=0.1)

    def test_an_extruder_that_skips_has_its_ceiling_there_at_most(self):
        rows = [
            ("a", flow, 2.0, 2.0 - 0.002 * flow, "y" if flow >= 20 else "") for flow in (5, 10, 15, 20, 25)
        ]
        found = reckoned("flow-ceiling", self.NAMES, rows, width=0.45, height=0.2)
        self.assertEqual((found.value, found.table[0]["skip"], found.ci95), (20.0, 20.0, (15.0, 20.0)))
        self.assertIn("skips", found.sentence)
        # Width × height × speed (common practice, no source).
        self.assertAlmostEqual(found.table[0]["speed_mm_s"], 20 / 0.09)

    def test_a_limit_that_is_never_passed_gives_no_figure(self):
        rows = [("a", flow, 2.0, 1.99, "") for flow in (5, 10, 15)]
        told = result_json(reckoned("flow-ceiling", self.NAMES, rows))
        self.assertIsNone(told["value"])
        self.assertIn("up to 15", told["sentence"])
        json.dumps(told, allow_nan=False)

    def test_what_cannot_have_come_out_and_too_few_flows_are_refused(self):
        good = [("a", flow, 2.0, 1.99, "") for flow in (5, 10, 15)]
        for rows, why in (
            ([*good, ("a", 20, 2.0, 2.2, "")], "Line 5: 2.2 g came out"),
            (good[:2], "tried at 2 flows"),
        ):
            with self.assertRaisesRegex(CalibrationError, why):
                reckoned("flow-ceiling", self.NAMES, rows)

    def test_a_scale_too_coarse_for_the_limit_is_told(self):
        rows = [("a", flow, 1.0, 0.9, "") for flow in (5, 10, 15)]
        self.assertIn("steps of 0.1", reckoned("flow-ceiling", self.NAMES, rows).warnings[0])


class Others(unittest.TestCase):
    def test_no_wear_is_said_by_equivalence_only(self):
        same = [(grams, strand) for grams in (0, 500, 1000) for strand in (0.481, 0.482, 0.480)]
        found = reckoned("nozzle-wear", "grams,strand_mm", same)
        self.assertTrue(found.more["no_wear"])
        self.assertIn("No wear is shown beyond 0.020", found.sentence)
        # Two readings that scatter show no wear either, but do not show that there is none.
        few = [(0, 0.46), (0, 0.50), (900, 0.46), (900, 0.51)]
        self.assertIn("is open", reckoned("nozzle-wear", "grams,strand_mm", few).sentence)
        worn = [
            (grams, f"{0.48 + grams * 5e-5 + off:.3f}")
            for grams in (0, 500, 1000)
            for off in (0, 0.002, -0.002)
        ]
        grown = reckoned("nozzle-wear", "grams,strand_mm", worn)
        self.assertAlmostEqual(grown.value, 0.05, delta=0.003)
        self.assertAlmostEqual(grown.more["slope_per_100g"], 0.005, delta=0.0003)
        with self.assertRaisesRegex(CalibrationError, "own first reading"):
            reckoned("nozzle-wear", "grams,strand_mm", [(5, 0.48), (5, 0.48), (5, 0.49)])

    def test_offset_and_scale_are_told_apart_and_holes_do_not_make_outsides_right(self):
        rows = [(n, f"{n * 1.002 + 0.1:.3f}", "x", "outside") for n in (20, 40, 80)]
        rows += [(n, f"{n - 0.25:.3f}", "x", "hole") for n in (5, 10, 20)]
        found = reckoned("sizes", "nominal,measured,axis,kind", rows)
        outside, hole = found.table
        self.assertAlmostEqual(outside["offset_mm"], 0.1, delta=0.002)
        self.assertAlmostEqual(outside["scale"], 1.002, delta=1e-4)
        self.assertAlmostEqual(hole["offset_mm"], -0.25, delta=1e-6)
        self.assertAlmostEqual(found.value, -0.25, delta=1e-6)
        self.assertIn("X hole is off most", found.sentence)
        # 39.7 of 40 mm is 0.75 % under (common practice, no source).
        one = reckoned("sizes", "nominal,measured", [(40, 39.7)])
        self.assertAlmostEqual(one.more["percent"], -0.75)
        self.assertIsNone(one.table[0]["scale"])
        self.assertIn("cannot be told apart", one.warnings[0])
        far = reckoned("sizes", "nominal,measured", [(10, 12.5), (20, 20.1)])
        self.assertIn("more than 20 % off", far.warnings[0])

    def test_skew_is_that_of_a_sheared_square(self):
        shear = math.radians(0.5)
        ends = [math.hypot(50 + sign * 50 * math.sin(shear), 50 * math.cos(shear)) for sign in (1, -1)]
        rows = [
            (50 * math.sqrt(2), f"{end:.6f}", name, "diagonal") for name, end in zip("ab", ends, strict=True)
        ]
        self.assertAlmostEqual(
            reckoned("sizes", "nominal,measured,axis,kind", rows).more["skew_deg"], 0.5, places=3
        )
        with self.assertRaisesRegex(CalibrationError, "both diagonals"):
            reckoned("sizes", "nominal,measured,axis,kind", rows[:1])

    def test_overtones_are_told_within_a_belt_and_between_two(self):
        within = reckoned(
            "belts", "axis,frequency_hz", [("x", 80), ("x", 161), ("x", 81)], span=150, density=8
        )
        self.assertIn("161 Hz is twice", within.warnings[0])
        self.assertAlmostEqual(within.table[0]["frequency_hz"], 80.5)
        between = reckoned("belts", "axis,frequency_hz", [("x", 80), ("y", 160)], span=150, density=8)
        self.assertIn("twice as high", between.warnings[0])
        most = reckoned("belts", "axis,frequency_hz", [("x", 80)], span=150, density=8, most=3)
        self.assertIn("maker’s limit of 3 N", most.warnings[0])
        self.assertIsNone(most.ci95)

    def test_a_long_print_is_foretold_with_its_interval_and_not_beyond_three_times(self):
        rng = np.random.default_rng(6)
        held = 0
        for _ in range(300):
            times = rng.uniform(40, 500, 8)
            rows = [(f"{t:.3f}", f"{8 + 0.8 * t + rng.normal(0, 3):.3f}") for t in times]
            found = reckoned("overhead", "predicted_min,measured_min", rows, **{"for": 600})
            held += found.ci95[0] <= 8 + 0.8 * 600 + rng.normal(0, 3) <= found.ci95[1]
        self.assertTrue(0.92 <= held / 300 <= 0.98, held / 300)
        self.assertIn("Predicted 10.0 h, takes", found.sentence)
        with self.assertRaisesRegex(CalibrationError, "more than three times"):
            reckoned("overhead", "predicted_min,measured_min", rows, **{"for": 5000})
        with self.assertRaisesRegex(CalibrationError, "nearly one length"):
            reckoned("overhead", "predicted_min,measured_min", [(60, 66), (61, 67), (62, 70)])

    def test_airflow_is_compared_at_equal_noise_and_only_where_both_are_as_loud(self):
        names = "setup,setting,noise_db,airflow"
        old = [("old", s, 40 + 5 * s, 2 + s) for s in (1, 2, 3, 4)]
        new = [("new", s, 38 + 5 * s, 2 + s) for s in (1, 2, 3, 4)]
        # At equal settings the airflow is the same; at equal noise the quieter one moves 2/5 more.
        found = reckoned("noise", names, old + new)
        self.assertAlmostEqual(found.value, 0.4)
        with self.assertRaisesRegex(CalibrationError, "do not overlap"):
            reckoned("noise", names, old + [("new", s, 80 + s, s) for s in (1, 2)])
        with self.assertRaisesRegex(CalibrationError, "do not overlap"):
            # The loudest of the one is the quietest of the other: at one noise alone nothing is compared.
            reckoned("noise", names, old + [("new", s, 60 + s, s) for s in (0, 2)])
        crossed = [("new", s, 40 + 5 * s, 7 - s) for s in (1, 2, 3, 4)]
        self.assertNotIn("cross", " ".join(found.warnings))
        falling = reckoned("noise", names, old + [(a, b, c, 0.2 + d * 1.4) for a, b, c, d in crossed[::-1]])
        self.assertIsNotNone(falling.value)

    def test_an_instrument_for_small_things_is_told_as_one_for_large(self):
        rows = [(piece, person, 5 + piece + 0.1 * (person == "ben") + 0.05 * (turn == piece % 2))
                for piece in (1, 2, 3) for person in ("ann", "ben") for turn in (0, 1)]  # fmt: skip
        small = [(piece, person, read / 1000) for piece, person, read in rows]
        told = [reckoned("instrument", "piece,person,reading", some) for some in (rows, small)]
        self.assertAlmostEqual(told[0].value, told[1].value, places=6)

    def test_the_least_level_that_is_not_worse_has_its_certainty(self):
        rows = [(0.2, 3), (0.2, 3), (0.2, 3), (0.4, 0), (0.4, 0), (0.4, 0), (0.8, 0), (0.8, 0), (0.8, 0)]
        found = reckoned("retraction", "level,grade", rows)
        self.assertEqual(found.value, 0.4)
        single = reckoned("temperature", "level,grade", [(200, "clear"), (210, "trace"), (220, "none")])
        self.assertEqual(single.value, 220)
        self.assertIn("graded once", single.warnings[0])

    def test_pass_and_fail_leave_the_limit_between_two_levels(self):
        rows = [(1000, "y")] * 3 + [(2000, "y")] * 3 + [(3000, "n")] * 3
        found = reckoned("motor-skip", "level,held", rows, most=1500)
        self.assertEqual((found.value, found.ci95), (2500.0, (2000.0, 3000.0)))
        self.assertIn("rates it at 1500", found.warnings[0])
        falling = reckoned("fan-power", "level,held", [(40, "y"), (30, "y"), (20, "n")], falling=1)
        self.assertEqual(falling.ci95, (20.0, 30.0))
        odd = reckoned("motor-skip", "level,held", [(1, "y"), (2, "n"), (3, "y")])
        self.assertIn("not sharp", odd.warnings[0])
        with self.assertRaisesRegex(CalibrationError, "already"):
            reckoned("motor-skip", "level,held", [(1, "n"), (2, "n")])

    def test_a_metre_of_filament_weighs_what_its_volume_does(self):
        # 1.75 mm at 1.24 g/cm³: 2.98 g a metre, a kilogram is 335 m (common practice, no source).
        found = reckoned("filament", "spool_g,core_g", [(1200, 200)])
        self.assertAlmostEqual(found.value, 1000)
        self.assertAlmostEqual(found.more["metres"], 335, delta=1)
        strand = reckoned(
            "filament", "diameter_mm,strand_g,strand_mm", [(1.75, 2.98, 1000), (1.75, 2.98, 1000)]
        )
        self.assertAlmostEqual(strand.more["density_g_cm3"], 1.24, delta=0.002)
        with self.assertRaisesRegex(CalibrationError, "less than its empty core"):
            reckoned("filament", "spool_g,core_g", [(150, 200)])

    def test_purge_falls_with_volume_and_not_below_what_the_machine_purges(self):
        rows = [("black", "white", v, t) for v, t in ((100, 3), (200, 2), (300, 1), (400, 0))]
        rows += [("white", "black", v, t) for v, t in ((50, 0.5), (100, 0), (150, 0))]
        found = reckoned("purge-pairs", "from,to,volume,trace", rows, limit=1, minimum=80)
        self.assertEqual(found.value, 300.0)
        self.assertEqual(found.more["matrix"]["white"]["black"], 80.0)
        self.assertIn("less than the machine purges", found.warnings[0])
        never = [("a", "b", v, 3) for v in (100, 200, 300)]
        told = reckoned("purge-pairs", "from,to,volume,trace", never)
        self.assertIsNone(told.value)
        self.assertIn("Not even the largest", told.warnings[0])

    def test_a_layer_time_holds_the_wanted_angle(self):
        rows = [(t, 100, a) for t, a in ((4, 45), (8, 55), (12, 60))] + [
            (t, 50, a) for t, a in ((4, 40), (8, 45), (12, 50))
        ]
        found = reckoned("layer-time", "layer_time_s,fan,onset_deg", rows, angle=55)
        self.assertAlmostEqual(found.value, 8.0)
        self.assertIn("100 % fan", found.sentence)
        never = reckoned("layer-time", "layer_time_s,fan,onset_deg", rows, angle=80)
        self.assertIsNone(never.value)

    def test_forces_beyond_the_gauge_count_as_more(self):
        rows = [(n, "old", 30 + n % 3) for n in range(6)] + [(n, "new", ">40") for n in range(6)]
        found = reckoned("pull", "pair,arm,force", rows)
        self.assertGreater(found.ci95[0], 5)
        self.assertIn("6 forces lie beyond", found.warnings[0])
        hooked = reckoned("pull", "pair,broke", [(n, "old") for n in range(9)] + [(9, "new")])
        # Exact binomial: 2·(1 + 10)/1024 (sign test).
        self.assertAlmostEqual(hooked.more["p"], 22 / 1024)
        for names, rows, why in (
            ("pair,arm,force", [(1, "a", 3), (2, "a", 4)], "there is 1"),
            ("pair,broke", [(1, "a"), (2, "b"), (3, "c")], "there are 3"),
            ("pair,arm,force,broke", [(1, "a", 3, ""), (1, "b", None, "a")], "two tests"),
        ):
            with self.assertRaisesRegex(CalibrationError, why):
                reckoned("pull", names, rows)

    def test_an_instrument_study_wants_every_cell(self):
        rows = [(piece, person, 1.0 + piece) for piece in (1, 2) for person in "ab" for _ in range(2)]
        with self.assertRaisesRegex(CalibrationError, "some readings are missing"):
            reckoned("instrument", "piece,person,reading", rows[:-1])
        with self.assertRaisesRegex(CalibrationError, "two pieces or more"):
            reckoned("instrument", "piece,person,reading", [(1, "a", 2), (1, "a", 3)])
        with self.assertRaisesRegex(CalibrationError, "All readings are the same"):
            reckoned(
                "instrument", "piece,person,reading", [(p, q, 5) for p in (1, 2) for q in "ab" for _ in "xy"]
            )


class Curves(unittest.TestCase):
    def test_curves_that_do_not_fall_are_those_of_scipy(self):
        # Checked with scipy.optimize.isotonic_regression, which pools adjacent violators one curve at a time.
        from scipy.optimize import isotonic_regression

        rng = np.random.default_rng(12)
        for places in (1, 2, 3, 9, 40):
            curves = rng.normal(0, 1, (50, places)) + np.linspace(0, rng.uniform(-2, 4), places)
            weights = rng.uniform(0.5, 6, places)
            one_by_one = [isotonic_regression(curve, weights=weights).x for curve in curves]
            np.testing.assert_allclose(rising(curves, weights), one_by_one, atol=1e-12)
            np.testing.assert_allclose(rising(curves[0], weights), one_by_one[0], atol=1e-12)

    def test_a_curve_does_not_fall_and_crosses_where_a_line_does(self):
        found = curve_of(np.array([1.0, 2.0, 3.0, 4.0]), np.array([0.0, 2.0, 1.0, 5.0]))
        np.testing.assert_allclose(found.y, [0.0, 1.5, 1.5, 5.0])
        self.assertTrue(3 < found.crossing(3.25) < 4)
        self.assertEqual(
            (found.crossing(9.0), found.crossing(-1.0), found.crossing(5.0)), (math.inf, 1.0, 4.0)
        )
        # A parabola through five places: straight pieces would say 2.333.
        bent = curve_of(np.arange(5.0), np.arange(5.0) ** 2)
        self.assertAlmostEqual(bent.crossing(5.0), math.sqrt(5), delta=0.01)


class Refused(unittest.TestCase):
    def test_every_calibration_says_what_it_misses_and_where(self):
        for job in JOBS:
            with self.subTest(job.name):
                options = {option.name: option.usual or 1.0 for option in job.options if option.needed}
                for text in ("", "nothing\n", "\x00,\n1\n", ",".join(one.name for one in job.columns) + "\n"):
                    with self.assertRaises((CalibrationError, TableError)):
                        calibration(job, text, options)
                with self.assertRaisesRegex(CalibrationError, "does not ask for"):
                    calibration(job, "a\n1\n", {**options, "nonsense": 1.0})
                header = ",".join(one.name for one in job.columns)
                for cell in ("x", "1e999", "nan", "-5", "0", "=1+1", "1,2,3", "5 furlongs"):
                    row = ",".join(cell for _ in job.columns)
                    try:
                        found = calibration(job, f"{header}\n{row}\n{row}\n{row}\n", options)
                    except ValueError as error:
                        self.assertTrue(str(error))
                        continue
                    json.dumps(result_json(found), allow_nan=False)

    def test_random_tables_never_end_in_anything_but_a_result_or_a_sentence(self):
        rng = np.random.default_rng(9)
        for job in JOBS:
            options = {option.name: 10.0 for option in job.options if option.needed}
            header = ",".join(one.name for one in job.columns)
            for _ in range(40):
                rows = [
                    ",".join(_cell(column.kind.name, rng) for column in job.columns)
                    for _ in range(int(rng.integers(1, 12)))
                ]
                try:
                    found = calibration(job, "\n".join((header, *rows)), options)
                except (CalibrationError, TableError):
                    continue
                with self.subTest(job.name):
                    json.dumps(result_json(found), allow_nan=False)
                    self.assertTrue(found.sentence.endswith("."))
                    if found.value is not None and found.ci95 is not None:
                        self.assertLessEqual(found.ci95[0], found.ci95[1])

    def test_an_option_that_is_missing_or_cannot_be_is_told(self):
        with self.assertRaisesRegex(CalibrationError, "needs the steps per mm"):
            reckoned("steps", "commanded,measured", [(100, 97)] * 3)
        with self.assertRaisesRegex(CalibrationError, "not ask for “span”; it knows: limit, width, height"):
            reckoned("flow-ceiling", "flow,expected_g,weighed_g", [(6, 2, 2)], span=3)
        with self.assertRaisesRegex(CalibrationError, "it knows: none"):
            reckoned("sizes", "nominal,measured", [(20, 20)], span=3)
        with self.assertRaisesRegex(CalibrationError, "give a number above zero, 100,?000.mm at most"):
            reckoned("belts", "axis,frequency_hz", [("x", 80)], span=-1, density=8)
        rows = [(4, 50, 41), (8, 50, 50), (12, 50, 57)]
        with self.assertRaisesRegex(CalibrationError, "shall hold: give a number above zero, 90° at most"):
            reckoned("layer-time", "layer_time_s,fan,onset_deg", rows, angle=104)
        with self.assertRaisesRegex(CalibrationError, "give 0 to 1[.]"):
            reckoned("motor-skip", "level,held", [(600, "y"), (800, "n")], most=1500, falling=2)


def _cell(kind, rng):
    if kind == "YES":
        return str(rng.choice(["y", "n", ""]))
    if kind == "TEXT":
        return str(rng.choice(["a", "b", "x", "y", "outside", "hole", ""]))
    if kind == "GRADE":
        return str(rng.integers(0, 5))
    return str(rng.choice([f"{rng.uniform(0, 100):.2f}", f"{rng.integers(0, 4)}", "5", ""]))


if __name__ == "__main__":
    unittest.main()
