"""Heat-up and homing: what a print takes beyond its prediction, and what a long one will take."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Final

import numpy as np

from oddtwin.core.calibrate.fits import Line, line_of, t_of
from oddtwin.core.calibrate.result import CalibrationError, Result, said
from oddtwin.core.calibrate.rows import Row
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number

FEWEST: Final = 3
FARTHEST: Final = 3.0
"""Times the longest logged print: beyond it nobody has seen what happens (common practice, no source)."""
SPREAD: Final = 1.3
H: Final = 60.0


def overhead(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return measured = warm-up + slope × predicted; with a predicted time, what that print will take.

    Parameters
    ----------
    rows : sequence of Row
        ``predicted_min`` and ``measured_min``.
    options : mapping
        Maybe ``for``, a predicted time in minutes.

    Raises
    ------
    CalibrationError
        Fewer than three prints, prints of nearly one length, or a time beyond three times the longest.
    """
    predicted = np.array([row["predicted_min"] for row in rows])
    measured = np.array([row["measured_min"] for row in rows])
    if len(rows) < FEWEST:
        raise CalibrationError(
            tr("There are {rows} prints; log {FEWEST} or more.", rows=len(rows), FEWEST=FEWEST)
        )
    if predicted.max() < SPREAD * predicted.min():
        raise CalibrationError(
            tr(
                "The prints are of nearly one length, so that warm-up and slope cannot be "
                "told apart; log a short and a long one."
            )
        )
    line = line_of(predicted, measured)
    t = t_of(line.df)
    base = (line.intercept - t * line.u_intercept, line.intercept + t * line.u_intercept)
    slope = (line.slope - t * line.u_slope, line.slope + t * line.u_slope)
    longest = float(predicted.max())
    more: dict[str, Any] = {
        "overhead_min": line.intercept,
        "overhead_ci95": list(base),
        "slope": line.slope,
        "slope_ci95": list(slope),
        "scatter_min": line.sd,
        "until_min": FARTHEST * longest,
    }
    told = tr(
        "Warm-up {said}, then {slope} × predicted.",
        said=said(line.intercept, "min", base, 1),
        slope=format_number(line.slope, 3),
    )
    wanted = options.get("for")
    if wanted is None:
        return Result(line.intercept, "min", base, told, more=more)
    return _foretold(line, wanted, longest, told, more)


def _foretold(line: Line, wanted: float, longest: float, told: str, more: Mapping[str, Any]) -> Result:
    """Return what a print of a predicted time will take."""
    if wanted > FARTHEST * longest:
        raise CalibrationError(
            tr(
                "{hours} is more than three times the longest logged print ({hours2}); "
                "nobody has seen how that goes on. Log a longer print first.",
                hours=_hours(wanted),
                hours2=_hours(longest),
            )
        )
    value = line.at(wanted)
    # Of one further print, not of the mean of all: that is what somebody waits for.
    reach = line.reach(wanted, one=True)
    ends = value - reach, value + reach
    told = tr(
        "Predicted {hours}, takes {hours2} ({hours3} to {hours4}). {told}",
        hours=_hours(wanted),
        hours2=_hours(value),
        hours3=_hours(ends[0]),
        hours4=_hours(ends[1]),
        told=told,
    )
    warnings: tuple[str, ...] = ()
    if wanted > longest:
        warnings = (tr("It is longer than every logged print (up to {hours}).", hours=_hours(longest)),)
    return Result(value, "min", ends, told, "", warnings, more=more)


def _hours(minutes: float) -> str:
    return f"{format_number(minutes / H, 1)} h" if abs(minutes) >= 2 * H else f"{minutes:.0f} min"
