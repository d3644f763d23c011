"""Many questions asked of one study: each alone would err once in twenty, all together far more often."""

from __future__ import annotations

from collections.abc import Sequence


def holm(values: Sequence[float | None]) -> list[float | None]:
    """Adjust p values of a family for their number (Holm 1979; from memory).

    Parameters
    ----------
    values : sequence of float or None
        None where nothing was tested; such count for nothing.
    """
    tested = sorted((value, place) for place, value in enumerate(values) if value is not None)
    found: list[float | None] = [None] * len(values)
    reached = 0.0
    for rank, (value, place) in enumerate(tested):
        reached = max(reached, min(1.0, value * (len(tested) - rank)))
        found[place] = reached
    return found
