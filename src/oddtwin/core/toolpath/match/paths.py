"""Whether the paths of two files are the same: layers, outlines, features."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.quantities import format_list
from oddtwin.core.toolpath.gcode import FEATURES, Feature, Toolpath
from oddtwin.core.toolpath.sliced import Sliced, places_along

Lines = tuple[Floats, Floats, NDArray[np.int64]]
"""Begins and ends, shape (lines, 2), and features."""

TOLERANCE_MM: Final = 0.05
SAME_Z_MM: Final = 0.02
STEP_MM: Final = 0.6
MOST_LAYERS: Final = 200
"""Layers whose lines are compared."""
MOST_MEASURED: Final = 40
"""Layers in which it is measured how far apart the lines lie."""
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
    reordered : tuple of int
        Layers of the baseline's file whose lines are the same, but laid in another order.
    reordered_features : tuple of Feature
        In which features.
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
    reordered: tuple[int, ...] = ()
    reordered_features: tuple[Feature, ...] = ()

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
        return f"{first}; {second}{third}{self._order}."

    @property
    def _order(self) -> str:
        """Say which layers have the same lines in another order."""
        if not self.reordered:
            return ""
        names = format_list([feature.value for feature in self.reordered_features])
        count = len(self.reordered)
        of = f" of {self.looked_at} looked at" if self.looked_at < self.layers[0] else ""
        span = f"layer {self.reordered[0] + 1}"
        if count > 1:
            span = f"{count} layers{of}, {self.reordered[0] + 1} to {self.reordered[-1] + 1}"
        return f"; the same lines are laid in another order in {span} ({names})"


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
    others: set[Feature] = set()
    reordered: list[int] = []
    if not identical:
        # Spread evenly and with both ends: a shifted origin shows everywhere, a changed top only at the
        # end.
        chosen = _spread(pairs, MOST_LAYERS)
        apart = []
        for mine, other in chosen:
            job.check()
            looked += 1
            job.tell(0.5 * looked / len(chosen))
            order = _order_of(ours, theirs, mine, other)
            if order is None:
                apart.append((mine, other))
            elif order:
                reordered.append(mine)
                others |= order
        if chosen and len(apart) < len(chosen):
            worst, worst_z = 0.0, float(ours.layer_z[chosen[0][0]])
        measured = _spread(apart, MOST_MEASURED)
        for count, (mine, other) in enumerate(measured, 1):
            job.check()
            job.tell(0.5 + 0.5 * count / len(measured))
            layer = _check_layer(ours, theirs, mine, other, tolerance_mm)
            if layer.moved:
                parted.append(mine)
                moved |= layer.moved
            if worst is None or layer.apart_mm > worst:
                worst, worst_z = layer.apart_mm, float(ours.layer_z[mine])
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
        tuple(reordered),
        tuple(feature for feature in FEATURES if feature in others),
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


def next_difference(ours: Toolpath, theirs: Toolpath, after: int, job: Job = UNWATCHED) -> int | None:
    """Return the next layer of a file whose lines, or their order, are others in the other file.

    Parameters
    ----------
    ours, theirs : Toolpath
        The files.
    after : int
        The layer from which to look upwards, and from the bottom again; it is looked at last.
    job : Job
        Told the share that is done; stops the work between layers.

    Returns
    -------
    int or None
        Of ``ours``, from 0; a layer that the other file does not have differs too.

    Raises
    ------
    CancelledError
        The job was cancelled.
    """
    pairs = dict(layer_pairs(ours, theirs))
    for step in range(1, ours.layers + 1):
        job.check()
        job.tell(step / ours.layers)
        mine = (after + step) % ours.layers
        if mine not in pairs:
            return mine
        one, two = segments(ours, mine), segments(theirs, pairs[mine])
        if not np.array_equal(_rows(one), _rows(two)):
            return mine
    return None


def parted_points(
    ours: Toolpath, theirs: Toolpath, mine: int, other: int, tolerance_mm: float = TOLERANCE_MM
) -> Floats:
    """Return the places where the printed paths of two layers part, shape (places, 2), mm."""
    one, two = segments(ours, mine), segments(theirs, other)
    if _same_rows(_rows(one), _rows(two)):
        return np.zeros((0, 2))
    found = []
    for lines, against in ((one, two), (two, one)):
        place, _, _ = places_along(lines[0], lines[1], STEP_MM, MOST_ASKED)
        if len(place) and len(against[0]):
            place = place[_Lines(*against[:2]).distance(place) > tolerance_mm]
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


def _spread(pairs: list[tuple[int, int]], most: int) -> list[tuple[int, int]]:
    """Return some pairs of layers, spread evenly and with both ends."""
    if len(pairs) <= most:
        return pairs
    return [pairs[k] for k in sorted({int(k) for k in np.linspace(0, len(pairs) - 1, most)})]


def _order_of(ours: Toolpath, theirs: Toolpath, mine: int, other: int) -> frozenset[Feature] | None:
    """Return the features of a layer whose lines are laid in another order; None where lines are others."""
    one, two = _rows(segments(ours, mine)), _rows(segments(theirs, other))
    return _reordered(one, two) if _same_rows(one, two) else None


@dataclass(frozen=True, slots=True)
class _LayerCheck:
    """How far the outlines of a layer part, mm, and the features that moved."""

    apart_mm: float
    moved: frozenset[Feature]


def _check_layer(ours: Toolpath, theirs: Toolpath, mine: int, other: int, tolerance_mm: float) -> _LayerCheck:
    one, two = segments(ours, mine), segments(theirs, other)
    worst, moved = 0.0, set()
    outline = FEATURES.index(Feature.OUTER_WALL)
    named = (one[2] == outline).any() and (two[2] == outline).any()
    # Feature by feature: a wall moved by a line's width would find infill of the other file where it lay
    # before.
    for number in np.union1d(one[2], two[2]).tolist():
        ours_lines = [part[one[2] == number] for part in one[:2]]
        theirs_lines = [part[two[2] == number] for part in two[:2]]
        apart = max(_apart(ours_lines, theirs_lines), _apart(theirs_lines, ours_lines))
        if apart > tolerance_mm:
            moved.add(FEATURES[number])
        if number == outline or not named:
            worst = max(worst, apart)
    return _LayerCheck(worst, frozenset(moved))


def _rows(lines: Lines) -> Floats:
    """Return lines as rows of feature and ends, whichever way they are laid, in their order."""
    begin, end, feature = lines
    # Whole micrometres, finer than any file writes: rounding of sums must not make lines differ.
    ends = np.round(np.concatenate((begin, end), axis=1) * 1000)
    backwards = (begin[:, 0] > end[:, 0]) | ((begin[:, 0] == end[:, 0]) & (begin[:, 1] > end[:, 1]))
    # A line laid the other way round is the same line.
    ends[backwards] = ends[backwards][:, [2, 3, 0, 1]]
    return np.column_stack((feature, ends))


def _same_rows(one: Floats, two: Floats) -> bool:
    """Return whether two layers are made of the same lines, in whatever order and direction."""
    return len(one) == len(two) and bool(np.array_equal(one[np.lexsort(one.T)], two[np.lexsort(two.T)]))


def _reordered(one: Floats, two: Floats) -> frozenset[Feature]:
    """Return the features whose lines, the same in both layers, are laid in another order."""
    if np.array_equal(one, two):
        return frozenset()
    numbers = np.unique(one[:, 0]).tolist()
    own = [
        FEATURES[int(number)]
        for number in numbers
        if not np.array_equal(one[one[:, 0] == number], two[two[:, 0] == number])
    ]
    # Each in its own order, but one after the other otherwise.
    return frozenset(own or (FEATURES[int(number)] for number in numbers))


def _apart(lines: list[Floats], against: list[Floats]) -> float:
    """Return how far lines lie from others, mm, at most `FARTHEST_MM`."""
    place, _, _ = places_along(lines[0], lines[1], STEP_MM, MOST_ASKED)
    if not len(place):
        return 0.0
    if not len(against[0]):
        return FARTHEST_MM
    others = _Lines(*against)
    near = others.nearest_mark(place)
    # No line is farther than its nearest mark, nor nearer by more than half a step: only the places that may
    # be the farthest are asked for the line itself.
    return float(others.distance(place[near >= near.max() - others.step / 2]).max())


class _Lines:
    """Lines that places are compared with, shape (lines, 2), mm: marks close together along them."""

    def __init__(self, begin: Floats, end: Floats) -> None:
        from scipy.spatial import cKDTree

        self._begin, self._end = begin, end
        # So close that the nearest mark lies on the nearest line, or nearly.
        marks, line, self.step = places_along(begin, end, STEP_MM, MOST_MARKS)
        self._marks = np.concatenate((marks, end))
        self._line = np.concatenate((line, np.arange(len(end))))
        # Splitting at the middle of a box and not at the median: built twice as fast, asked as fast.
        self._tree = cKDTree(self._marks, balanced_tree=False, compact_nodes=False)

    def nearest_mark(self, place: Floats) -> Floats:
        """Return the distance of places from the nearest mark, mm, at most `FARTHEST_MM`."""
        near, _ = self._tree.query(place, distance_upper_bound=FARTHEST_MM)
        return np.minimum(near, FARTHEST_MM)

    def distance(self, place: Floats) -> Floats:
        """Return the distance of places from the nearest line, mm, at most `FARTHEST_MM`."""
        # The nearest mark need not lie on the nearest line where two lines end close by; a few more settle
        # it.
        count = min(4, len(self._marks))
        _, near = self._tree.query(place, k=count, distance_upper_bound=FARTHEST_MM)
        near = near.reshape(len(place), count)
        found = np.full(len(place), FARTHEST_MM)
        for column in near.T:
            known = column < len(self._marks)
            number = self._line[np.where(known, column, 0)]
            along = self._end[number] - self._begin[number]
            square = np.maximum((along**2).sum(axis=1), 1e-18)
            share = np.clip(((place - self._begin[number]) * along).sum(axis=1) / square, 0, 1)
            away = np.hypot(*(self._begin[number] + share[:, None] * along - place).T)
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
