"""A plain counter of its own against the reader, over files that are written in a dozen dialects.

The counter knows one dialect, reads it line by line and shares nothing with the reader: no table, no
parser, no arithmetic. Every dialect is the same print written otherwise, so the figures must be the same.
"""

import math
import random
import unittest

from oddtwin.core.toolpath.gcode import read_gcode
from oddtwin.core.toolpath.sliced import analyse
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid

FILAMENT = math.pi / 4 * 1.75**2
SPOKEN = {
    "Outer wall": ("wall outer", "External perimeter", "outer loop", "OuterInset"),
    "Inner wall": ("wall inner", "Perimeter", "inner loop", "InnerInset"),
    "Sparse infill": ("fill", "Internal infill", "cellular", "SparseInfill"),
    "Skirt": ("skirt", "Skirt", "skirt", "Skirt"),
    "Prime tower": ("prime tower", "Wipe tower", "tower", "PurgeTower"),
}


def count(text):
    """Count what a file in the specimen's own dialect takes: moves, path, travel and filament by tool."""
    at, tool, feature = [0.0, 0.0, 0.0], 0, ""
    path, travel, pulls, pulled = 0.0, 0.0, 0, False
    laid, by_feature, owed, layers = {}, {}, {}, 0
    for line in text.splitlines():
        if line.startswith("; layer "):
            layers += 1
        elif line.startswith("; feature: "):
            feature = line[len("; feature: ") :]
        elif line[:1] == "T":
            tool = int(line[1:])
        elif line[:3] in ("G0 ", "G1 "):
            words = {word[0]: float(word[1:]) for word in line.split()[1:]}
            there = [words.get(axis, old) for axis, old in zip("XYZ", at, strict=True)]
            length, push = math.dist(at, there), words.get("E", 0.0)
            at = there
            if push > 0:
                path += length
            else:
                travel += length
            if push < 0:
                pulls += not pulled
            pulled = push < 0 if push else pulled
            # What was pulled back is given back first, and only the rest leaves the nozzle.
            left = owed.get(tool, 0.0)
            owed[tool] = max(0.0, left - push)
            out = max(0.0, push - left)
            laid[tool] = laid.get(tool, 0.0) + out
            if length:
                by_feature[feature] = by_feature.get(feature, 0.0) + out
    return path, travel, pulls, laid, by_feature, layers


def absolute(lines):
    """Filament as a counter that is set back now and then, and unwound at every change of tool."""
    total, out = 0.0, []
    for line in lines:
        words = line.split()
        if line == "M83":
            out += ["M82", "G92 E0"]
        elif line[:3] in ("G0 ", "G1 ") and words[-1][0] != "F" and " E" not in line:
            out.append(line)
        elif " E" in line and line[:2] in ("G0", "G1"):
            total += next(float(word[1:]) for word in words if word[0] == "E")
            out.append(" ".join(f"E{total:.5f}" if word[0] == "E" else word for word in words))
        else:
            out.append(line)
            if line.startswith("; layer"):
                out.append("G92 E0")
                total = 0.0
    return out


def stepped(lines):
    """Positions as steps from the last one."""
    at, out = {"X": 0.0, "Y": 0.0, "Z": 0.0}, []
    for line in lines:
        if line == "G90":
            out.append("G91")
        elif line[:3] in ("G0 ", "G1 "):
            words = []
            for word in line.split():
                if word[0] in at:
                    value = float(word[1:])
                    words.append(f"{word[0]}{value - at[word[0]]:.4f}")
                    at[word[0]] = value
                else:
                    words.append(word)
            out.append(" ".join(words))
        else:
            out.append(line)
    return out


def inches(lines):
    out = []
    for line in lines:
        if line == "G21":
            out.append("G20")
        elif line[:3] in ("G0 ", "G1 "):
            parts = line.split()
            out.append(" ".join([parts[0], *(f"{one[0]}{float(one[1:]) / 25.4:.9f}" for one in parts[1:])]))
        else:
            out.append(line)
    return out


def spoken(which):
    """Features by other names and marks."""
    marks = (";TYPE:{}", ";TYPE:{}", "(<{}>)", "; segmentType:{}")

    def write(lines):
        out = []
        for line in lines:
            name = line.removeprefix("; feature: ")
            if name != line:
                out.append(marks[which].format(SPOKEN[name][which]))
            elif line.startswith("; layer "):
                number = line.split()[2].strip(",")
                out.append(
                    (f";LAYER:{number}", ";LAYER_CHANGE", f"(<layer> {number} )", f"; layer {number}")[which]
                )
            else:
                out.append(line)
        return out

    return write


def behind(lines):
    """Features behind every move, and on no line of their own."""
    out, feature = [], ""
    for line in lines:
        if line.startswith("; feature: "):
            feature = SPOKEN[line.removeprefix("; feature: ")][1].lower()
        elif line[:3] == "G1 " and feature and " E" in line and "X" in line:
            out.append(f"{line} ; {feature}")
        elif line[:3] == "G0 ":
            out.append(f"{line} ; move to the next line")
        else:
            out.append(line)
    return out


def states(lines):
    """A macro after every layer that does as it likes between saving and putting back."""
    out = []
    for line in lines:
        out.append(line)
        if line.startswith("; layer ") and not line.startswith("; layer 0"):
            out += ["SAVE_GCODE_STATE NAME=photo", "G91", "M82", "M220 S300", "M221 S55"]
            out += [
                "RESTORE_GCODE_STATE NAME=photo MOVE=1",
                "M117 layer G1 X99 E99",
                "M220 B",
                "M220 S20",
                "M220 R",
            ]
    return out


def noisy(lines):
    dice = random.Random(7)
    said = (
        "M117 G91 done M221 S50",
        "M118 E1 T1 G92 E0",
        "M73 P4 R9",
        "M486 AT1 G91",
        "; hello, world",
        "",
        "M105",
    )
    out = []
    for line in lines:
        out += [line] if dice.random() < 0.9 else [line, dice.choice(said)]
    return out


def numbered(lines):
    return [f"N{k} {line}*{k % 255}" if line[:1] not in (";", "T") else line for k, line in enumerate(lines)]


DIALECTS = {
    "as it is": list,
    "absolute filament": absolute,
    "relative positions": stepped,
    "inches": inches,
    "features named as types": spoken(0),
    "as perimeters": spoken(1),
    "in tags": spoken(2),
    "in segments": spoken(3),
    "behind moves": behind,
    "states saved and put back": states,
    "text and progress": noisy,
    "numbered lines": numbered,
    "small letters": lambda lines: [line if line[:1] in ";(" else line.lower() for line in lines],
    "no blanks": lambda lines: [line if line[:1] in ";(" else line.replace(" ", "") for line in lines],
}
BOTH = {
    "behind moves": "absolute filament",
    "states saved and put back": "as perimeters",
    "in tags": "inches",
}


class Counter(unittest.TestCase):
    SOLIDS = (
        (Solid(height=1.2), Recipe()),
        (Solid(height=1.0, lean_deg=12), Recipe(walls=3)),
        (Solid(height=1.6, colours=2, band_layers=2), Recipe(purge_volume=70)),
    )

    def compare(self, text, written, name, rough=1e-6):
        path, travel, pulls, laid, by_feature, layers = count(text)
        sliced = analyse(read_gcode([written.encode()]))
        total = sliced.total
        self.assertAlmostEqual(total.path_mm, path, delta=rough * path, msg=name)
        self.assertAlmostEqual(total.travel_mm, travel, delta=max(rough, 1e-4) * travel, msg=name)
        self.assertEqual(total.retractions, pulls, name)
        self.assertEqual(sliced.path.layers, layers, name)
        found = {tool: tally.filament_mm for tool, tally in sliced.by_tool().items() if tally.filament_mm}
        self.assertEqual(found.keys(), {tool for tool, out in laid.items() if out}, name)
        for tool, out in found.items():
            self.assertAlmostEqual(out, laid[tool], delta=max(rough, 1e-4) * laid[tool], msg=(name, tool))
        theirs = sorted(round(out) for out in by_feature.values() if out)
        ours = sorted(
            round(tally.filament_mm) for feature, tally in sliced.by_feature().items() if tally.path_mm
        )
        self.assertEqual(ours, theirs, name)

    def test_every_dialect_gives_the_same_figures(self):
        for solid, recipe in self.SOLIDS:
            text = slice_solid(solid, recipe).text
            lines = text.splitlines()
            for name, write in DIALECTS.items():
                with self.subTest(name, solid=solid.height):
                    self.compare(
                        text, "\n".join([*write(lines), ""]), name, 1e-4 if name == "inches" else 1e-6
                    )

    def test_two_dialects_at_once(self):
        text = slice_solid(*self.SOLIDS[2]).text
        for first, second in BOTH.items():
            with self.subTest(first):
                written = DIALECTS[second](text.splitlines())
                if first != "in tags":
                    written = DIALECTS[second](DIALECTS[first](text.splitlines()))
                else:
                    written = DIALECTS[first](written)
                self.compare(text, "\n".join([*written, ""]), first, 1e-4)

    def test_arcs_and_spirals(self):
        """Arcs in the place of circles' corners are as long as the circle (NISTIR 6556, from memory)."""
        radius, rise, turns = 12.0, 0.2, 20
        lines = ["M83", "G1 X12 Y0 Z0.2 F1800"]
        flat = [f"G2 X12 Y0 I-12 J0 Z{0.2 + rise * (k + 1):.2f} E3" for k in range(turns)]
        halves = []
        for k in range(turns):
            halves += [
                f"G2 X-12 Y0 R12 Z{0.3 + rise * k:.2f} E1.5",
                f"G2 X12 Y0 R12 Z{0.4 + rise * k:.2f} E1.5",
            ]
        once = [f"G2 X12 Y0 I-12 J0 P{turns - 1} Z{0.2 + rise * turns:.2f} E{3 * turns}"]
        chords = []
        for k in range(1, turns * 720 + 1):
            angle = -math.pi * k / 360
            place = (
                f"X{radius * math.cos(angle):.5f} Y{radius * math.sin(angle):.5f} Z{0.2 + rise * k / 720:.5f}"
            )
            chords.append(f"G1 {place} E{3 / 720:.6f}")
        length = turns * math.hypot(2 * math.pi * radius, rise)
        for written in (flat, halves, once, chords):
            sliced = analyse(read_gcode(["\n".join([*lines, *written, ""]).encode()]))
            self.assertAlmostEqual(sliced.total.path_mm, length, delta=2e-5 * length)
            self.assertAlmostEqual(sliced.total.filament_mm, 3 * turns, delta=1e-3 * turns)

    def test_equal_commands_in_another_order_change_nothing(self):
        text = slice_solid(*self.SOLIDS[2]).text
        dice = random.Random(2)
        lines = text.splitlines()
        first = next(k for k, line in enumerate(lines) if line.startswith("; layer"))
        for _ in range(10):
            head = lines[:first]
            dice.shuffle(head)
            self.compare(text, "\n".join([*head, *lines[first:], ""]), "shuffled")
