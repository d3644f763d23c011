"""Columns of moves: how they grow, are followed from row to row, and where curves become chords."""

from __future__ import annotations

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.toolpath.gcode.arcs import cut_all
from oddtwin.core.toolpath.gcode.scan import COLUMNS
from oddtwin.core.toolpath.gcode.toolpath import Flag

Bools = NDArray[np.bool_]
Column = NDArray[Any]

CENTRE_X, CENTRE_Y, RADIUS = (COLUMNS.index(letter) for letter in "IJR")
FIELDS: Final = (
    ("x", np.float64),
    ("y", np.float64),
    ("z", np.float64),
    ("e", np.float64),
    ("length", np.float64),
    ("feed", np.float64),
    ("state", np.int32),
    ("line", np.uint32),
    ("flag", np.uint8),
)


ROOM: Final = 4
"""A column that is full grows to so many times what it has to hold."""


class Growing:
    """A column that grows at its end; what it is made of is not kept beside it."""

    def __init__(self, kind: type) -> None:
        self._values: Column = np.empty(1 << 14, kind)
        self._count = 0

    def add(self, values: Column) -> None:
        """Put values at the end."""
        end = self._count + len(values)
        if end > len(self._values):
            # Room far beyond what is needed costs nothing until it is written to: the system gives memory by
            # the page. Parts that are joined at the end would leave twice the memory behind them instead.
            grown = np.empty(ROOM * end, self._values.dtype)
            grown[: self._count] = self._values[: self._count]
            self._values = grown
        self._values[self._count : end] = values
        self._count = end

    def taken(self) -> Column:
        """Return the whole column, and forget it."""
        found, self._values = self._values, self._values[:0]
        found.resize(self._count, refcheck=False)
        return found


def follow(word: Floats, relative: Bools | bool, start: float) -> Floats:
    """Return where an axis stands after every row.

    Parameters
    ----------
    word : numpy.ndarray, shape (rows,)
        What was written, mm; NaN for nothing.
    relative : bool or numpy.ndarray of bool
        Where it is a step.
    start : float
        Where the axis stood before, mm.
    """
    given = ~np.isnan(word)
    if relative is True:
        return np.asarray(start + np.cumsum(np.where(given, word, 0.0)))
    placed = given if relative is False else given & ~np.asarray(relative)
    if placed.all():
        return word
    # Number of the last row that says where the axis is; zero is the start. Rows that say nothing stay
    # there.
    index = np.where(placed, np.arange(1, len(word) + 1), 0)
    np.maximum.accumulate(index, out=index)
    base = np.concatenate(([start], word)).take(index)
    if relative is False:
        return np.asarray(base)
    steps = np.concatenate(([0.0], np.cumsum(np.where(given & ~placed, word, 0.0))))
    # Steps since the last absolute place: a running sum, less what it was there.
    return np.asarray(base + (steps[1:] - steps[index]))


def bend(
    fields: dict[str, Column],
    start: Floats,
    motion: NDArray[np.int8],
    values: Floats,
    curves: Floats | None,
) -> tuple[dict[str, Column], NDArray[np.int64]]:
    """Replace the arcs and curves among some moves by chords; returns how many each move became."""
    arcs = np.flatnonzero(motion >= 2)
    end = np.stack([np.asarray(fields[axis], np.float64)[arcs] for axis in "xyz"])
    chords = cut_all(
        start[:, arcs],
        end,
        values[[CENTRE_X, CENTRE_Y, RADIUS]][:, arcs],
        motion[arcs],
        None if curves is None else curves[:, arcs],
    )
    count = np.ones(len(motion), np.int64)
    count[arcs] = chords.count
    bent = {name: np.repeat(column, count) for name, column in fields.items()}
    inside = np.repeat(motion >= 2, count)
    bent["x"][inside], bent["y"][inside], bent["z"][inside] = chords.x, chords.y, chords.z
    bent["length"][inside] = chords.length
    # Filament is laid along the arc evenly, so each chord has its share of it.
    bent["e"][inside] = np.asarray(bent["e"], np.float64)[inside] * chords.share
    flag = np.where(inside, int(Flag.ARC | Flag.SMOOTH), 0).astype(np.uint8)
    # The first chord of an arc meets the move before it at a corner; only those after it flow on.
    flag[np.cumsum(count) - count] &= ~np.uint8(Flag.SMOOTH)
    bent["flag"] = flag
    return bent, count
