"""Extruder steps: filament that was fed against filament that was commanded."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, Final

import numpy as np

from oddtwin.core.calibrate.fits import Mean, mean_of
from oddtwin.core.calibrate.result import CalibrationError, Result, said
from oddtwin.core.calibrate.rows import Row
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number

FEWEST: Final = 3
SLIP: Final = 1.0
"""Scatter of the shortfall, in % of the command, that no ruler explains (common practice, no source)."""
SLIP_SHARE: Final = 0.1
"""Scatter as a share of the shortfall from which on it is slip, for those who fall short by much."""
GEARS: Final = (1.5, 2.0, 3.0, 4.0, 5.0)
NEAR: Final = 0.03


def extruder_steps(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return the new steps per mm: old × commanded ÷ measured.

    Parameters
    ----------
    rows : sequence of Row
        ``commanded`` and ``measured``, mm.
    options : mapping
        ``old`` steps/mm; maybe ``full_steps``, ``microsteps``, ``ratio`` and ``diameter`` of the drive.

    Raises
    ------
    CalibrationError
        Fewer than three readings, or more than twice of what was commanded was fed.
    """
    _refuse(rows)
    ratio = np.array([row["measured"] / row["commanded"] for row in rows])
    # Shares, so that lengths of several sizes count alike.
    fed = mean_of(ratio)
    scatter = 100 * (fed.sd or 0.0)
    short = 100 * (1 - fed.value)
    assert fed.u is not None and fed.ci95 is not None
    old = options["old"]
    new = old / fed.value
    # An interval that reaches zero bounds the steps from one side only.
    ends = old / fed.ci95[1], old / fed.ci95[0] if fed.ci95[0] > 0 else math.inf
    warnings = _gears(old, new, options)
    slips = scatter > max(SLIP, SLIP_SHARE * abs(short))
    sentence = tr(
        "Of what was commanded {said} too {part} went in on the mean of {n}, with a scatter of {said2}.",
        said=said(abs(short), "%", decimals=2),
        part=tr("little") if short >= 0 else tr("much"),
        n=fed.n,
        said2=said(scatter, "%", decimals=2),
    )
    advice = _advice(fed, old, slips=slips)
    more: dict[str, Any] = {"shortfall_percent": short, "scatter_percent": scatter, "n": fed.n, "old": old}
    more["shortfall_ci95"] = [100 * (1 - fed.ci95[1]), 100 * (1 - fed.ci95[0])]
    return Result(new, "steps/mm", ends, sentence, advice, warnings, more=more)


def _advice(fed: Mean, old: float, *, slips: bool) -> str:
    if slips:
        return tr(
            "slip: the feeds scatter by more than any calibration can mend, so look for the fault (worn "
            "or dirty gear, too little tension, a blocked or cold hot end) before the steps are touched"
        )
    if fed.ci95 is not None and fed.ci95[0] <= 1 <= fed.ci95[1]:
        return tr("leave {old} steps/mm: no shortfall is shown beyond the scatter", old=format_number(old))
    return tr("set {old} steps/mm, then feed once more to see it", old=format_number(old / fed.value, 2))


def _refuse(rows: Sequence[Row]) -> None:
    for row in rows:
        if row["measured"] > 2 * row["commanded"]:
            raise CalibrationError(
                tr(
                    "Line {line}: {row} mm went in where {row2} mm were commanded, more than "
                    "twice as much; check the reading.",
                    line=row.line,
                    row=format_number(row["measured"]),
                    row2=format_number(row["commanded"]),
                )
            )
    if len(rows) < FEWEST:
        raise CalibrationError(
            tr(
                "There {part}; feed {FEWEST} times or more, for one reading cannot tell "
                "calibration from slip.",
                part=tr("is 1 reading") if len(rows) == 1 else tr("are {rows} readings", rows=len(rows)),
                FEWEST=FEWEST,
            )
        )


def _gears(old: float, new: float, options: Mapping[str, float]) -> tuple[str, ...]:
    found = []
    share = new / old
    for gear in GEARS:
        for times in (gear, 1 / gear):
            if abs(share / times - 1) < NEAR:
                found.append(
                    tr(
                        "The new figure is {times} times the old one: a gear ratio or microstepping "
                        "that is set otherwise explains that better than a calibration.",
                        times=format_number(times, 2),
                    )
                )
    known = [options.get(name) for name in ("full_steps", "microsteps", "ratio", "diameter")]
    if all(known):
        full, micro, ratio, diameter = (float(value or 0.0) for value in known)
        expected = full * micro * ratio / (math.pi * diameter)
        if abs(new / expected - 1) > 0.1:
            found.append(
                tr(
                    "Motor, gear and diameter make {expected} steps/mm, which is far from this; "
                    "check what was typed.",
                    expected=format_number(expected, 1),
                )
            )
    return tuple(found)
