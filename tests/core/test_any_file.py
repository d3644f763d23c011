"""Everything that is read out of sliced files, of many that are unlike each other, stays as it was approved.

``APPROVE=1 python -m unittest tests.core.test_any_file`` writes what comes out now.
"""

import random
import unittest
import zlib

from oddtwin.core.toolpath.gcode import Feature, parse_line, read_gcode
from oddtwin.core.toolpath.match import (
    MatchFile,
    as_json,
    breaks_of,
    check_commands,
    check_paths,
    layer_differences,
    layer_pairs,
    match_files,
    next_difference,
    parse_declared,
    parted_points,
    top_layers,
)
from oddtwin.core.toolpath.motion import Limits
from oddtwin.core.toolpath.purge import (
    PurgeLimits,
    best_order,
    matrix_of,
    minimum_multiplier,
    multiplier_said,
    purge_ledger,
    purge_outlook,
    purge_pairs,
    shares_by_batch,
)
from oddtwin.core.toolpath.sliced import (
    SpoolSays,
    analyse,
    extent_mm,
    hanging_of,
    layer_figures,
    outer_wall_motion,
    pushed_filament,
    reach,
    shape_of,
    sliced_size,
    summary,
)
from oddtwin.core.toolpath.specimen import Recipe, Solid, slice_solid
from tests.core.stays import Stays, tried
from tests.core.test_figures_stay import PROGRAM

SEEDS = range(40)
COMMANDS = [line for row in PROGRAM.strip().splitlines() for line in row.split("|")]


def any_text(rng):
    """A small sliced piece, and a twin of it that was sliced, and then written into, some other way."""
    solid = Solid(
        width=rng.choice((10.0, 24.0)),
        depth=rng.choice((8.0, 18.0)),
        height=rng.choice((0.6, 1.0, 2.0)),
        round=rng.random() < 0.3,
        lean_deg=rng.choice((0.0, 0.0, 20.0)),
        span_mm=rng.choice((0.0, 0.0, 6.0)),
        colours=rng.choice((1, 1, 2, 3)),
        band_layers=rng.choice((1, 2)),
        copies=rng.choice((1, 1, 2)),
    )
    usual = {
        "layer_height": rng.choice((0.2, 0.25)),
        "walls": rng.choice((1, 2, 3)),
        "infill_spacing": rng.choice((2.0, 4.0)),
        "min_layer_time": rng.choice((0.0, 6.0)),
        "skirt": rng.choice((0, 1)),
        "seam": rng.choice(("in line at the back", "scattered")),
    }
    other = dict(usual)
    for name, value in rng.sample(
        (
            ("layer_height", 0.3), ("line_width", 0.5), ("walls", 2), ("infill_spacing", 3.0), ("fan", 60.0),
            ("outer_wall_speed", 45.0), ("acceleration", 1200.0), ("nozzle_temperature", 225.0),
            ("flow", 97.0), ("retraction_length", 0.4), ("purge_volume", 60.0), ("skirt", 2),
            ("purge_multiplier", 0.5),
        ),
        rng.choice((0, 1, 2)),
    ):  # fmt: skip
        other[name] = value
    return slice_solid(solid, Recipe(**usual)).text, edited(rng, slice_solid(solid, Recipe(**other)).text)


def edited(rng, text):
    """Leave out a line now and then, and put some command in."""
    lines = []
    few = rng.choice((0.0, 0.002, 0.02))
    for line in text.splitlines():
        if rng.random() >= few:
            lines.append(line)
        if rng.random() < few:
            lines.append(rng.choice(COMMANDS))
    return "\n".join([*lines, ""])


def any_limits(rng):
    return Limits(
        acceleration=rng.choice((500.0, 1000.0)),
        travel_acceleration=rng.choice((None, 2000.0)),
        retract_acceleration=rng.choice((None, 800.0)),
        jerk=rng.choice(((8.0, 8.0, 0.4, 5.0), (1.0, 2.0, 0.2, 1.0))),
        junction_deviation=rng.choice((None, 0.02)),
        max_speed=rng.choice(((100.0, 100.0, 10.0, 30.0), (300.0, 300.0, 20.0, 60.0))),
        tool_change_s=rng.choice((0.0, 12.0)),
        overhead_s=rng.choice((0.0, 90.0)),
        scale=rng.choice((1.0, 1.1)),
        offset_s=rng.choice((0.0, 20.0)),
    )


class AnyFile(Stays):
    def pairs(self):
        for seed in SEEDS:
            rng = random.Random(seed)
            texts, limits = any_text(rng), any_limits(rng)
            spool = rng.choice((None, SpoolSays(1.75, 1.3), SpoolSays(material="PETG")))
            yield seed, texts, [analyse(read_gcode([one.encode()]), limits, spool) for one in texts]

    def test_what_a_file_holds(self):
        told = []
        for seed, texts, files in self.pairs():
            for place, (text, file) in enumerate(zip(texts, files, strict=True)):
                path, rng = file.path, random.Random(seed)
                lines = [parse_line(one.encode()) for one in rng.sample(text.splitlines(), 12)]
                parts = {
                    "lines": lines,
                    "moves": (path.moves, path.settings, path.length, path.e, file.waits()),
                    "figures": (summary(file, flow_mm3_s=4.0), layer_figures(file), extent_mm(file)),
                    "reach": [reach(file, 3.0, feature=one) for one in (None, Feature.OUTER_WALL)],
                    "slower": reach(file, 3.0, stretch=1.5),
                    "shape": (shape_of(file), hanging_of(file), top_layers(file), breaks_of(file)),
                    "size": (sliced_size(file, 2), outer_wall_motion(path), pushed_filament(path)),
                }
                told += [(f"{seed}.{place} {name}", "", part) for name, part in parts.items()]
        self.stays("any-file", told)

    def test_what_parts_a_file_from_its_twin(self):
        told = []
        for seed, texts, (one, other) in self.pairs():
            named = [MatchFile(f"file {n}", str(zlib.crc32(text.encode())), file)
                     for n, (text, file) in enumerate(zip(texts, (one, other), strict=True))]  # fmt: skip
            declared = [parse_declared("layer height=0.2:0.3"), parse_declared("fan=100:60")]
            found = match_files(named, declared, held=("walls",))
            layers = layer_pairs(one.path, other.path)
            parts = {
                "match": (as_json(found), found.threats),
                "paths": check_paths(one, other, 0.02),
                "commands": check_commands(one, other, declared),
                "layers": (layer_differences(one, other), layers, next_difference(one.path, other.path, -1)),
                "points": [parted_points(one.path, other.path, *pair) for pair in layers[:6]],
            }
            said = " ".join(threat.sentence for threat in found.threats)
            told += [
                (f"{seed} {name}", "" if n else said, part) for n, (name, part) in enumerate(parts.items())
            ]
        self.stays("any-match", told)

    def test_what_is_purged(self):
        told = []
        for seed, _, (file, _) in self.pairs():
            ledger = purge_ledger(file)
            pairs = purge_pairs(ledger.changes)
            matrix = matrix_of(pairs, file.path.settings)
            limits = PurgeLimits(20.0, 300.0, {(0, 1): 50.0}, {(1, 0): 80.0})
            outlooks = [purge_outlook(pairs, matrix, times, limits) for times in (0.25, 1.0, 2.0)]
            colours = sorted({one for pair in matrix for one in pair})
            parts = (
                ledger, pairs, matrix, multiplier_said(file.path.settings),
                tried(minimum_multiplier, matrix, limits), outlooks,
                tried(shares_by_batch, file, ledger, 0, (1, 2, 6)),
                tried(best_order, colours, matrix),
            )  # fmt: skip
            told.append((str(seed), "", parts))
        self.stays("any-purge", told)


if __name__ == "__main__":
    unittest.main()
