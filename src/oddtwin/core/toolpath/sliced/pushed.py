"""Filament that leaves the nozzle for good, and the pulls that take it back."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.toolpath.gcode import Toolpath
from oddtwin.core.toolpath.sliced.blocks import blocks

MOST_STEPS: Final = 4
"""In so many steps at most is filament unloaded."""
UNLOADED_MM: Final = 20.0
"""Filament pulled back so far at a standstill is unloaded, not retracted (common practice, no source)."""


def pushed_filament(path: Toolpath) -> Floats:
    """Return what every move lays or pushes out beyond what was pulled back before, mm.

    Parameters
    ----------
    path : Toolpath
        The moves.

    Returns
    -------
    numpy.ndarray, shape (moves,)
        Within one stay of a tool, what a move adds to the farthest that its filament has come. A
        stay begins with a change of tool, and where filament is unloaded. What a standing nozzle pushes
        first in it fills the way that unloading had emptied.
    """
    edges = _stays(path)
    lays = path.lays()
    if len(edges) == 2:
        return _stay(path.e, lays, 0.0)[0]
    pushed = np.empty(path.moves)
    tools = path.of_state("tool").take(path.state[edges[:-1]]).tolist() if path.moves else []
    empty: dict[int, float] = {}
    last = 0.0
    for first, end, tool in zip(edges[:-1].tolist(), edges[1:].tolist(), tools, strict=True):
        part = slice(first, end)
        # All tools of one nozzle share what was emptied; a tool of its own knows best how far that was.
        hollow = max(last, empty.get(tool, 0.0))
        pushed[part], last = _stay(path.e[part], lays[part], hollow)
        empty[tool] = last
    return pushed


def _stays(path: Toolpath) -> NDArray[np.int64]:
    """Return where each stay of a tool begins, and the end of the last."""
    tools = path.of_state("tool")
    single = bool((tools == tools[0]).all())
    # Long files of one tool, as most are, go without the arrays that follow.
    if single and path.e.min(initial=0.0) > -UNLOADED_MM / MOST_STEPS:
        return np.array([0, path.moves])
    changed = np.flatnonzero(np.diff(tools.take(path.state))) + 1
    back = (path.e < 0) & (path.length == 0)
    unloaded = np.zeros(0, np.int64)
    if back.any():
        # A pull in steps, some fast and some slow, is one pull.
        number = np.cumsum(back & ~np.concatenate(([False], back[:-1]))) * back
        long = np.flatnonzero(np.bincount(number, -path.e * back) > UNLOADED_MM)
        ends = np.flatnonzero(np.diff(np.append(number, 0)) != 0)
        unloaded = ends[np.isin(number[ends], long[long > 0])] + 1
    return np.unique(np.concatenate(([0], changed, unloaded[unloaded < path.moves], [path.moves])))


def _stay(e: Floats, lays: NDArray[np.bool_], hollow: float) -> tuple[Floats, float]:
    """Return what one stay pushes out, and how far its filament is behind the nozzle at the end, mm."""
    reached = np.cumsum(e)
    if not hollow:
        # Only what goes beyond the farthest point yet is laid: pulling back and pushing comes to nothing.
        behind = float(reached[-1])
        np.maximum.accumulate(reached, out=reached)
        np.maximum(reached, 0.0, out=reached)
        behind = float(reached[-1]) - behind
        # In place and from the end: on a long file a second array is forty megabytes.
        for part in reversed([*blocks(len(reached) - 1)]):
            reached[1:][part] -= reached[:-1][part].copy()
        return reached, behind
    first = int(lays.argmax()) if lays.any() else len(e)
    loaded = np.maximum(np.maximum.accumulate(reached[:first]), hollow)
    pushed = np.empty(len(e))
    pushed[:first] = np.diff(loaded, prepend=hollow)
    # What lays a line comes out, however far the filament was brought by what the file does not say.
    begin = max(0.0, float(reached[:first].max(initial=0.0)))
    farthest = np.maximum(np.maximum.accumulate(reached[first:]), begin)
    pushed[first:] = np.diff(farthest, prepend=begin)
    behind = (farthest[-1] if len(farthest) else loaded[-1]) - reached[-1]
    return pushed, float(behind)


def retraction_starts(e: Floats) -> NDArray[np.bool_]:
    """Return which moves begin to pull filament back; shape (moves,)."""
    starts = np.zeros(len(e), bool)
    before = False
    for part in blocks(len(e)):
        driven = np.flatnonzero(e[part]) + part.start
        if len(driven):
            back = e[driven] < 0
            # What was driven last, maybe in an earlier block, tells whether a pull begins or goes on.
            starts[driven[back & ~np.concatenate(([before], back[:-1]))]] = True
            before = bool(back[-1])
    return starts
