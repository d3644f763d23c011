"""Limits by pass and fail: the highest or lowest level that still holds."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from oddtwin.core.calibrate.result import CalibrationError, Result, said
from oddtwin.core.calibrate.rows import Row
from oddtwin.core.language import tr
from oddtwin.core.quantities import capitalized, format_number, with_unit


def highest_that_holds(rows: Sequence[Row], options: Mapping[str, float], unit: str, what: str) -> Result:
    """Return between which levels a thing begins to fail: the last that always held, the first that failed.

    Parameters
    ----------
    rows : sequence of Row
        ``level`` and ``held``.
    options : mapping
        ``falling``: 1 where low levels fail; maybe ``most``, the maker's rating.
    unit, what : str
        Of the level, and what it is of.

    Raises
    ------
    CalibrationError
        There is no level that held.
    """
    sign = -1.0 if options.get("falling") else 1.0
    tries = _tries(rows)
    levels = sorted(tries, key=lambda level: sign * level)
    table = tuple({"level": one, "held": sum(tries[one]), "of": len(tries[one])} for one in levels)
    whole = [all(tries[level]) for level in levels]
    if not whole[0]:
        raise CalibrationError(tr(
            "It failed at {levels} already; begin with a level that holds.",
            levels=with_unit(format_number(levels[0]), unit),
        ))  # fmt: skip
    first = next((place for place, held in enumerate(whole) if not held), None)
    warnings = _warnings([tries[level] for level in levels], first)
    if first is None:
        told = tr("It held up to {said}, the last level tried.", said=said(levels[-1], unit))
        return Result(
            None, unit, None, told, tr("try further levels to find the limit"), tuple(warnings), table
        )
    low, high = levels[first - 1], levels[first]
    value = (low + high) / 2
    ends = (min(low, high), max(low, high))
    between = tr("holds at {said} and fails at {said2}", said=said(low, unit), said2=said(high, unit))
    told = tr("{what} {between}; the limit lies between.", what=capitalized(what), between=between)
    most = options.get("most")
    if most is not None and np.sign(sign) * (low - most) > 0:
        warnings.append(tr(
            "The maker rates it at {most}: stay within that, whatever held.",
            most=with_unit(format_number(most), unit),
        ))  # fmt: skip
        low = most
    advice = tr("stay at {said} or well inside of it", said=said(low, unit))
    return Result(value, unit, ends, told, advice, tuple(warnings), table)


def _tries(rows: Sequence[Row]) -> dict[float, list[bool]]:
    found: dict[float, list[bool]] = {}
    for row in rows:
        found.setdefault(row["level"], []).append(row["held"])
    return found


def _warnings(tries: Sequence[Sequence[bool]], first: int | None) -> list[str]:
    """Say what speaks against a limit, by the tries of each level and the first that failed."""
    found = []
    # A level that holds beyond one that failed: chance, or the limit moves as things warm up.
    if first is not None and any(any(some) for some in tries[first:]):
        found.append(
            tr("Beyond a level that failed some tries held: the limit is not sharp; repeat those levels.")
        )
    if min(len(some) for some in tries) < 3:
        found.append(
            tr("A level that held once or twice may fail the third time; try those at the limit three times.")
        )
    return found
