"""Nozzle wear: the strand that comes out, over the grams of abrasive filament that went through."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np

from oddtwin.core.arrays import Interval
from oddtwin.core.calibrate.fits import line_of, t_of
from oddtwin.core.calibrate.result import CalibrationError, Result, said
from oddtwin.core.calibrate.rows import Row, step_of
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number, format_reading, with_unit

USUAL_LIMIT_MM: Final = 0.02
"""Within this a strand counts as the same (common practice, no source)."""
PER_G: Final = 100.0


def nozzle_wear(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return how far the strand has grown since its own first reading.

    Parameters
    ----------
    rows : sequence of Row
        ``grams`` of abrasive filament printed, and ``strand_mm``.
    options : mapping
        ``limit``: growth that counts as none, mm.

    Raises
    ------
    CalibrationError
        Fewer than three readings, or all after the same grams.
    """
    grams = np.array([row["grams"] for row in rows])
    strand = np.array([row["strand_mm"] for row in rows])
    if len(rows) < 3 or np.ptp(grams) <= 0:
        raise CalibrationError(
            tr(
                "Wear is told from three readings or more, some before and some after: a "
                "strand swells, so that it can be compared with its own first reading only."
            )
        )
    limit = options["limit"]
    step = step_of(rows, "strand_mm")
    line = line_of(grams, strand, step / math.sqrt(12))
    span = float(np.ptp(grams))
    # At two places the line goes through both means, so that this is their difference.
    grown = line.slope * span
    u = line.u_slope * span
    reach, one_sided = t_of(line.df) * u, t_of(line.df, 0.95) * u
    ends = grown - reach, grown + reach
    per, per_reach = PER_G * line.slope, PER_G * t_of(line.df) * line.u_slope
    inside = -limit < grown - one_sided and grown + one_sided < limit
    told, advice = _words(ends, limit, span, inside=inside)
    sentence = (
        f"{told}: {said(grown, 'mm', ends, 3)}, {said(per, 'mm', decimals=4)} a {format_reading(PER_G)} g."
    )
    more = {
        "repeatability_mm": line.sd,
        "slope_per_100g": per,
        "slope_ci95": [per - per_reach, per + per_reach],
        "no_wear": inside,
        "grams": span,
    }
    return Result(grown, "mm", ends, sentence, advice, _warnings(rows, step, limit), more=more)


def _words(ends: Interval, limit: float, span: float, *, inside: bool) -> tuple[str, str]:
    """Return what is said of wear, and what to do."""
    within = with_unit(format_number(limit, 3), "mm")
    after = with_unit(format_number(span, 0), "g")
    if inside:
        return tr("No wear is shown beyond {within} after {after}", within=within, after=after), ""
    if ends[0] > 0:
        sure = tr("read it again, then change the nozzle")
        return tr("The strand has grown after {after}", after=after), sure if ends[0] > limit else tr(
            "read it again after more prints"
        )
    told = tr("Whether it has worn by {within} after {after} is open", within=within, after=after)
    return told, tr("read more strands: the interval is wider than what counts")


def _warnings(rows: Sequence[Row], step: float, limit: float) -> tuple[str, ...]:
    if step > limit / 2:
        return (
            tr(
                "The calliper shows steps of {step} mm: too coarse for a limit of {limit} mm.",
                step=format_reading(step),
                limit=format_reading(limit),
            ),
        )
    first = min(row["grams"] for row in rows)
    if sum(row["grams"] == first for row in rows) < 2:
        return (
            tr(
                "Of the first strand there is one reading; the next time read a new nozzle "
                "two or three times."
            ),
        )
    return ()
