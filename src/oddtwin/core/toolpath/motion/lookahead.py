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

from oddtwin.core.arrays import Floats

BLOCK: Final = 64
PART: Final = 1 << 16
MOST_ROUNDS: Final = 200
WORK: Final = 3


def corner_speeds(corner: Floats, room: Floats) -> Floats:
    """Return the squared speed at every corner.

    Parameters
    ----------
    corner : numpy.ndarray, shape (moves + 1,)
        Squared speed that each corner allows, (mm/s)²; the first and last are those of the ends. It is
        lowered in place, and returned.
    room : numpy.ndarray, shape (moves,)
        Twice acceleration times length of each move, (mm/s)².

    Returns
    -------
    numpy.ndarray, shape (moves + 1,)
    """
    # The array of corners becomes that of speeds: on a long file a copy is forty megabytes.
    speed = corner
    _lower(speed, room)
    # The same backwards: braking for a corner ahead is speeding up away from it, seen from the end.
    _lower(speed[::-1], room[::-1])
    return speed


def _lower(speed: Floats, room: Floats) -> None:
    """Lower u in place until u[i + 1] ≤ u[i] + room[i] everywhere, and no farther."""
    late = _too_fast(speed, room)
    budget = WORK * len(room)
    for _ in range(MOST_ROUNDS):
        if not len(late):
            return
        budget -= len(late)
        if budget < 0:
            break
        after = late + 1
        lowered = speed[late] + room[late]
        speed[after] = lowered
        if after[-1] == len(room):
            after, lowered = after[:-1], lowered[:-1]
        # Only what was lowered can make its neighbour too fast, so each round looks at those few alone.
        late = after[speed[after + 1] > lowered + room[after]]
    _by_blocks(speed, room)


def _too_fast(speed: Floats, room: Floats) -> NDArray[np.int64]:
    """Return the moves at whose end the speed is greater than the ramp from their start allows."""
    found = []
    for begin in range(0, len(room), PART):
        end = min(len(room), begin + PART)
        found.append(np.flatnonzero(speed[begin + 1 : end + 1] > speed[begin:end] + room[begin:end]) + begin)
    return np.concatenate(found) if found else np.zeros(0, np.int64)


def _by_blocks(speed: Floats, room: Floats) -> None:
    """Do the same by composing the maps of blocks of moves."""
    count = -(-len(room) // BLOCK)
    whole = len(room) // BLOCK * BLOCK
    tops, steps = np.full((BLOCK, count), np.inf), np.zeros((BLOCK, count))
    for source, target in ((speed[1:], tops), (room, steps)):
        target[:, : whole // BLOCK] = source[:whole].reshape(-1, BLOCK).T
        target[: len(room) - whole, -1:] = source[whole:, None]
    total, most = np.zeros(count), np.full(count, np.inf)
    for top, step in zip(tops, steps, strict=True):
        # A block of moves maps the speed at its begin to min(top, speed + room) at its end, and maps of
        # that form compose to one of the same form: so whole blocks are passed in one step each.
        total += step
        most += step
        np.minimum(most, top, out=most)
    begin = np.empty(count)
    now = float(speed[0])
    for block, (ramp, bound) in enumerate(zip(total.tolist(), most.tolist(), strict=True)):
        begin[block] = now
        now = min(bound, now + ramp)
    for place in range(BLOCK):
        begin = np.minimum(tops[place], begin + steps[place])
        tops[place] = begin
    speed[1:] = tops.T.reshape(-1)[: len(room)]
