"""Rules: how a declared factor shows in the motion itself."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.language import mark
from oddtwin.core.toolpath.gcode import WALLS, Feature
from oddtwin.core.toolpath.match.values import plain_key
from oddtwin.core.toolpath.purge import purge_ledger
from oddtwin.core.toolpath.sliced import Sliced, retraction_starts

Measure = Callable[[Sliced], float | None]


@dataclass(frozen=True, slots=True)
class Trait:
    """How one factor is measured from the motion.

    Parameters
    ----------
    name : str
        As the trade says it.
    unit : str
        Of the measured figure.
    keys : frozenset of str
        Plain keys and factor names that mean it.
    measure : callable
        Returns the figure of a file; None where the file cannot tell.
    tolerance : float
        Relative difference up to which measured and declared agree.
    by_ratio : bool
        Whether only the ratio of two files can be compared with the declared one.
    moves_layers, moves_paths : bool
        Whether layers, or paths inside the outline, differ when it differs.
    feature : Feature or None
        What must occur for it to matter.
    """

    name: str
    unit: str
    keys: frozenset[str]
    measure: Measure
    tolerance: float = 0.03
    by_ratio: bool = False
    moves_layers: bool = False
    moves_paths: bool = False
    feature: Feature | None = None


def trait_of(name: str) -> Trait | None:
    """Return the rule for a setting or a factor, by any of its names."""
    key = plain_key(name)
    return next((trait for trait in TRAITS if key in trait.keys), None)


def _laid(sliced: Sliced, features: frozenset[Feature] | None = None) -> NDArray[np.bool_]:
    """Return which moves lay filament above the first layer, in some features."""
    path = sliced.path
    laid = path.lays(features=features)
    if path.layers > 1:
        # The first layer has speeds and temperatures of its own on purpose, and would blur every figure.
        laid[: int(path.layer_start[1])] = False
    return laid


def _middle(values: Floats, weight: Floats) -> float | None:
    """Return the weighted median; None of nothing."""
    if not len(values):
        return None
    order = np.argsort(values, kind="stable")
    total = np.cumsum(weight[order])
    # A median, because a few short or slowed moves say nothing of what a setting says for most of the way.
    return float(values[order][np.searchsorted(total, total[-1] / 2)])


def _speed(*features: Feature) -> Measure:
    def measure(sliced: Sliced) -> float | None:
        laid = _laid(sliced, frozenset(features) or None)
        speed = sliced.path.feed[laid] * sliced.path.per_move("speed_factor")[laid]
        return _middle(speed, sliced.path.length[laid])

    return measure


def _of_state(name: str) -> Measure:
    def measure(sliced: Sliced) -> float | None:
        laid = _laid(sliced)
        values = sliced.path.per_move(name)[laid]
        known = ~np.isnan(values)
        return _middle(values[known], sliced.plan.time[laid][known])

    return measure


def _travel_speed(sliced: Sliced) -> float | None:
    path = sliced.path
    # Short hops never reach the travel speed that is asked for.
    away = (path.e == 0) & (path.length > 1)
    return _middle(path.feed[away], path.length[away])


def _fan(sliced: Sliced) -> float | None:
    share = _of_state("fan")(sliced)
    return None if share is None else 100 * share


def _layer_height(sliced: Sliced) -> float | None:
    steps = np.diff(sliced.path.layer_z)
    return float(np.median(steps)) if len(steps) else None


def _line_width(sliced: Sliced) -> float | None:
    """Volume laid over length and layer height: a line with square sides."""
    height = _layer_height(sliced)
    features = sliced.by_feature()
    wall = features.get(Feature.OUTER_WALL)
    tally = wall if wall and wall.path_mm else sliced.total
    if not height or not tally.path_mm:
        return None
    return tally.volume_mm3 / tally.path_mm / height


def _flow(sliced: Sliced) -> float | None:
    """Filament for each millimetre of the walls."""
    laid = _laid(sliced, WALLS)
    if not laid.any():
        laid = _laid(sliced)
    return _middle(sliced.path.e[laid] / sliced.path.length[laid], sliced.path.length[laid])


def _walls(sliced: Sliced) -> float | None:
    """Walls for each outer wall, by length."""
    features = sliced.by_feature()
    outer = features.get(Feature.OUTER_WALL)
    if outer is None or not outer.path_mm:
        return None
    inner = features.get(Feature.INNER_WALL)
    return 1 + (inner.path_mm / outer.path_mm if inner else 0.0)


def _infill(sliced: Sliced) -> float | None:
    infill = sliced.by_feature().get(Feature.INFILL)
    return infill.path_mm if infill else 0.0


def _retraction_lengths(sliced: Sliced) -> Floats:
    e = sliced.path.e
    back = e < 0
    number = np.cumsum(retraction_starts(e))[back] - 1
    return np.asarray(-np.bincount(number, e[back]), np.float64)


def _retraction(sliced: Sliced) -> float | None:
    lengths = _retraction_lengths(sliced)
    return float(np.median(lengths)) if len(lengths) else 0.0


def _retraction_speed(sliced: Sliced) -> float | None:
    path = sliced.path
    back = (path.e < 0) & (path.length == 0)
    return _middle(path.feed[back], -path.e[back])


def _purge(sliced: Sliced) -> float | None:
    changes = purge_ledger(sliced).changes
    return float(np.median([change.volume_mm3 for change in changes])) if changes else None


def _shortest_layers(sliced: Sliced) -> float | None:
    """Median seconds of the quicker half of the layers: those that a minimum would hold."""
    seconds = np.sort(sliced.layer_s[1:])
    return float(np.median(seconds[: max(1, len(seconds) // 2)])) if len(seconds) else None


def _keys(text: str) -> frozenset[str]:
    return frozenset(text.split())


MIN_LAYER_TIME: Final = mark("minimum layer time")
ACCELERATION: Final = "acceleration"

TRAITS: Final = (
    Trait(
        mark("layer height"), "mm", _keys("layer_height"), _layer_height, moves_layers=True, moves_paths=True
    ),
    Trait(
        mark("line width"),
        "mm",
        _keys("line_width extrusion_width outer_wall_line_width wall_line_width"),
        _line_width,
        0.1,
        moves_paths=True,
    ),
    Trait(
        mark("outer wall speed"),
        "mm/s",
        _keys("outer_wall_speed external_perimeter_speed speed_wall_0 outer_perimeter_speed"),
        _speed(Feature.OUTER_WALL),
        feature=Feature.OUTER_WALL,
    ),
    Trait(
        mark("inner wall speed"),
        "mm/s",
        _keys("inner_wall_speed perimeter_speed speed_wall_x inner_perimeter_speed"),
        _speed(Feature.INNER_WALL),
        feature=Feature.INNER_WALL,
    ),
    Trait(
        mark("wall speed"),
        "mm/s",
        _keys("wall_speed speed_wall walls_speed"),
        _speed(Feature.OUTER_WALL, Feature.INNER_WALL),
    ),
    Trait(
        mark("infill speed"),
        "mm/s",
        _keys("infill_speed sparse_infill_speed speed_infill"),
        _speed(Feature.INFILL),
        feature=Feature.INFILL,
    ),
    Trait(
        mark("bridge speed"), "mm/s", _keys("bridge_speed"), _speed(Feature.BRIDGE), feature=Feature.BRIDGE
    ),
    Trait(mark("print speed"), "mm/s", _keys("print_speed speed speed_print printing_speed"), _speed()),
    Trait(mark("travel speed"), "mm/s", _keys("travel_speed speed_travel"), _travel_speed),
    Trait(
        ACCELERATION,
        "mm/s²",
        _keys("acceleration default_acceleration print_acceleration acceleration_print"),
        _of_state("print_acceleration"),
    ),
    Trait(
        mark("nozzle temperature"),
        "°C",
        _keys("nozzle_temperature temperature print_temperature material_print_temperature"),
        _of_state("nozzle_c"),
        0.004,
    ),
    Trait(
        mark("bed temperature"),
        "°C",
        _keys("bed_temperature material_bed_temperature plate_temperature"),
        _of_state("bed_c"),
        0.01,
    ),
    Trait("fan", "%", _keys("fan fan_speed fan_power cooling_fan max_fan_speed part_fan"), _fan),
    Trait(
        MIN_LAYER_TIME,
        "s",
        _keys("min_layer_time minimum_layer_time cool_min_layer_time slow_down_layer_time layer_time"),
        _shortest_layers,
    ),
    Trait(
        mark("retraction length"),
        "mm",
        _keys("retraction_length retract_length retraction retraction_amount retraction_distance"),
        _retraction,
    ),
    Trait(mark("retraction speed"), "mm/s", _keys("retraction_speed retract_speed"), _retraction_speed),
    Trait(
        "walls",
        "",
        _keys("walls wall_count wall_loops perimeters wall_line_count number_of_walls"),
        _walls,
        0.15,
        moves_paths=True,
    ),
    Trait(
        "infill",
        "mm",
        _keys("infill infill_density fill_density sparse_infill_density infill_spacing"),
        _infill,
        0.2,
        by_ratio=True,
        moves_paths=True,
    ),
    Trait(
        "flow",
        "mm/mm",
        _keys("flow extrusion_multiplier flow_ratio material_flow flow_rate"),
        _flow,
        0.01,
        by_ratio=True,
    ),
    Trait(
        mark("purge volume"),
        "mm³",
        _keys("purge_volume purge_volumes flush_volume flush_volumes purging_volume"),
        _purge,
        0.1,
        moves_paths=True,
    ),
    Trait(
        mark("purge multiplier"),
        "mm³",
        _keys("purge_multiplier flush_multiplier purge_volume_multiplier purging_multiplier"),
        _purge,
        0.1,
        by_ratio=True,
        moves_paths=True,
    ),
)
