"""Reading and planning against the plainest Python: one line, then one move, at a time."""

import math
import random
import unittest

import numpy as np

from oddtwin.core.toolpath.gcode import GcodeError, parse_line, read_gcode
from oddtwin.core.toolpath.motion import Limits, plan_motion
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid


def plain_moves(text):
    """Follow a file without arcs and homing: ends, filament and speed of every move."""
    place = dict.fromkeys("XYZE", 0.0)
    offset = dict.fromkeys("XYZ", 0.0)
    relative, relative_e, unit, feed, motion, flow, speed = False, None, 1.0, 25.0, "G1", 1.0, 1.0
    moves = []
    for line in text.split("\n"):
        for command in parse_line(line.encode()).commands:
            name, words = command.name, command.words
            if name in ("G90", "G91"):
                relative = name == "G91"
            elif name in ("M82", "M83"):
                relative_e = name == "M83"
            elif name in ("G20", "G21"):
                unit = 25.4 if name == "G20" else 1.0
            elif name == "M221":
                flow = words["S"] / 100
            elif name == "M220":
                speed = words["S"] / 100
            elif name == "G92":
                for axis, value in words.items() if words else dict.fromkeys("XYZE", 0.0).items():
                    if axis != "E":
                        offset[axis] += place[axis] - value * unit
                    place[axis] = value * unit
            elif name in ("G0", "G1", ""):
                motion = name or motion
                before = dict(place)
                driven = 0.0
                for axis, value in words.items():
                    if axis == "F" and value > 0:
                        feed = value * unit / 60
                    if axis in "XYZ":
                        place[axis] = place[axis] + value * unit if relative else value * unit
                    if axis == "E":
                        steps = relative if relative_e is None else relative_e
                        driven = value * unit if steps else value * unit - place["E"]
                        place["E"] += driven
                away = math.dist([before[axis] for axis in "XYZ"], [place[axis] for axis in "XYZ"])
                if away or driven:
                    ends = [place[axis] + offset[axis] for axis in "XYZ"]
                    moves.append((*ends, driven * flow, feed * speed))
    return np.array(moves)


def plain_time(moves, limits):
    """Plan moves one after another, by the rules as they stand in the textbook."""
    here, unit_vectors, lengths, tops, powers = (0.0, 0.0, 0.0), [], [], [], []
    for x, y, z, e, feed in moves.tolist():
        step = (x - here[0], y - here[1], z - here[2])
        away = math.sqrt(sum(part * part for part in step))
        vector = (*(part / away for part in step), 0.0) if away else (0.0, 0.0, 0.0, math.copysign(1, e))
        power = (
            limits.acceleration
            if e and away
            else limits.travel_acceleration
            if away
            else limits.retract_acceleration
        )
        top = feed
        shares = (*vector[:3], e / away if away else vector[3])
        for part, speed, most in zip(shares, limits.max_speed, limits.max_acceleration, strict=True):
            if part:
                top, power = min(top, speed / abs(part)), min(power, most / abs(part))
        unit_vectors.append(vector)
        lengths.append(away or abs(e))
        tops.append(top)
        powers.append(power)
        here = (x, y, z)
    corner = [0.0]
    for k in range(1, len(lengths)):
        turn = [b - a for a, b in zip(unit_vectors[k - 1], unit_vectors[k], strict=True)]
        allowed = math.inf
        if limits.junction_deviation is None:
            for part, jerk in zip(turn, limits.jerk, strict=True):
                if part:
                    allowed = min(allowed, (jerk / abs(part)) ** 2)
        else:
            cosine = -sum(a * b for a, b in zip(unit_vectors[k - 1], unit_vectors[k], strict=True))
            sine = math.sqrt(max(0.0, (1 - cosine) / 2))
            if sine < 1:
                allowed = powers[k] * limits.junction_deviation * sine / (1 - sine)
        corner.append(min(tops[k - 1] ** 2, tops[k] ** 2, allowed))
    corner.append(0.0)
    room = [2 * a * d for a, d in zip(powers, lengths, strict=True)]
    for k in range(len(room)):
        corner[k + 1] = min(corner[k + 1], corner[k] + room[k])
    for k in range(len(room) - 1, -1, -1):
        corner[k] = min(corner[k], corner[k + 1] + room[k])
    times = []
    for k, (length, top, power) in enumerate(zip(lengths, tops, powers, strict=True)):
        first, last = corner[k], corner[k + 1]
        peak = max(min(top**2, (first + last + room[k]) / 2), first, last)
        ramps = (2 * math.sqrt(peak) - math.sqrt(first) - math.sqrt(last)) / power
        times.append(ramps + max(0.0, length - (2 * peak - first - last) / (2 * power)) / math.sqrt(peak))
    return np.array(times)


class Plain(unittest.TestCase):
    MODES = (
        "G90",
        "G91",
        "M82",
        "M83",
        "G20",
        "G21",
        "G92 E0",
        "G92 X5 Y-3",
        "G92",
        "M221 S95",
        "M220 S50",
        "M221 S100",
    )

    def mixed(self, dice):
        """A file in which every mode changes at any place."""
        lines = []
        for _ in range(dice.randint(20, 400)):
            if dice.random() < 0.15:
                lines.append(dice.choice(self.MODES))
                continue
            words = [f"{axis}{dice.uniform(-9, 9):.3f}" for axis in "XYZE" if dice.random() < 0.5]
            if dice.random() < 0.2:
                words.append(f"F{dice.randint(300, 9000)}")
            if words:
                lines.append(
                    " ".join([dice.choice(["G1", "G0", "G1"]), *words]) if dice.random() < 0.9 else words[0]
                )
        return "\n".join([*lines, "M83", "G1 X50 E5 F1200"]) + "\n"

    def test_moves(self):
        dice = random.Random(8)
        for _ in range(60):
            text = self.mixed(dice)
            expected = plain_moves(text)
            raw = text.encode()
            cut = dice.randint(1, len(raw) - 1)
            path = read_gcode([raw[:cut], raw[cut:]])
            found = np.column_stack(
                (path.x, path.y, path.z, path.e, path.feed * path.per_move("speed_factor"))
            )
            np.testing.assert_allclose(found, expected, rtol=1e-9, atol=1e-9)

    def test_times(self):
        limits = Limits(
            acceleration=1500,
            travel_acceleration=2500,
            retract_acceleration=900,
            max_speed=(150, 120, 10, 30),
            max_acceleration=(1400, 2000, 80, 700),
        )
        texts = [
            slice_solid(Solid(height=0.6, lean_deg=9), Recipe()).text.replace("M204", ";"),
            self.mixed(random.Random(3)),
        ]
        texts[0] = "\n".join(
            line for line in texts[0].split("\n") if line[:3] not in ("G28", "M10", "M19", "T0")
        )
        for text in texts:
            for deviation in (None, 0.02):
                some = Limits(
                    **{**{f: getattr(limits, f) for f in limits.__slots__}, "junction_deviation": deviation}
                )
                path = read_gcode([text.encode()])
                times = plan_motion(path, some).time
                np.testing.assert_allclose(times, plain_time(plain_moves(text), some), rtol=1e-9, atol=1e-12)


class Damage(unittest.TestCase):
    LINES = (
        "G28", "G92", "G91", "G20", "G2 X5 Y5 R1 E1", "G3 I1 J0", "G2 X1 Y1 I0 J0", "G10", "G11", "M207 S2",
        "T1", "T99", "M220 S0", "M221 S0.001", "M204 P0.0001", "M203 X0.00001", "M205 X0.0001 J0.0001",
        "G4 P-5", "G4 S1e9", "M106 Snan", "G1", "G1 F0", "G1 F1e-9 X3 E.1", "Y3", "; layer 5",
        "; type: ???", "; thumbnail begin", "; a = b", "G1 E-100", "*33", "N", "(((", "G1 X(5)",
        "\xff junk é", "G1 X5 Y", "G1 E1e-9", "G1 Z-50",
    )  # fmt: skip

    def test_damaged_files_are_read_or_refused_with_a_sentence(self):
        dice = random.Random(1)
        pieces = [
            slice_solid(solid, Recipe()).text.splitlines()
            for solid in (
                Solid(height=0.4),
                Solid(height=0.4, round=True),
                Solid(height=0.6, colours=3, band_layers=1),
            )
        ]
        read = 0
        for _ in range(40):
            lines = list(dice.choice(pieces))
            for _ in range(dice.randint(1, 30)):
                place = dice.randrange(len(lines))
                if dice.random() < 0.6:
                    lines.insert(place, dice.choice(self.LINES))
                else:
                    letters = list(lines[place] or " ")
                    letters[dice.randrange(len(letters))] = dice.choice("XYZEF0123.-; ()*GMTe\x01\t")
                    lines[place] = "".join(letters)
            try:
                path = read_gcode(["\n".join(lines).encode("latin-1", "replace")])
            except GcodeError as error:
                self.assertRegex(str(error), r"[a-z]{3}")
                continue
            read += 1
            plan = plan_motion(path, Limits(acceleration=dice.choice([1e-3, 1000.0])))
            self.assertTrue(np.isfinite(plan.time).all() and (plan.time >= 0).all())
        self.assertGreater(read, 25)
