"""The check of an instrument by a check weight or a gauge block: how far off it reads, and how it repeats."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from oddtwin.core.arrays import Interval
from oddtwin.core.calibrate.fits import t_of
from oddtwin.core.calibrate.result import CalibrationError, Result, said
from oddtwin.core.calibrate.rows import Row, step_of
from oddtwin.core.language import tr
from oddtwin.core.quantities import decimals_for, format_number

FEWEST = 3
FAR = 0.2
"""A reading so far off its standard is a slip of the keys, or another standard."""


@dataclass(frozen=True, slots=True)
class _At:
    """What was read of one standard: its error with the standard uncertainty of that, and the scatter."""

    standard: float
    error: float
    u: float
    ci95: Interval
    sd: float
    n: int

    @property
    def shown(self) -> bool:
        """Whether there is an error at all, by the interval."""
        return self.ci95[0] * self.ci95[1] > 0


def check_of_instrument(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return the error of an instrument, reading less standard, and its repeatability.

    The standard uncertainty of the mean error holds the scatter of the readings, the step of the instrument,
    step/√12, and that of the standard; degrees of freedom by Welch and Satterthwaite (JCGM 100:2008, 4.2.3,
    F.2.2.1, G.4.1; from memory).

    Parameters
    ----------
    rows : sequence of Row
        ``standard`` and ``reading``, in one unit.
    options : mapping
        Maybe ``step``, ``u`` and ``limit``, in that unit.

    Returns
    -------
    Result
        The error at the largest standard; all of them in its table, the pooled scatter as ``sd``.

    Raises
    ------
    CalibrationError
        Fewer than three readings of a standard, or one that cannot be of it.
    """
    for row in rows:
        if abs(row["reading"] / row["standard"] - 1) > FAR:
            raise CalibrationError(
                tr(
                    "Line {line}: {row} is more than 20 % off its standard of {row2}; check "
                    "which standard it was, and the unit.",
                    line=row.line,
                    row=format_number(row["reading"]),
                    row2=format_number(row["standard"]),
                )
            )
    step = options.get("step", step_of(rows, "reading"))
    found = [
        _at(
            standard,
            [row["reading"] for row in rows if row["standard"] == standard],
            step,
            options.get("u", 0.0),
        )
        for standard in sorted({row["standard"] for row in rows})
    ]
    return _result(found, step, options.get("limit"))


def _result(found: Sequence[_At], step: float, limit: float | None) -> Result:
    df = sum(one.n - 1 for one in found)
    # Pooled: how it repeats is a matter of the instrument, and not of what lies on it.
    sd = math.sqrt(sum((one.n - 1) * one.sd**2 for one in found) / df)
    last = found[-1]
    table: tuple[Mapping[str, Any], ...] = tuple(
        {"standard": one.standard, "error": one.error, "ci95": one.ci95, "sd": one.sd, "n": one.n}
        for one in found
    )
    told = ". ".join(_sentence(one) for one in found)
    # Readings that all agree are no certainty: half a step is what the instrument cannot show.
    least = max(sd, step / math.sqrt(12))
    repeats = tr(
        "It repeats to {least} (standard deviation)", least=format_number(least, decimals_for(least))
    )
    sentence, more = f"{told}. {repeats}.", {"sd": sd, "step": step}
    advice, warnings = _advice(found, limit), _warnings(found)
    return Result(last.error, "", last.ci95, sentence, advice, warnings, table, more)


def _at(standard: float, readings: list[float], step: float, u_standard: float) -> _At:
    if len(readings) < FEWEST:
        raise CalibrationError(
            tr(
                "{standard} was read {readings} times; read it {FEWEST} times or more, putting it down anew.",
                standard=format_number(standard),
                readings=len(readings),
                FEWEST=FEWEST,
            )
        )
    values = np.array(readings)
    n, sd = len(values), float(values.std(ddof=1))
    by_scatter = sd / math.sqrt(n)
    u = math.sqrt(by_scatter**2 + step**2 / 12 + u_standard**2)
    # What is not scatter is known as such, and has no degrees of freedom to run out of.
    df = (n - 1) * (u / by_scatter) ** 4 if by_scatter else math.inf
    reach = (t_of(df) if math.isfinite(df) else 1.959964) * u
    error = float(values.mean()) - standard
    return _At(standard, error, u, (error - reach, error + reach), sd, n)


def _sentence(one: _At) -> str:
    decimals = decimals_for(one.ci95[1] - one.error)
    standard = format_number(one.standard)
    if not one.shown:
        return tr(
            "At {standard} no error is shown: {said}",
            standard=standard,
            said=said(one.error, "", one.ci95, decimals),
        )
    way = tr("high") if one.error > 0 else tr("low")
    low, high = sorted(abs(end) for end in one.ci95)
    return tr(
        "At {standard} it reads {said} too {way}",
        standard=standard,
        said=said(abs(one.error), "", (low, high), decimals),
        way=way,
    )


def _advice(found: Sequence[_At], limit: float | None) -> str:
    """Say what to do: by the limit where one is given, else by whether an error is shown at all."""
    shown = [one for one in found if one.shown]
    if limit is None:
        return tr("adjust it by its instructions, or take the error off what it reads") if shown else ""
    allowed = format_number(limit)
    if all(max(abs(end) for end in one.ci95) <= limit for one in found):
        return tr("nothing: with all doubt the error stays within {allowed}", allowed=allowed)
    if any(min(abs(end) for end in one.ci95) > limit for one in shown):
        return tr("adjust it by its instructions: the error is beyond {allowed}", allowed=allowed)
    return tr(
        "read more often, or by a finer standard: whether the error stays within {allowed} is open",
        allowed=allowed,
    )


def _warnings(found: Sequence[_At]) -> tuple[str, ...]:
    """Say where the error grows along the range: then no one figure corrects it."""
    first, last = found[0], found[-1]
    if len(found) > 1 and abs(last.error - first.error) > 2 * math.hypot(first.u, last.u):
        return (
            tr(
                "The error is not the same at {standard} and at {standard2}: no one figure corrects it.",
                standard=format_number(first.standard),
                standard2=format_number(last.standard),
            ),
        )
    return ()
