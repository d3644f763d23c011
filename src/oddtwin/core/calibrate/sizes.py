"""Sizes: what parts measure against what they should, per axis, holes and outsides apart, and the skew."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, Final

import numpy as np

from oddtwin.core.calibrate.fits import line_of, mean_of, t_of
from oddtwin.core.calibrate.result import CalibrationError, Result, said
from oddtwin.core.calibrate.rows import Row, step_of
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number, format_signed

FAR: Final = 0.2
KINDS: Final = ("outside", "hole", "diagonal")


def sizes(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return offset and scale of each axis and kind, and the mean error of the worst of them.

    An offset is the same on every length (a line that is too wide), a scale grows with it (steps, shrinkage):
    only several lengths tell them apart.

    Parameters
    ----------
    rows : sequence of Row
        ``nominal`` and ``measured``, mm, ``axis`` and ``kind``: outside, hole or diagonal.
    options : mapping
        Nothing is asked for.

    Raises
    ------
    CalibrationError
        A kind is none of the three.
    """
    del options
    groups: dict[tuple[str, str], list[Row]] = {}
    # What is printed inwards is off the other way: holes and outsides are never one.
    for row in rows:
        kind = (row["kind"] or "outside").casefold()
        if kind not in KINDS:
            raise CalibrationError(tr(
                "Line {line}: “{row}” is no kind; write {KINDS}.",
                line=row.line, row=row["kind"], KINDS=", ".join(KINDS),
            ))  # fmt: skip
        groups.setdefault(((row["axis"] or "").strip(), kind), []).append(row)
    step = step_of(rows, "measured")
    straight = {key: some for key, some in groups.items() if key[1] != "diagonal"}
    table = [_line(axis, kind, some, step) for (axis, kind), some in straight.items()]
    skew = _skew([some for key, some in groups.items() if key[1] == "diagonal"], list(groups))
    more: dict[str, Any] = {} if skew is None else {"skew_deg": skew}
    if not table:
        if skew is None:
            raise CalibrationError(tr("There are no lengths in it; write outsides, holes or two diagonals."))
        told = tr("The axes are {said} off square.", said=said(abs(skew), "°", decimals=3))
        return Result(skew, "°", None, told, more=more)
    # Not the mean of all: a large outside and a small hole would make each other right.
    worst = max(table, key=lambda row: abs(float(row["error_mm"])))
    more["percent"] = worst["error_percent"]
    told = _sentence(worst, table, skew)
    warnings = _warnings(rows, table)
    return Result(worst["error_mm"], "mm", worst["ci95"], told, _advice(table), warnings, tuple(table), more)


def _sentence(worst: Mapping[str, Any], table: Sequence[Mapping[str, Any]], skew: float | None) -> str:
    name = f"{worst['axis'].upper() or tr('All')} {worst['kind']}"
    off = said(worst["error_mm"], "mm", worst["ci95"], 3)
    told = tr(
        "{name} is off most: {off}, {worst} % on the mean of {worst2}.",
        name=name,
        off=off,
        worst=format_signed(worst["error_percent"], 2),
        worst2=worst["n"],
    )
    told += "".join(f" {_words(row)}" for row in table if row["scale"] is not None)
    if skew is not None:
        told += tr(" The axes are {said} off square.", said=said(abs(skew), "°", decimals=3))
    return told


def _warnings(rows: Sequence[Row], table: Sequence[Mapping[str, Any]]) -> tuple[str, ...]:
    warnings = [
        tr(
            "Line {line}: {row} mm is more than 20 % off its nominal of {row2} mm; check "
            "that it was not another edge.",
            line=row.line,
            row=format_number(row["measured"]),
            row2=format_number(row["nominal"]),
        )
        for row in rows
        if abs(row["measured"] / row["nominal"] - 1) > FAR
    ]
    warnings += [
        tr(
            "{row}, {row2}: all readings are of one nominal, so that offset and scale "
            "cannot be told apart; measure a second length.",
            row=row["axis"] or tr("This axis"),
            row2=row["kind"],
        )
        for row in table
        if row["scale"] is None
    ]
    return tuple(warnings)


def _line(axis: str, kind: str, rows: Sequence[Row], step: float) -> dict[str, Any]:
    nominal = np.array([row["nominal"] for row in rows])
    error = np.array([row["measured"] for row in rows]) - nominal
    mean = mean_of(error, step)
    found: dict[str, Any] = {
        "axis": axis,
        "kind": kind,
        "n": len(rows),
        "error_mm": mean.value,
        "ci95": mean.ci95,
        "error_percent": float((100 * error / nominal).mean()),
    }
    known = dict.fromkeys(("offset_mm", "offset_ci95", "scale", "scale_ci95"))
    if len(np.unique(nominal)) == 2 and len(rows) == 2:
        # Two lengths make a line, without anything left to say how sure it is.
        slope = float(np.diff(error)[0] / np.diff(nominal)[0])
        known |= {"scale": 1 + slope, "offset_mm": float(error[0] - slope * nominal[0])}
    elif len(np.unique(nominal)) >= 2:
        line = line_of(nominal, error, step / math.sqrt(12))
        t = t_of(line.df)
        known |= {
            "offset_mm": line.intercept,
            "offset_ci95": [line.intercept - t * line.u_intercept, line.intercept + t * line.u_intercept],
            "scale": 1 + line.slope,
            "scale_ci95": [1 + line.slope - t * line.u_slope, 1 + line.slope + t * line.u_slope],
        }
    return found | known


def _words(row: Mapping[str, Any]) -> str:
    name = f"{row['axis'].upper() or tr('All')} {row['kind']}"
    return tr(
        "{name}: offset {said}, scale {row}.",
        name=name,
        said=said(row["offset_mm"], "mm", decimals=3),
        row=format_number(row["scale"], 4),
    )


def _advice(table: Sequence[Mapping[str, Any]]) -> str:
    """Say what to set where the interval leaves out that nothing is to be set."""
    found = []
    for row in table:
        ends = row["scale_ci95"]
        if ends and not ends[0] <= 1 <= ends[1]:
            found.append(
                tr(
                    "{upper} {row}: divide by the scale {row2}",
                    upper=row["axis"].upper(),
                    row=row["kind"],
                    row2=format_number(row["scale"], 4),
                )
            )
        ends = row["offset_ci95"]
        if ends and not ends[0] <= 0 <= ends[1]:
            found.append(
                tr(
                    "{upper} {row}: make up for an offset of {row2} mm by flow, line width or "
                    "size compensation",
                    upper=row["axis"].upper(),
                    row=row["kind"],
                    row2=format_signed(row["offset_mm"], 3),
                )
            )
    return "; ".join(found)


def _skew(diagonals: Sequence[Sequence[Row]], keys: Sequence[tuple[str, str]]) -> float | None:
    """Return the angle by which two axes are off square, from both diagonals of a rectangle, °.

    Law of cosines: d₁² − d₂² = 4ab·sin γ, and of a square 2ab is the square of its diagonal.
    """
    if not diagonals:
        return None
    if len(diagonals) != 2:
        named = ", ".join(axis for axis, kind in keys if kind == "diagonal")
        raise CalibrationError(
            tr("Skew takes both diagonals under two names in “axis”; there is {named}.", named=named)
        )
    first, second = (float(np.mean([row["measured"] for row in some])) for some in diagonals)
    nominal = float(np.mean([row["nominal"] for some in diagonals for row in some]))
    share = (first**2 - second**2) / (2 * nominal**2)
    if abs(share) > 0.5:
        raise CalibrationError(tr("The diagonals are too unlike for a square; check them."))
    return math.degrees(math.asin(share))
