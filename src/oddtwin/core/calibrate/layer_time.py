"""Layer-time floor: from which layer time on an overhang holds to a wanted angle, by fan."""

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


def layer_time_floor(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return the layer time from which on the onset of droop lies at a wanted angle or beyond.

    Parameters
    ----------
    rows : sequence of Row
        ``layer_time_s``, maybe ``fan`` in %, and ``onset_deg`` from upright.
    options : mapping
        ``angle`` wanted, °.

    Raises
    ------
    CalibrationError
        Fewer than three layer times at every fan.
    """
    angle = options["angle"]
    rng = np.random.default_rng(0)
    by_fan: dict[float | None, list[Row]] = {}
    for row in rows:
        by_fan.setdefault(row["fan"], []).append(row)
    table: list[dict[str, Any]] = []
    for fan, some in sorted(by_fan.items(), key=lambda item: item[0] or 0.0):
        times = np.array([row["layer_time_s"] for row in some])
        if len(np.unique(times)) < FEWEST:
            # A fan that was tried once or twice says nothing of where the floor lies.
            continue
        curve = curve_of(times, np.array([row["onset_deg"] for row in some]), step_of(some, "onset_deg"))
        draws = curve.crossings(angle, rng)
        ends = None if draws is None else ends_of(draws)
        points = [[float(x), float(y)] for x, y in zip(curve.x, curve.y, strict=True)]
        table.append({"fan": fan, "layer_time_s": curve.crossing(angle), "ci95": ends, "curve": points})
    if not table:
        raise CalibrationError(tr("Try {FEWEST} layer times or more at one fan setting.", FEWEST=FEWEST))
    reached = [row for row in table if math.isfinite(row["layer_time_s"])]
    if not reached:
        longest = said(max(row["layer_time_s"] for row in rows), "s")
        told = tr("Up to {time} a layer no overhang of {angle} holds.", time=longest, angle=said(angle, "°"))
        return Result(None, "s", None, told, tr("try longer layers, or more fan"), (), tuple(table))
    best = min(reached, key=lambda row: float(row["layer_time_s"]))
    at = "" if best["fan"] is None else tr(" at {best} % fan", best=format_reading(best["fan"]))
    ends = best["ci95"] if best["ci95"] and all(map(math.isfinite, best["ci95"])) else None
    floor = said(best["layer_time_s"], "s", ends, 1)
    wanted = said(angle, "°")
    told = tr("An overhang of {said} holds from {floor} a layer on{at}.", said=wanted, floor=floor, at=at)
    advice = tr(
        "set the least layer time to {said}, and see under Match that the sliced "
        "file keeps it: a least speed overrides it",
        said=said(best["layer_time_s"] if ends is None else ends[1], "s", decimals=1),
    )
    return Result(best["layer_time_s"], "s", best["ci95"], told, advice, (), tuple(table))
