"""Whether the paths of two files are the same: layers, outlines, features."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.toolpath.gcode import FEATURES, Feature, Toolpath
from oddtwin.core.toolpath.sliced import Sliced, places_along

Lines = tuple[Floats, Floats, NDArray[np.int64]]
"""Begins and ends, shape (lines, 2), and features."""

TOLERANCE_MM: Final = 0.05
SAME_Z_MM: Final = 0.02
STEP_MM: Final = 0.6
MOST_LAYERS: Final = 100
MOST_ASKED: Final = 6000
"""Places of a layer that are asked for how far they are from the other file's lines."""
MOST_MARKS: Final = 300_000
FARTHEST_MM: Final = 5.0
LENGTH_SHARE: Final = 0.002


@dataclass(frozen=True, slots=True)
class FeatureChange:
    """Length of one feature in both files, mm; same, longer, shorter, added, missing or moved."""

    feature: Feature
    baseline_mm: float
    change_mm: float
    state: str


@dataclass(frozen=True, slots=True)
class PathCheck:
    """How the paths of two files compare.

    Parameters
    ----------
    identical : bool
        Whether every move ends at the same place.
    layers : (int, int)
        How many there are in each file.
    same_heights : bool
        Whether all layers lie at the same heights.
    outline_mm : float or None
        Greatest distance of an outline from that of the other file; None where no layer is at the
        same height.
    outlines_same : bool
        Whether it is within ``tolerance_mm``.
    outline_z : float or None
        The height where it is greatest, mm.
    features : tuple of FeatureChange
        Those that occur in either file.
    parted : tuple of int
        Layers of the baseline's file in which the paths part.
    looked_at : int
        How many layers were compared point by point.
    tolerance_mm : float
    """

    identical: bool
    layers: tuple[int, int]
    same_heights: bool
    outline_mm: float | None
    outlines_same: bool
    outline_z: float | None
    features: tuple[FeatureChange, ...]
    parted: tuple[int, ...]
    looked_at: int
    tolerance_mm: float = TOLERANCE_MM

    @property
    def sentence(self) -> str:
        """Say how the paths compare."""
        if self.identical:
            return "The paths are the same, move by move."
        ours, theirs = self.layers
        if ours != theirs:
            first = f"The files have {ours} and {theirs} layers"
        else:
            where = "at the same heights" if self.same_heights else "but at other heights"
            first = f"Both files have {ours} layers {where}"
        if self.outline_mm is None:
            return f"{first}; no layer lies at the same height in both."
        if self.outlines_same:
            second = f"the outlines are the same within {self.tolerance_mm:g} mm"
        else:
            second = f"the outlines part by up to {self.outline_mm:.2f} mm, at {self.outline_z:.2f} mm height"
        moved = [f"{item.feature.value} {item.state}" for item in self.features if item.state != "same"]
        third = f"; {', '.join(moved)}" if moved else ""
        return f"{first}; {second}{third}."


def check_paths(
    baseline: Sliced,
    change: Sliced,
    tolerance_mm: float = TOLERANCE_MM,
    job: Job = UNWATCHED,
) -> PathCheck:
    """Compare the paths of two files.

    Parameters
    ----------
    baseline, change : Sliced
        The files.
    tolerance_mm : float
        Within it an outline is the same.
    job : Job
        Told the share that is done; stops the work between layers.

    Raises
    ------
    CancelledError
        The job was cancelled.
    """
    ours, theirs = baseline.path, change.path
    identical = _same_moves(ours, theirs)
    pairs = layer_pairs(ours, theirs)
    heights = len(pairs) == ours.layers == theirs.layers
    worst, worst_z, parted, looked = (0.0, None, [], 0) if identical else (None, None, [], 0)
    moved: set[Feature] = set()
    if not identical:
        # Spread evenly and with both ends: a shifted origin shows everywhere, a changed top only at the
        # end.
        chosen = pairs if len(pairs) <= MOST_LAYERS else [pairs[k] for k in _spread(len(pairs))]
        for mine, other in chosen:
            job.check()
            looked += 1
            job.tell(looked / len(chosen))
            apart, features = _layer_apart(ours, theirs, mine, other, tolerance_mm)
            if features:
                parted.append(mine)
                moved |= features
            if worst is None or apart > worst:
                worst, worst_z = apart, float(ours.layer_z[mine])
    return PathCheck(
        identical,
        (ours.layers, theirs.layers),
        heights,
        worst,
        worst is not None and worst <= tolerance_mm,
        worst_z,
        _features(baseline, change, moved),
        tuple(parted),
        looked,
        tolerance_mm,
    )


def layer_pairs(ours: Toolpath, theirs: Toolpath) -> list[tuple[int, int]]:
    """Return the layers of two files that lie at the same height, as pairs of numbers from 0."""
    if not theirs.layers:
        return []
    order = np.argsort(theirs.layer_z, kind="stable")
    sorted_z = theirs.layer_z[order]
    near = np.clip(np.searchsorted(sorted_z, ours.layer_z - SAME_Z_MM), 0, len(order) - 1)
    close = np.abs(sorted_z[near] - ours.layer_z) <= SAME_Z_MM
    return [(int(k), int(order[near[k]])) for k in np.flatnonzero(close)]


def parted_points(
    ours: Toolpath, theirs: Toolpath, mine: int, other: int, tolerance_mm: float = TOLERANCE_MM
) -> Floats:
    """Return the places where the printed paths of two layers part, shape (places, 2), mm."""
    from scipy.spatial import cKDTree

    one, two = segments(ours, mine), segments(theirs, other)
    if _same_lines(one, two):
        return np.zeros((0, 2))
    found = []
    for lines, against in ((one, two), (two, one)):
        place, _, _ = places_along(lines[0], lines[1], STEP_MM, MOST_ASKED)
        if len(place) and len(against[0]):
            place = place[_distance(place, against[0], against[1], cKDTree) > tolerance_mm]
        found.append(place)
    return np.concatenate(found)


def segments(path: Toolpath, layer: int) -> Lines:
    """Return begin and end, shape (lines, 2), and feature of every line laid in a layer."""
    span = path.span(layer)
    laid = path.lays(span)
    begin = np.stack([path.start("x", span), path.start("y", span)], axis=1)[laid]
    end = np.stack([path.x[span], path.y[span]], axis=1)[laid]
    features = np.array([state.feature for state in path.states], np.int64)
    return begin, end, features.take(path.state[span][laid])


def _same_moves(ours: Toolpath, theirs: Toolpath) -> bool:
    return ours.moves == theirs.moves and all(
        np.allclose(getattr(ours, axis), getattr(theirs, axis), rtol=0, atol=1e-6) for axis in "xyz"
    )


def _spread(count: int) -> list[int]:
    return sorted({int(k) for k in np.linspace(0, count - 1, MOST_LAYERS)})


def _layer_apart(
    ours: Toolpath, theirs: Toolpath, mine: int, other: int, tolerance_mm: float
) -> tuple[float, set[Feature]]:
    """Return how far the outlines of a layer part, and which features are not in the same place."""
    from scipy.spatial import cKDTree

    one, two = segments(ours, mine), segments(theirs, other)
    if _same_lines(one, two):
        return 0.0, set()
    worst, moved = 0.0, set()
    outline = FEATURES.index(Feature.OUTER_WALL)
    named = (one[2] == outline).any() and (two[2] == outline).any()
    # Feature by feature: a wall moved by a line's width would find infill of the other file where it lay
    # before.
    for number in np.union1d(one[2], two[2]).tolist():
        ours_lines = [part[one[2] == number] for part in one[:2]]
        theirs_lines = [part[two[2] == number] for part in two[:2]]
        apart = max(_apart(ours_lines, theirs_lines, cKDTree), _apart(theirs_lines, ours_lines, cKDTree))
        if apart > tolerance_mm:
            moved.add(FEATURES[number])
        if number == outline or not named:
            worst = max(worst, apart)
    return worst, moved


def _same_lines(one: Lines, two: Lines) -> bool:
    """Return whether two layers are made of the same lines, in whatever order and direction."""
    if len(one[0]) != len(two[0]):
        return False
    sets = []
    for begin, end, feature in (one, two):
        # Whole micrometres, finer than any file writes: rounding of sums must not make lines differ.
        ends = np.round(np.concatenate((begin, end), axis=1) * 1000)
        backwards = (begin[:, 0] > end[:, 0]) | ((begin[:, 0] == end[:, 0]) & (begin[:, 1] > end[:, 1]))
        # A line laid the other way round is the same line.
        ends[backwards] = ends[backwards][:, [2, 3, 0, 1]]
        rows = np.column_stack((feature, ends))
        sets.append(rows[np.lexsort(rows.T)])
    return bool(np.array_equal(sets[0], sets[1]))


def _apart(lines: list[Floats], against: list[Floats], tree: type) -> float:
    place, _, _ = places_along(lines[0], lines[1], STEP_MM, MOST_ASKED)
    if not len(place):
        return 0.0
    if not len(against[0]):
        return FARTHEST_MM
    return float(_distance(place, against[0], against[1], tree).max())


def _distance(place: Floats, begin: Floats, end: Floats, tree: type) -> Floats:
    """Return the distance of places from the nearest of some lines, mm, at most `FARTHEST_MM`."""
    # Marks so close together that the nearest one lies on the nearest line.
    marks, line, _ = places_along(begin, end, STEP_MM, MOST_MARKS)
    marks = np.concatenate((marks, end))
    line = np.concatenate((line, np.arange(len(end))))
    # The nearest mark need not lie on the nearest line where two lines end close by; a few more settle it.
    count = min(4, len(marks))
    _, near = tree(marks).query(place, k=count, distance_upper_bound=FARTHEST_MM)
    near = near.reshape(len(place), count)
    found = np.full(len(place), FARTHEST_MM)
    for column in near.T:
        known = column < len(marks)
        number = line[np.where(known, column, 0)]
        along = end[number] - begin[number]
        square = np.maximum((along**2).sum(axis=1), 1e-18)
        share = np.clip(((place - begin[number]) * along).sum(axis=1) / square, 0, 1)
        away = np.hypot(*(begin[number] + share[:, None] * along - place).T)
        found = np.where(known, np.minimum(found, away), found)
    return found


def _features(baseline: Sliced, change: Sliced, moved: set[Feature]) -> tuple[FeatureChange, ...]:
    ours, theirs = baseline.by_feature(), change.by_feature()
    found = []
    for feature in FEATURES:
        mine = ours[feature].path_mm if feature in ours else 0.0
        other = theirs[feature].path_mm if feature in theirs else 0.0
        if not mine and not other:
            continue
        if not mine or not other:
            state = "added" if other else "missing"
        elif abs(other - mine) > LENGTH_SHARE * mine:
            state = "longer" if other > mine else "shorter"
        else:
            state = "moved" if feature in moved else "same"
        found.append(FeatureChange(feature, mine, other, state))
    return tuple(found)
