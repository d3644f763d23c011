"""Purge volumes by pair of colours: the least that leaves no more than a wanted trace of the one before."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, Final

import numpy as np

from oddtwin.core.calibrate.fits import curve_of, ends_of
from oddtwin.core.calibrate.result import CalibrationError, Result, said
from oddtwin.core.calibrate.rows import Row, step_of
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_reading

FEWEST: Final = 3


def purge_pairs(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return the least volume of each pair of colours, and the whole as a matrix.

    Parameters
    ----------
    rows : sequence of Row
        ``from`` and ``to`` colour, ``volume`` in mm³, and ``trace``: a grade, or ΔE.
    options : mapping
        ``limit``: trace that is wanted at most; ``minimum``: what the machine purges at least, mm³.

    Raises
    ------
    CalibrationError
        A pair with fewer than three volumes.
    """
    limit, minimum = options["limit"], options["minimum"]
    rng = np.random.default_rng(0)
    pairs: dict[tuple[str, str], list[Row]] = {}
    for row in rows:
        pairs.setdefault((row["from"], row["to"]), []).append(row)
    table = [_pair(pair, some, limit, minimum, rng) for pair, some in pairs.items()]
    warnings = _warnings(table, minimum)
    known = [row for row in table if row["reached"]]
    if not known:
        return Result(
            None, "mm³", None, tr("No pair reached what was wanted."), "", tuple(warnings), tuple(table)
        )
    worst = max(known, key=lambda row: float(row["volume_mm3"]))
    ends = worst["ci95"] if worst["ci95"] and all(map(math.isfinite, worst["ci95"])) else None
    told = tr(
        "Most is needed from {worst} to {worst2}: {said}.",
        worst=worst["from"],
        worst2=worst["to"],
        said=said(worst["volume_mm3"], "mm³", ends, 0),
    )
    advice = tr("set the volume of each pair to the upper end of its interval")
    return Result(
        worst["volume_mm3"],
        "mm³",
        worst["ci95"],
        told,
        advice,
        tuple(warnings),
        tuple(table),
        {"matrix": _matrix(known, list(pairs))},
    )


def _warnings(table: Sequence[Mapping[str, Any]], minimum: float) -> list[str]:
    """Say which pairs need less than the machine can purge, and for which nothing was enough."""
    warnings = [
        tr(
            "{row} to {row2} needs less than the machine purges at least ({minimum} "
            "mm³): lower levels are the same print.",
            row=row["from"],
            row2=row["to"],
            minimum=format_reading(minimum),
        )
        for row in table
        if row["floored"]
    ]
    open_pairs = [
        tr("{row} to {row2}", row=row["from"], row2=row["to"]) for row in table if not row["reached"]
    ]
    if open_pairs:
        warnings.append(
            tr(
                "Not even the largest volume was enough for {open_pairs}; try larger ones.",
                open_pairs=", ".join(open_pairs),
            )
        )
    return warnings


def _matrix(
    known: Sequence[Mapping[str, Any]], pairs: Sequence[tuple[str, str]]
) -> dict[str, dict[str, float | None]]:
    """Return the volume from each colour to each other one; None where nobody tried."""
    colours = list(dict.fromkeys([name for pair in pairs for name in pair]))
    least_of = {(row["from"], row["to"]): row["volume_mm3"] for row in known}
    return {a: {b: least_of.get((a, b)) for b in colours if b != a} for a in colours}


def _pair(
    pair: tuple[str, str], rows: Sequence[Row], limit: float, minimum: float, rng: np.random.Generator
) -> dict[str, Any]:
    """Return the least volume of one pair."""
    volume = np.array([row["volume"] for row in rows])
    if len(np.unique(volume)) < FEWEST:
        raise CalibrationError(
            tr("{pair} to {pair2}: try {FEWEST} volumes or more.", pair=pair[0], pair2=pair[1], FEWEST=FEWEST)
        )
    # Less is left the more is purged: the curve falls, and its mirror rises.
    curve = curve_of(volume, -np.array([row["trace"] for row in rows]), step_of(rows, "trace"))
    draws = curve.crossings(-limit, rng)
    least = curve.crossing(-limit)
    return {
        "from": pair[0],
        "to": pair[1],
        "volume_mm3": max(least, minimum),
        "ci95": None if draws is None else ends_of(np.maximum(draws, minimum)),
        "reached": math.isfinite(least),
        "floored": least < minimum,
    }
