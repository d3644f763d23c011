"""Look-ahead: how fast a machine may be at every corner so that it can still brake for the next.

With u = v², a move of length d at acceleration a changes u by at most 2ad. So the
greatest speeds follow the recurrence u_i = min(c_i, u_{i±1} + 2ad) both ways, and the
two ways do not disturb one another. Most corners already keep to it: only those that do not
are lowered, again and again until none is left. Where long ramps would need too many
rounds, the maps x → min(m, x + T) of 64 moves at a time are composed instead.
"""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

BLOCK: Final = 64
MOST_ROUNDS: Final = 400
WORK: Final = 4


def corner_speeds(corner: Floats, room: Floats) -> Floats:
    """Return the squared speed at every corner.

    Parameters
    ----------
    corner : numpy.ndarray, shape (moves + 1,)
        Squared speed that each corner allows, (mm/s)²; the first and last are those of the ends.
    room : numpy.ndarray, shape (moves,)
        Twice acceleration times length of each move, (mm/s)².

    Returns
    -------
    numpy.ndarray, shape (moves + 1,)
    """
    forward = _lower(corner, room)
    backward = _lower(corner[::-1], room[::-1])[::-1]
    return np.minimum(forward, backward)


def _lower(corner: Floats, room: Floats) -> Floats:
    """Return u with u[i + 1] = min(corner[i + 1], u[i] + room[i])."""
    speed = corner.copy()
    reach = speed[:-1] + room
    late = np.flatnonzero(speed[1:] > reach)
    budget = WORK * len(room)
    for _ in range(MOST_ROUNDS):
        if not len(late):
            return speed
        budget -= len(late)
        if budget < 0:
            break
        after = late + 1
        lowered = speed[late] + room[late]
        speed[after] = lowered
        inside = after < len(room)
        if not inside[-1]:
            after, lowered = after[inside], lowered[inside]
        late = after[speed[after + 1] > lowered + room[after]]
    return _by_blocks(corner, room)


def _by_blocks(corner: Floats, room: Floats) -> Floats:
    """Do the same by composing the maps of blocks of moves."""
    count = -(-len(room) // BLOCK)
    padding = count * BLOCK - len(room)
    tops = np.concatenate((corner[1:], np.full(padding, np.inf))).reshape(count, BLOCK).T.copy()
    steps = np.concatenate((room, np.zeros(padding))).reshape(count, BLOCK).T.copy()
    total, most = np.zeros(count), np.full(count, np.inf)
    for top, step in zip(tops, steps, strict=True):
        total += step
        most += step
        np.minimum(most, top, out=most)
    begin = np.empty(count)
    speed = float(corner[0])
    for block, (ramp, bound) in enumerate(zip(total.tolist(), most.tolist(), strict=True)):
        begin[block] = speed
        speed = min(bound, speed + ramp)
    for place in range(BLOCK):
        begin = np.minimum(tops[place], begin + steps[place])
        tops[place] = begin
    return np.concatenate((corner[:1], tops.T.reshape(-1)[: len(room)]))
