"""Belt tension from the note of a plucked span (vibrating string, textbook)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import Any, Final

import numpy as np

from oddtwin.core.calibrate.fits import mean_of, t_of
from oddtwin.core.calibrate.result import CalibrationError, Result, said
from oddtwin.core.calibrate.rows import Row, step_of
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number, format_reading, format_signed

OCTAVE: Final = 0.08
"""A reading so near to twice another is its first overtone."""


def belt_tension(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return the tension of each belt, T = μ·(2Lf)².

    Parameters
    ----------
    rows : sequence of Row
        ``axis`` and ``frequency_hz``.
    options : mapping
        ``span`` in mm, ``density`` in g/m; maybe ``most``, the maker's limit in N.

    Returns
    -------
    Result
        Of one belt its tension; of two or more the second less the first.
    """
    factor = factor_of(options)
    by_axis: dict[str, list[float]] = {}
    for row in rows:
        by_axis.setdefault(row["axis"] or "", []).append(row["frequency_hz"])
    warnings: list[str] = []
    step = step_of(rows, "frequency_hz")
    table: list[dict[str, Any]] = []
    for axis, read in by_axis.items():
        table.append(belt_line(axis, read, factor, step, warnings))
    ordered = sorted(table, key=lambda row: row["frequency_hz"])
    for low, high in pairwise(ordered):
        if abs(high["frequency_hz"] / low["frequency_hz"] / 2 - 1) < OCTAVE:
            warnings.append(
                tr(
                    "{high} sounds twice as high as {low}: one of them may be an overtone, which would "
                    "make its tension four times too large; pluck in the middle and listen again.",
                    high=high["axis"], low=low["axis"],
                )
            )  # fmt: skip
    most = options.get("most")
    for belt in table:
        if most and belt["tension_n"] > most:
            warnings.append(
                tr(
                    "{belt} is above the maker’s limit of {most} N; slacken it.",
                    belt=belt["axis"], most=format_reading(most),
                )
            )  # fmt: skip
    told = "; ".join(
        f"{row['axis'] or tr('Belt')} {said(row['tension_n'], 'N', row['ci95'], 1)}" for row in table
    )
    first = table[0]
    if len(table) == 1:
        return Result(first["tension_n"], "N", first["ci95"], f"{told}.", "", tuple(warnings), tuple(table))
    return _compared(table, told, tuple(warnings))


def _compared(table: Sequence[dict[str, Any]], told: str, warnings: tuple[str, ...]) -> Result:
    """Compare the second belt with the first."""
    first, second = table[0], table[1]
    value = second["tension_n"] - first["tension_n"]
    ends = None
    if first["u"] is not None and second["u"] is not None:
        # The smaller of both carries fewest degrees of freedom: the interval is never too short.
        reach = t_of(min(first["n"], second["n"]) - 1) * float(np.hypot(first["u"], second["u"]))
        ends = (value - reach, value + reach)
    percent = 200 * value / (first["tension_n"] + second["tension_n"])
    more = {"mismatch_percent": percent}
    loose, tight = (first, second) if value > 0 else (second, first)
    alike = ends is not None and ends[0] <= 0 <= ends[1]
    advice = (
        ""
        if alike
        else tr(
            "tighten {loose} towards {tight}, within the maker’s limit",
            loose=loose["axis"],
            tight=tight["axis"],
        )
    )
    sentence = tr(
        "{told}. {second} less {first}: {said}, {percent} %.",
        told=told,
        second=second["axis"],
        first=first["axis"],
        said=said(value, "N", ends, 1),
        percent=format_signed(percent, 1),
    )
    return Result(value, "N", ends, sentence, advice, warnings, tuple(table), more)


def factor_of(options: Mapping[str, float]) -> float:
    """Return newtons for one Hz², μ·(2L)², from ``span`` in mm and ``density`` in g/m."""
    return options["density"] / 1000 * (2 * options["span"] / 1000) ** 2


def belt_line(
    axis: str, read: Sequence[float], factor: float, step: float, warnings: list[str]
) -> dict[str, Any]:
    """Return the tension of one belt; an overtone among its readings is told and left out.

    Parameters
    ----------
    axis : str
        Its name.
    read : sequence of float
        Notes, Hz.
    factor : float
        From `factor_of`.
    step : float
        That the notes were read in, Hz.
    warnings : list of str
        What is wrong is added to it.

    Raises
    ------
    CalibrationError
        The notes lie too far apart.
    """
    values = np.array(read)
    middle = float(np.median(values))
    # The lower note is the fundamental, also where most readings caught the overtone.
    octave = np.abs(values / values.min() / 2 - 1) < OCTAVE
    if octave.any() and len(values) > 1:
        left = ", ".join(format_number(one) for one in values[octave].tolist())
        warnings.append(tr(
            "{axis}: {left} Hz is twice the lowest reading, an overtone; it is left out. "
            "Pluck in the middle of the span.",
            axis=axis or tr("The belt"), left=left,
        ))  # fmt: skip
        values = values[~octave]
    elif (np.abs(values / middle - 1) > 0.25).any():
        raise CalibrationError(tr(
            "{axis}: the readings lie more than a quarter apart; pluck it again in the middle.",
            axis=axis or tr("The belt"),
        ))  # fmt: skip
    note = mean_of(values, step)
    # The tension goes with the square of the note: the ends are squared, not the reach.
    ends = None
    if note.ci95 is not None:
        ends = (factor * max(note.ci95[0], 0.0) ** 2, factor * note.ci95[1] ** 2)
    return {
        "axis": axis,
        "tension_n": factor * note.value**2,
        "ci95": ends,
        "u": None if note.u is None else 2 * factor * note.value * note.u,
        "frequency_hz": note.value,
        "n": note.n,
    }
