"""Moves some at a time, so that what is worked out of them stays small."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

BLOCK: Final = 1 << 16


def blocks(count: int) -> Iterator[slice]:
    """Yield slices of some moves at a time."""
    for begin in range(0, count, BLOCK):
        yield slice(begin, min(count, begin + BLOCK))
