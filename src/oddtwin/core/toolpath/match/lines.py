"""The lines of one layer: their ends, their order, and how far they lie from others."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.toolpath.gcode import FEATURES, Feature, Toolpath
from oddtwin.core.toolpath.sliced import places_along

Lines = tuple[Floats, Floats, NDArray[np.int64]]
"""Begins and ends, shape (lines, 2), and features."""

STEP_MM: Final = 0.6
MOST_ASKED: Final = 6000
"""Places of a layer that are asked for how far they are from the other file's lines."""
MOST_MARKS: Final = 300_000
FARTHEST_MM: Final = 5.0


def segments(path: Toolpath, layer: int) -> Lines:
    """Return begin and end, shape (lines, 2), and feature of every line laid in a layer."""
    span = path.span(layer)
    laid = path.lays(span)
    begin = np.stack([path.start("x", span), path.start("y", span)], axis=1)[laid]
    end = np.stack([path.x[span], path.y[span]], axis=1)[laid]
    features = np.array([state.feature for state in path.states], np.int64)
    return begin, end, features.take(path.state[span][laid])


def rows_of(lines: Lines) -> Floats:
    """Return lines as rows of feature and ends, whichever way they are laid, in their order."""
    begin, end, feature = lines
    # Whole micrometres, finer than any file writes: rounding of sums must not make lines differ.
    ends = np.round(np.concatenate((begin, end), axis=1) * 1000)
    backwards = (begin[:, 0] > end[:, 0]) | ((begin[:, 0] == end[:, 0]) & (begin[:, 1] > end[:, 1]))
    # A line laid the other way round is the same line.
    ends[backwards] = ends[backwards][:, [2, 3, 0, 1]]
    return np.column_stack((feature, ends))


def same_rows(one: Floats, two: Floats) -> bool:
    """Return whether two layers are made of the same lines, in whatever order and direction."""
    return len(one) == len(two) and bool(np.array_equal(one[np.lexsort(one.T)], two[np.lexsort(two.T)]))


def reordered_features(one: Floats, two: Floats) -> frozenset[Feature]:
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


def distance_apart(lines: list[Floats], against: list[Floats]) -> float:
    """Return how far lines lie from others, mm, at most `FARTHEST_MM`."""
    place, _, _ = places_along(lines[0], lines[1], STEP_MM, MOST_ASKED)
    if not len(place):
        return 0.0
    if not len(against[0]):
        return FARTHEST_MM
    others = Laid(*against)
    near = others.nearest_mark(place)
    # No line is farther than its nearest mark, nor nearer by more than half a step: only the places that may
    # be the farthest are asked for the line itself.
    return float(others.distance(place[near >= near.max() - others.step / 2]).max())


def places_apart(lines: Lines, against: Lines, tolerance_mm: float) -> Floats:
    """Return places along lines that lie farther from all others than a tolerance, shape (n, 2), mm."""
    place, _, _ = places_along(lines[0], lines[1], STEP_MM, MOST_ASKED)
    if not len(place) or not len(against[0]):
        return place
    return place[Laid(*against[:2]).distance(place) > tolerance_mm]


class Laid:
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
