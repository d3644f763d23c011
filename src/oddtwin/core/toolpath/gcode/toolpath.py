"""The moves of a sliced file, as arrays."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from enum import IntFlag, StrEnum
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.language import mark
from oddtwin.core.toolpath.gcode.features import FEATURES, Feature
from oddtwin.core.toolpath.gcode.state import State

Ints = NDArray[np.int64]

DEFAULT_FEED: Final = 25.0
"""Speed of moves before the file has named one, mm/s."""


class Flag(IntFlag):
    """What is special about a move."""

    ARC = 1
    SMOOTH = 2
    """It continues an arc: between it and the move before there is no corner."""
    HOME = 4
    """Not a move at all: the axes were homed, and the path goes on elsewhere."""
    BREAK = 8
    """The machine stands still before it."""


class StopKind(StrEnum):
    """Why the machine stands still."""

    DWELL = mark("dwell")
    HEAT = mark("heat")
    TOOL = mark("tool change")
    HOME = mark("home")
    PAUSE = mark("pause")
    WAIT = mark("wait for the moves before")


@dataclass(frozen=True, slots=True)
class Stop:
    """A standstill before move number ``move``; ``seconds`` is zero where the file does not say."""

    move: int
    kind: StopKind
    seconds: float = 0.0
    tool: int = 0


@dataclass(frozen=True, slots=True)
class Toolpath:
    """The moves of one sliced file; arrays have shape (moves,).

    Parameters
    ----------
    x, y, z : numpy.ndarray
        Where each move ends, mm.
    e : numpy.ndarray
        Filament driven by it, mm; negative when pulled back.
    length : numpy.ndarray
        Its path in space, mm; arcs are exact, though drawn as chords.
    feed : numpy.ndarray
        The speed asked for, mm/s.
    state : numpy.ndarray of int32
        Place in ``states`` of what holds while it is made.
    line : numpy.ndarray of uint32
        Its line in the file, from 1.
    flag : numpy.ndarray of uint8
        `Flag` values.
    layer_start : numpy.ndarray
        Number of the first move of each layer; moves before the first are preparation.
    layer_z : numpy.ndarray
        Height at which each layer is printed, mm.
    states : tuple of State
        The states that occur.
    objects : tuple of str
        Names of the objects.
    stops : tuple of Stop
        Standstills, in order.
    settings : mapping
        Key and value as written in the file.
    unknown : mapping
        Codes that mean nothing here, and how often they occur.
    others : mapping
        Commands that are not understood, as written and with their words, and how often they occur.
    odd_features : tuple of str
        Names of features that nobody knows; `State.spelling` tells where they hold.
    announced_min : float or None
        Minutes that the file itself announces to the machine.
    doubts : tuple of str
        What is wrong with the file, as sentences.
    notes : tuple of str
        What else the user should know about the reading, as sentences.
    lines, size : int
        Lines and bytes of the text.
    """

    x: Floats
    y: Floats
    z: Floats
    e: Floats
    length: Floats
    feed: Floats
    state: NDArray[np.int32]
    line: NDArray[np.uint32]
    flag: NDArray[np.uint8]
    layer_start: Ints
    layer_z: Floats
    states: tuple[State, ...]
    objects: tuple[str, ...] = ()
    stops: tuple[Stop, ...] = ()
    settings: Mapping[str, str] = field(default_factory=dict)
    unknown: Mapping[str, int] = field(default_factory=dict)
    others: Mapping[str, int] = field(default_factory=dict)
    odd_features: tuple[str, ...] = ()
    announced_min: float | None = None
    doubts: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()
    lines: int = 0
    size: int = 0

    @property
    def moves(self) -> int:
        """How many moves there are."""
        return len(self.x)

    @property
    def layers(self) -> int:
        """How many layers there are."""
        return len(self.layer_start)

    def of_state(self, name: str) -> Floats:
        """Return one figure of every state, NaN where the file is silent; shape (states,)."""
        return np.array(
            [np.nan if (value := getattr(state, name)) is None else value for state in self.states],
            np.float64,
        )

    def per_move(self, name: str) -> Floats:
        """Return one figure of the state of every move; shape (moves,)."""
        return self.of_state(name).take(self.state)

    def lays(
        self, moves: slice | None = None, features: Collection[Feature] | None = None
    ) -> NDArray[np.bool_]:
        """Return which of some moves lay filament along a path, in any feature or in some."""
        part = slice(0, self.moves) if moves is None else moves
        found = (self.e[part] > 0) & (self.length[part] > 0)
        if features is not None:
            wanted = np.array([FEATURES[state.feature] in features for state in self.states])
            found &= wanted.take(self.state[part])
        return found

    def span(self, layer: int) -> slice:
        """Return the moves of a layer, counted from 0."""
        starts = self.layer_start
        end = int(starts[layer + 1]) if layer + 1 < len(starts) else self.moves
        return slice(int(starts[layer]), end)

    def start(self, axis: str, moves: slice | None = None) -> Floats:
        """Return where each move begins on an axis, mm."""
        values: Floats = getattr(self, axis)
        whole = slice(0, self.moves) if moves is None else moves
        begin = whole.start or 0
        if begin:
            return values[begin - 1 : whole.stop - 1]
        return np.concatenate(([0.0], values[: max(0, whole.stop - 1)])) if whole.stop else values[:0]
