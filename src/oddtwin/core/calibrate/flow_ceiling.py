"""Flow ceiling: from which flow on an extruder delivers less than a chosen share of what was commanded."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from oddtwin.core.arrays import Floats, Interval
from oddtwin.core.calibrate.fits import curve_of, ends_of
from oddtwin.core.calibrate.result import CalibrationError, Result, said
from oddtwin.core.calibrate.rows import Row, step_of
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number, format_reading

FEWEST: Final = 3
MOST: Final = 1.05
"""No more than this share of what was commanded can have come out."""
COARSE: Final = 0.2
"""The step of the scale may be this share of the limit at most."""


@dataclass(frozen=True, slots=True)
class Ceiling:
    """The ceiling of one set-up.

    Parameters
    ----------
    setup : str
    flow : float
        mm³/s; infinite where the limit was never passed.
    ci95 : tuple of float or None
    skip : float or None
        Lowest flow at which the extruder skipped.
    draws : array or None
        Ceilings of curves that scatter as this one does.
    highest : float
        Highest flow that was tried.
    """

    setup: str
    flow: float
    ci95: Interval | None
    skip: float | None
    draws: Floats | None
    highest: float


def flow_ceiling(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return the flow at which the shortfall reaches a limit, or the extruder skips, of each set-up.

    Parameters
    ----------
    rows : sequence of Row
        ``setup``, ``flow`` in mm³/s, ``expected_g``, ``weighed_g`` and ``skip``.
    options : mapping
        ``limit`` in %; maybe ``width`` and ``height`` of a line, mm.

    Returns
    -------
    Result
        Of one set-up its ceiling; of several the second less the first.

    Raises
    ------
    CalibrationError
        Fewer than three flows of a set-up, or more came out than can have.
    """
    limit = options["limit"]
    for row in rows:
        if row["weighed_g"] > MOST * row["expected_g"]:
            raise CalibrationError(
                tr(
                    "Line {line}: {row} g came out where {row2} g were expected, more than 105 "
                    "%; check tare, unit and density.",
                    line=row.line, row=format_number(row["weighed_g"]),
                    row2=format_number(row["expected_g"]),
                )
            )  # fmt: skip
    setups = list(dict.fromkeys(row["setup"] or "" for row in rows))
    rng = np.random.default_rng(0)
    found = [
        _ceiling(name, [row for row in rows if (row["setup"] or "") == name], limit, rng) for name in setups
    ]
    warnings = _warnings(rows, limit)
    table = tuple(_line(one, options) for one in found)
    first = found[0]
    if len(found) == 1:
        value = first.flow if math.isfinite(first.flow) else None
        return Result(value, "mm³/s", first.ci95, _sentence(first, limit), _advice(first), warnings, table)
    second = found[1]
    told = " ".join(_sentence(one, limit) for one in found)
    value, ends, more = _compared(first, second)
    if value is not None:
        differs = said(value, "mm³/s", ends if ends and all(map(math.isfinite, ends)) else None, 1)
        told = tr(
            "{setup} against {setup2}: {differs}. {told}",
            setup=second.setup, setup2=first.setup, differs=differs, told=told,
        )  # fmt: skip
    return Result(value, "mm³/s", ends, told, "", warnings, table, more)


def _ceiling(name: str, rows: Sequence[Row], limit: float, rng: np.random.Generator) -> Ceiling:
    flow = np.array([row["flow"] for row in rows])
    if len(np.unique(flow)) < FEWEST:
        raise CalibrationError(
            tr(
                "{name} was tried at {unique} flows; try {FEWEST} or more, so that a curve can be drawn.",
                name=name or tr("The set-up"),
                unique=len(np.unique(flow)),
                FEWEST=FEWEST,
            )
        )
    short = np.array([100 * (1 - row["weighed_g"] / row["expected_g"]) for row in rows])
    skipped = [row["flow"] for row in rows if row["skip"]]
    skip = min(skipped, default=None)
    # What an extruder that skips would still lose is not known: from there on the limit is passed.
    kept = np.array([not row["skip"] for row in rows])
    step = 100 * step_of(rows, "weighed_g") / float(np.mean([row["expected_g"] for row in rows]))
    cap = math.inf if skip is None else skip
    usable = kept & (flow < cap)
    # It skipped at all flows but one: there is no curve, only a flow that held and one that did not.
    if len(np.unique(flow[usable])) < 2:
        low = float(flow[usable].max()) if usable.any() else 0.0
        return Ceiling(name, cap, (low, cap), skip, None, float(flow.max()))
    curve = curve_of(flow[usable], short[usable], step)
    draws = curve.crossings(limit, rng)
    at = min(curve.crossing(limit), cap)
    ends = None
    if draws is not None:
        draws = np.minimum(draws, cap)
        ends = ends_of(draws)
    if skip is not None and at == skip:
        # Between the last flow that held and the one that skipped nobody tried.
        last = float(flow[usable].max())
        ends = (min(last, ends[0] if ends else last), skip)
    return Ceiling(name, at, ends, skip, draws, float(flow.max()))


def _line(one: Ceiling, options: Mapping[str, float]) -> dict[str, Any]:
    line: dict[str, Any] = {
        "setup": one.setup,
        "ceiling": one.flow,
        "ci95": one.ci95,
        "skip": one.skip,
        "highest": one.highest,
    }
    width, height = options.get("width"), options.get("height")
    if width and height:
        line["speed_mm_s"] = one.flow / (width * height)
    return line


def _sentence(one: Ceiling, limit: float) -> str:
    name = one.setup or tr("This set-up")
    if math.isinf(one.flow):
        highest = said(one.highest, "mm³/s")
        return tr(
            "{name} falls short by less than {limit} % up to {highest}, the highest flow tried.",
            name=name,
            limit=format_reading(limit),
            highest=highest,
        )
    why = (
        tr("skips")
        if one.skip is not None and one.flow >= one.skip
        else tr("falls short by {limit} %", limit=format_reading(limit))
    )
    ends = one.ci95 if one.ci95 and all(map(math.isfinite, one.ci95)) else None
    more = (
        ""
        if one.ci95 is None or ends
        else tr(", at least {said}", said=said(one.ci95[0], "mm³/s", decimals=1))
    )
    return tr(
        "{name} {why} at {said}{more}.", name=name, why=why, said=said(one.flow, "mm³/s", ends, 1), more=more
    )


def _advice(one: Ceiling) -> str:
    if math.isinf(one.flow):
        return tr("try higher flows to find the ceiling")
    low = one.flow if one.ci95 is None else max(one.ci95[0], 0.0)
    return tr("keep flows below {said}", said=said(low, "mm³/s", decimals=1))


def _warnings(rows: Sequence[Row], limit: float) -> tuple[str, ...]:
    step = step_of(rows, "weighed_g")
    share = 100 * step / min(row["expected_g"] for row in rows)
    if share > COARSE * limit:
        return (
            tr(
                "The scale shows steps of {step} g, {share} % of the lightest strand: more "
                "than a fifth of the limit; weigh more filament at once, or on a finer scale.",
                step=format_number(step),
                share=format_number(share, 1),
            ),
        )
    return ()


def _compared(first: Ceiling, second: Ceiling) -> tuple[float | None, Interval | None, dict[str, Any]]:
    """Return the difference of two ceilings with its interval, and their ratio."""
    if math.isinf(first.flow) or math.isinf(second.flow):
        return None, None, {"ratio": None, "ratio_ci95": None}
    difference, ratio = second.flow - first.flow, second.flow / first.flow
    if first.draws is None or second.draws is None:
        return difference, None, {"ratio": ratio, "ratio_ci95": None}
    known = np.isfinite(first.draws) & np.isfinite(second.draws)
    # Too many draws never reach the limit: then the difference has no end on that side.
    if known.mean() < 0.975:
        return difference, None, {"ratio": ratio, "ratio_ci95": None}
    a, b = first.draws[known], second.draws[known]
    return difference, ends_of(b - a), {"ratio": ratio, "ratio_ci95": ends_of(b / a)}
