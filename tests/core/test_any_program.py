"""Lines, comments, settings and programs of every spelling and any figures stay read as was approved.

``APPROVE=1 python -m unittest tests.core.test_any_program`` writes what comes out now.
"""

import dataclasses
import random
import re
import unittest
import zlib

import numpy as np

from oddtwin.core.toolpath.gcode import parse_line, read_gcode
from oddtwin.core.toolpath.gcode.arcs import CURVE, cut_all
from oddtwin.core.toolpath.gcode.carried import carried_settings
from oddtwin.core.toolpath.gcode.vocabulary import read_aside, read_comment
from oddtwin.core.toolpath.match import (
    TRAITS,
    MatchFile,
    as_json,
    check_settings,
    match_files,
    parse_declared,
    read_settings,
    settings_as_json,
)
from oddtwin.core.toolpath.motion import Limits
from oddtwin.core.toolpath.sliced import analyse, layer_figures, numbers_in, summary
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from tests.core.stays import Stays, tried
from tests.core.test_any_file import COMMANDS

FIGURES = ("0", "1", "-1", "0.5", "2", "-.25", "30", "100", "255", "0.05", "1e3", "1200", "90000", "+7", "")
COMMENTS = (
    "LAYER:{n}", "layer {n}, z = 0.4", "BEGIN_LAYER_OBJECT z=0.2", " begin layer {n}", "LAYER_CHANGE",
    "Z:{x}", "HEIGHT:0.2", "TYPE:Outer wall", "TYPE:WALL-OUTER", "TYPE:odd {n}", " feature inner wall",
    "type={x}", " printing object ring {n}", " stop printing object ring", "MESH:hook", "MESH:NONMESH",
    "TIME:{x}", "layer_height = {x}", " fan speed = {x}%", "filament used [mm]={x}, {n}", "fill: {x}",
    "a, {x}", "ab_c,{x}", "thumbnail begin 16x16 {n}", "thumbnail end", "png begin", "<config>",
    "</config>", "<layer>{n}", "'key' {x}", "SETTING_{n} some = {x}", "---- {x}", "", ";;;", "  outer wall",
    "infill", "bridge", "skirt", "wipe start", "estimated printing time = {n}h {n}m {n}s",
    "print time: 1d {n}h", "total layers: {n}", "{n}/{n}",
)  # fmt: skip
WRITTEN = (
    "0.2", "0.20", "0.2mm", "0.2 mm", "20%", "20 %", "true", "1", "on", "0", "off", "", "nil", "PLA", "pla",
    '"PLA"', "0.4,0.4", "0.4;0.4", "[0.4]", "200x200", "1e1", "10", "10.0", "-1", "60", "1 min",
    "0.1999999999",
)  # fmt: skip
KEYS = ("layer_height", "Layer Height", "fan_speed", "walls", "outer_wall_speed", "thumbnails", "print_time",
        "filament_notes", "printer_name", "acceleration", "seam_position", "infill_density")  # fmt: skip


def any_command(rng):
    """A command that is known, with other figures, and with words left out or put in."""
    words = re.split(r"(?<=[A-Z=])(-?[\d.]+)", rng.choice(COMMANDS))
    made = "".join(
        rng.choice(FIGURES) if place % 2 and rng.random() < 0.5 else one for place, one in enumerate(words)
    )
    parts = made.split(" ")
    if len(parts) > 1 and rng.random() < 0.2:
        parts.pop(rng.randrange(1, len(parts)))
    if rng.random() < 0.15:
        parts.append(rng.choice("XYZEFSPRIJKT") + rng.choice(FIGURES))
    return " ".join(parts)


def any_comment(rng):
    text = rng.choice(COMMENTS).format(n=rng.randint(0, 30), x=rng.choice((*FIGURES, *WRITTEN)))
    return text.upper() if rng.random() < 0.1 else text


def any_program(rng):
    lines = [rng.choice(("M83", "M82", "")), "G1 X20 Y20 Z0.2 F1200", "G92 E0"]
    for _ in range(120):
        kind = rng.random()
        if kind < 0.3:
            lines.append(
                f"G1 X{rng.randint(0, 400) / 8} Y{rng.randint(0, 400) / 8} E{rng.randint(-4, 20) / 8}"
            )
        elif kind < 0.4:
            way, ends = rng.choice(("G2", "G3")), [rng.randint(-80, 80) / 4 for _ in range(4)]
            lines.append(f"{way} X{ends[0]} Y{ends[1]} I{ends[2]} J{ends[3]} E1")
            if rng.random() < 0.3:
                lines[-1] = f"{way} X{ends[0]} Y{ends[1]} R{ends[2]} E1 P{rng.randint(0, 2)}"
        elif kind < 0.8:
            lines.append(any_command(rng))
        else:
            lines.append(f";{any_comment(rng)}")
        if rng.random() < 0.05:
            lines[-1] += rng.choice((" ; wipe", f" ; {any_comment(rng)}", "*71", " (aside)", "\r"))
    return "\n".join([*lines, ""])


class AnyProgram(Stays):
    def rows(self, name, told, several):
        parts = [told[at : at + several] for at in range(0, len(told), several)]
        self.stays(f"read-{name}", [(f"{name} {n}", "", part) for n, part in enumerate(parts)])

    def test_lines_and_comments(self):
        rng, told = random.Random(2), []
        for _ in range(600):
            line, aside = any_command(rng), any_comment(rng)
            ways = (line, line, line.lower(), f"N{rng.randint(1, 9)} {line}*33", line.replace(" ", ""))
            meant = read_comment(aside), read_aside(aside.encode())
            told.append((parse_line(f"{rng.choice(ways)} ;{aside}".encode()), meant))
        self.rows("lines", told, 20)

    def test_programs(self):
        told = []
        for seed in range(60):
            rng = random.Random(seed)
            text = any_program(rng)
            path = tried(read_gcode, [text.encode()])
            if isinstance(path, str):
                told.append(path)
                continue
            file = analyse(path, rng.choice((None, Limits(), Limits(jerk=(8.0, 8.0, 0.4, 5.0)))))
            told.append((path, summary(file, flow_mm3_s=4.0), layer_figures(file)))
        self.rows("programs", told, 4)

    def test_a_program_in_two_parts_is_the_same_program(self):
        for seed in range(30):
            rng = random.Random(seed)
            whole = any_program(rng).encode()
            at = rng.randrange(len(whole))
            once, twice = (tried(read_gcode, parts) for parts in ([whole], [whole[:at], whole[at:]]))
            if isinstance(once, str):
                self.assertEqual(twice, once)
                continue
            for name in ("x", "y", "z", "e", "feed", "line", "flag", "layer_start"):
                found, wanted = getattr(twice, name), getattr(once, name)
                np.testing.assert_allclose(found, wanted, rtol=0, atol=1e-8, err_msg=f"{seed} {name}")
            for name in ("settings", "stops", "unknown", "others", "states"):
                self.assertEqual(getattr(twice, name), getattr(once, name), (seed, name))

    def test_steps_that_end_a_part_count_where_positions_follow(self):
        parts = [b"M83\nG1 X9 E2\n", b"M83\nG92 E5\nG1 X8 E1\n", b"SAVE_GCODE_STATE NAME=a\nM82\nG1 X7 E7\n"]
        self.assertEqual(read_gcode(parts).e.tolist(), [2.0, 1.0, 1.0])

    def test_settings(self):
        told = []
        for seed in range(150):
            rng = random.Random(seed)
            files = [
                {key: rng.choice(WRITTEN) for key in rng.sample(KEYS, 8)} for _ in range(rng.choice((2, 3)))
            ]
            levels = ":".join(rng.choice(("0.2", "60", "20%", "PLA", "0.28")) for _ in files)
            declared = [parse_declared(f"{rng.choice(KEYS)}={levels}")]
            held = rng.choice(((), ("walls",), ("fan", "speed")))
            found = tried(check_settings, files, declared, frozenset(), held)
            text = "\n".join(
                f"{key}{rng.choice((' = ', '=', ': ', ','))}{value}" for key, value in files[0].items()
            )
            told.append(
                (
                    found if isinstance(found, str) else (found, found.sentence, settings_as_json(found)),
                    tried(read_settings, text, "twin.ini"),
                    numbers_in(" ".join(rng.sample(WRITTEN, 4))),
                    carried_settings({"pack_": text.splitlines(), "json": ['{"a": {"b": [1, "2"]}}']}),
                )
            )
        self.rows("settings", told, 10)

    def test_every_rule_that_tells_whether_a_setting_took_effect(self):
        told, solid = [], Solid(16.0, 12.0, 1.2, span_mm=6.0, colours=2)
        usual = Recipe()
        fields = {field.name for field in dataclasses.fields(Recipe)}
        for number, trait in enumerate(TRAITS):
            rng = random.Random(number)
            own = sorted(trait.keys & fields)
            other = {name: getattr(usual, name) * rng.choice((1.3, 2.0)) for name in own[:1]
                     if isinstance(getattr(usual, name), float)}  # fmt: skip
            files = []
            for recipe in (usual, dataclasses.replace(usual, **other)):
                text = slice_solid(solid, recipe).text
                sliced = analyse(read_gcode([text.encode()]), Limits())
                files.append(MatchFile(f"file {len(files)}", str(zlib.crc32(text.encode())), sliced))
            measured = [trait.measure(file.sliced) for file in files]
            for levels in (
                ":".join(f"{one or 1:g}" for one in measured),
                ":".join(f"{(one or 1) * 1.5:g}" for one in measured),
                ":".join(f"{one or 1:g}" for one in measured[::-1]),
                "low:high",
                "50:100",
            ):
                found = match_files(files, [parse_declared(f"{trait.name}={levels}")])
                told.append((measured, found.effects, found.showings, found.sentences, as_json(found)))
        self.rows("effects", told, 5)

    def test_arcs(self):
        rng, told = np.random.default_rng(4), []
        for number in range(60):
            start, end, words = rng.integers(-40, 40, (3, 3, 8)) / 4.0
            words[:2, :4], words[2, 4:] = np.nan, np.nan
            end[:2, 7] = start[:2, 7]
            motion = rng.choice(np.array([2, 3, 2, 3, CURVE] if number % 2 else [2, 3], np.int8), 8)
            curves = rng.integers(-8, 8, (4, 8)) / 2.0
            curves[0] = rng.choice([17, 18, 19], 8)
            told.append(cut_all(start, end, words, motion, curves if number % 2 else None))
        self.rows("arcs", told, 4)


if __name__ == "__main__":
    unittest.main()
