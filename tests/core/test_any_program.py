"""Lines, comments, settings and programs of every spelling and any figures stay read as was approved.

``APPROVE=1 python -m unittest tests.core.test_any_program`` writes what comes out now.
"""

import dataclasses
import random
import re
import unittest
import zlib

import numpy as np

from oddtwin.core.job import Job
from oddtwin.core.toolpath.gcode import parse_line, read_gcode
from oddtwin.core.toolpath.gcode.arcs import CURVE, cut_all
from oddtwin.core.toolpath.gcode.carried import carried_settings
from oddtwin.core.toolpath.gcode.vocabulary import read_aside, read_comment
from oddtwin.core.toolpath.match import (
    TRAITS,
    MatchFile,
    as_json,
    breaks_in,
    breaks_of,
    check_paths,
    check_settings,
    layer_pairs,
    match_files,
    next_difference,
    parse_declared,
    parted_points,
    read_settings,
    settings_as_json,
    top_layers,
)
from oddtwin.core.toolpath.motion import Limits
from oddtwin.core.toolpath.sliced import (
    Filament,
    Growth,
    SpoolSays,
    analyse,
    fitted_growth,
    hanging_of,
    layer_figures,
    numbers_in,
    reach,
    shape_of,
    sliced_size,
    summary,
)
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from tests.core.stays import Stays, tried
from tests.core.test_any_file import COMMANDS

FIGURES = ("0", "1", "-1", "0.5", "2", "-.25", "30", "100", "255", "0.05", "1e3", "1200", "9000", "+7", "")
COMMENTS = (
    "LAYER:{n}", "layer {n}, z = 0.4", "BEGIN_LAYER_OBJECT z=0.2", " begin layer {n}", "LAYER_CHANGE",
    "Z:{x}", "HEIGHT:0.2", "TYPE:Outer wall", "TYPE:WALL-OUTER", "TYPE:odd {n}", " feature inner wall",
    "type={x}", " printing object ring {n}", " stop printing object ring", "MESH:hook", "MESH:NONMESH",
    "TIME:{x}", "layer_height = {x}", " fan speed = {x}%", "filament used [mm]={x}, {n}", "fill: {x}",
    "a, {x}", "ab_c,{x}", "thumbnail begin 16x16 {n}", "thumbnail end", "png begin", "<config>",
    "</config>", "<layer>{n}", "'key' {x}", "SETTING_{n} some = {x}", "---- {x}", "", ";;;", "  outer wall",
    "infill", "bridge", "skirt", "wipe start", "estimated printing time = {n}h {n}m {n}s",
    "print time: 1d {n}h", "total layers: {n}", "{n}/{n}",
    " 'outer wall'", ' "bridge" path', " inner wall path", " infill, 3", " infill, sparse path",
    " infill, and that goes on for as long as it takes to fill the whole of this piece",
)  # fmt: skip
WRITTEN = (
    "0.2", "0.20", "0.2mm", "0.2 mm", "20%", "20 %", "true", "1", "on", "0", "off", "", "nil", "PLA", "pla",
    '"PLA"', "0.4,0.4", "0.4;0.4", "[0.4]", "200x200", "1e1", "10", "10.0", "-1", "60", "1 min",
    "0.1999999999",
)  # fmt: skip
FACTORS = [
    f"{name}={{}}:{{}}"
    for name in ("infill", "min layer time", "outer wall speed", "acceleration", "fan", "retraction length",
                 "travel speed", "bridge speed", "jerk")
]  # fmt: skip
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


def any_stack(rng):
    """A piece whose walls lean out by other steps, with bridges and a top laid in some order, with waits."""
    lines, x, y = ["M83", "G92 E0", "; layer_height = 0.2"], 40.0, 40.0
    half, lean = rng.choice((4.0, 7.0)), rng.choice((0.0, 0.1, 0.2, 0.35, 0.6))
    feed, away = rng.choice((1200, 3000)), rng.choice((0.0, 0.0, 0.01, 0.03, 0.2))
    for layer in range(rng.choice((3, 5))):
        z, out = round(0.2 * (layer + 1), 3), half + lean * layer
        lines += [";LAYER_CHANGE", f"G1 Z{z} F600", ";TYPE:Outer wall", f"G1 X{x - out} Y{y - out} F6000"]
        corners = ((out, -out), (out, out), (-out, out), (-out, -out))
        lines += [f"G1 X{x + a + away} Y{y + b} E{rng.choice((0.2, 0.3))} F{feed}" for a, b in corners]
        kind = rng.choice(("Bridge", "Infill", "Top surface", "Ironing", "Solid infill"))
        lines.append(f";TYPE:{kind}")
        pitch = rng.choice((0.45, 0.45, 0.6, 2.0))
        rows = [round(-out + 0.4 + pitch * n, 3) for n in range(int((2 * out - 0.8) / pitch))]
        if rng.random() < 0.6:
            # In two halves, or from the middle: lines come to lie beside ones that have cooled.
            cut = rng.choice((len(rows) // 2, len(rows) // 3))
            rows = rng.choice((rows[cut:] + rows[:cut], rows[cut:] + rows[:cut][::-1]))
        for number, row in enumerate(rows):
            ends = (-out + 0.4, out - 0.4) if number % 2 else (out - 0.4, -out + 0.4)
            lines += [f"G0 X{x + ends[0]} Y{y + row} F9000", f"G1 X{x + ends[1]} E0.25 F{feed}"]
            if rng.random() < 0.1:
                lines.append(f"G4 S{rng.choice((1, 4, 9))}")
    return "\n".join([*lines, ""])


class AnyProgram(Stays):
    def test_lines_and_comments(self):
        rng, told = random.Random(2), []
        for _ in range(600):
            line, aside = any_command(rng), any_comment(rng)
            ways = (line, line, line.lower(), f"N{rng.randint(1, 9)} {line}*33", line.replace(" ", ""))
            meant = read_comment(aside), read_aside(aside.encode())
            told.append((parse_line(f"{rng.choice(ways)} ;{aside}".encode()), meant))
        self.together("read", "lines", told, 20)

    def test_programs(self):
        told = []
        for seed in range(48):
            rng = random.Random(seed)
            text = any_program(rng)
            path = tried(read_gcode, [text.encode()])
            if isinstance(path, str):
                told.append(path)
                continue
            file = analyse(path, rng.choice((None, Limits(), Limits(jerk=(8.0, 8.0, 0.4, 5.0)))))
            told.append((path, summary(file, flow_mm3_s=4.0), layer_figures(file)))
        self.together("read", "programs", told, 4)

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
        self.together("read", "settings", told, 10)

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
        self.together("read", "effects", told, 5)

    def test_walls_that_lean_and_tops_in_any_order(self):
        told = []
        for seed in range(48):
            # Two of a kind share what they are drawn from, but for the last of their lines.
            one, other = random.Random(seed), random.Random(seed)
            texts = [any_stack(one), any_stack(random.Random(seed + 1000) if seed % 3 == 0 else other)]
            if seed % 3 == 1:
                rows = texts[1].splitlines()
                at = [n for n, row in enumerate(rows) if row.startswith("G0")]
                first, second = at[len(at) // 2], at[-1]
                rows[first : first + 2], rows[second : second + 2] = (
                    rows[second : second + 2],
                    rows[first : first + 2],
                )
                texts[1] = "\n".join([*rows, ""])
            elif seed % 3 == 2:
                shift = one.choice((0.004, 0.03, 0.5))
                texts[1] = re.sub(r"X([\d.]+)", lambda x, by=shift: f"X{float(x[1]) + by:.3f}", texts[1])
            files = [analyse(read_gcode([text.encode()]), Limits()) for text in texts]
            layers = layer_pairs(files[0].path, files[1].path)
            found = [
                (breaks_of(file), [breaks_in(file, layer) for layer in top_layers(file)], shape_of(file),
                 hanging_of(file), sliced_size(file), reach(file, 3.0))
                for file in files
            ]  # fmt: skip
            paths = [check_paths(*files, tolerance) for tolerance in (0.005, 0.02, 0.1)]
            parted = [parted_points(files[0].path, files[1].path, *pair) for pair in layers]
            named = [MatchFile(f"file {n}", str(n), file) for n, file in enumerate(files)]
            shares = []
            factors = [parse_declared(one.format(*one_of)) for one in other.sample(FACTORS, 3)
                       for one_of in (other.choice(((2, 4), (20, 60), (500, 900))),)]  # fmt: skip
            whole = match_files(named, factors, Job(shares.append))
            self.assertEqual(shares, sorted(shares))
            next_difference(files[0].path, files[1].path, -1, Job(shares.append))
            hanging_of(files[0], Job(shares.append))
            said = [one.sentence for one in paths], whole.sentences, whole.showings, whole.effects
            told.append((found, paths, said, parted, as_json(whole), shares))
        self.together("read", "stacks", told, 4)

    def test_what_filament_weighs_and_how_figures_grow(self):
        told = []
        for says in (SpoolSays(diameter, density, material) for diameter in (None, 1.75, 2.85)
                     for density in (None, 1.04) for material in ("", "PETG", "unheard of")):  # fmt: skip
            grams = [says.grams(*one) for one in ((0.0, 0.0, 0.0), (900.0, 0.0, 0.0), (900.0, 2000.0, 0.0),
                                                  (900.0, 2000.0, 2.9), (0.0, 0.0, 4.0))]  # fmt: skip
            over = [says.over(one) for one in (None, Filament(2.85, 1.3, 20.0, "blue"))]
            one = says.usual
            told.append((grams, over, one, one.area_mm2, one.g_per_mm, one.grams(50.0), one.grams_along(9.0)))
        rng = random.Random(7)
        for _ in range(40):
            sizes = rng.sample((0.5, 0.75, 1.0, 1.5, 2.0, 3.0), rng.choice((1, 2, 3, 4)))
            amounts = [5 + size * rng.randint(1, 9) + rng.randint(0, 4) * size**3 for size in sizes]
            known = Growth(*(rng.choice((0.0, 1.0, 4.0)) for _ in range(4)))
            grown = tried(fitted_growth, sizes, amounts, known)
            told.append((grown, [known.at(size, pieces) for size in (0.5, 2.0) for pieces in (1, 3)]))
        self.together("read", "filament", told, 8)

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
        self.together("read", "arcs", told, 4)


if __name__ == "__main__":
    unittest.main()
