"""Ringing by hand: its frequency from the distance between echoes, on the ramp too, and its damping."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, Final

import numpy as np

from oddtwin.core.calibrate.fits import line_of, mean_of, t_of
from oddtwin.core.calibrate.result import CalibrationError, Result, said
from oddtwin.core.calibrate.rows import Row, step_of
from oddtwin.core.language import tr

FEWEST_PEAKS: Final = 3


def ringing_by_hand(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return the frequency of ringing, speed over distance; or over the time that the way takes on the ramp.

    Parameters
    ----------
    rows : sequence of Row
        ``distance_mm`` between echoes, or ``frequency_hz``; maybe ``from_mm`` (how far behind the corner the
        first of the two lies), ``axis`` and ``place``, and ``echo`` (1, 2, 3 …) with ``strength``.
    options : mapping
        ``speed`` in mm/s and ``accel`` in mm/s².

    Raises
    ------
    CalibrationError
        Nothing tells how fast the wall was printed where the echoes lie.
    """
    read = [_frequency(row, options) for row in rows]
    ramp = _ramp(options)
    groups: dict[tuple[str, str], list[float]] = {}
    for row, value in zip(rows, read, strict=True):
        groups.setdefault((row["axis"] or "", row["place"] or ""), []).append(value)
    every = mean_of(read, _step(rows, options))
    table: list[dict[str, Any]] = []
    for (axis, place), values in groups.items():
        mean = mean_of(values)
        table.append(
            {"axis": axis, "place": place, "frequency_hz": mean.value, "ci95": mean.ci95, "n": mean.n}
        )
    warnings = []
    on_ramp = [row for row in rows if row["distance_mm"] and (row["from_mm"] or 0.0) < ramp < math.inf]
    if on_ramp and ramp > min(row["distance_mm"] for row in on_ramp):
        warnings.append(
            tr(
                "The machine reaches its speed only after {said}, so that the echoes lie on "
                "the ramp; their time was counted from rest in the corner.",
                said=said(ramp, "mm", decimals=1),
            )
        )
    if len(groups) > 1:
        warnings.append(
            tr("Axes and places ring each at their own frequency: the mean of them is that of none.")
        )
    sentence = tr("It rings at {said}.", said=said(every.value, "Hz", every.ci95, 1))
    more: dict[str, Any] = {"ramp_mm": ramp}
    more |= _damping(rows, options, every.value)
    return Result(every.value, "Hz", every.ci95, sentence, "", tuple(warnings), tuple(table), more)


def _ramp(options: Mapping[str, float]) -> float:
    """Way from rest to full speed, mm."""
    speed, accel = options.get("speed"), options.get("accel")
    return speed**2 / (2 * accel) if speed and accel else math.inf


def _frequency(row: Row, options: Mapping[str, float]) -> float:
    if row["frequency_hz"]:
        return float(row["frequency_hz"])
    distance = row["distance_mm"]
    if not distance:
        raise CalibrationError(
            tr(
                "Line {line}: give the distance between echoes in mm, or their frequency in Hz.",
                line=row.line,
            )
        )
    speed, accel = options.get("speed"), options.get("accel")
    if not speed:
        raise CalibrationError(
            tr("Give the speed of the wall in mm/s (--speed), which turns a distance into a time.")
        )
    if not accel:
        # Where the echoes lie on the ramp v/λ is wrong by a factor of two and more, and nobody would see it.
        raise CalibrationError(
            tr(
                "Give the acceleration in mm/s² (--accel): near the corner the machine may "
                "still be speeding up, and its way says nothing of its time."
            )
        )
    ramp = speed**2 / (2 * accel)
    # Without a word where they lie, echoes longer than the ramp are read behind it, as one does.
    begin = row["from_mm"] if row["from_mm"] is not None else (ramp if distance > ramp else 0.0)
    return 1 / (_time(begin + distance, speed, accel) - _time(begin, speed, accel))


def _time(way: float, speed: float, accel: float) -> float:
    """Time from rest along a way, s (uniform acceleration, then uniform speed)."""
    ramp = speed**2 / (2 * accel)
    return math.sqrt(2 * way / accel) if way < ramp else speed / accel + (way - ramp) / speed


def _step(rows: Sequence[Row], options: Mapping[str, float]) -> float:
    """Return what the smallest step of the ruler is worth in Hz."""
    distances = [row["distance_mm"] for row in rows if row["distance_mm"]]
    speed = options.get("speed")
    if len(distances) < len(rows) or not speed:
        return 0.0
    mean = float(np.mean(distances))
    return speed / mean**2 * step_of(rows, "distance_mm")


def _damping(rows: Sequence[Row], options: Mapping[str, float], hz: float) -> dict[str, Any]:
    """Return the damping ratio from how echoes fade: the logarithmic decrement (textbook)."""
    peaks = [(row["echo"], row["strength"]) for row in rows if row["echo"] and row["strength"]]
    if len(peaks) < FEWEST_PEAKS:
        return {}
    number, strength = np.array(peaks, np.float64).T
    if len(np.unique(number)) < FEWEST_PEAKS:
        return {}
    line = line_of(number, np.log(strength))
    decrement = -line.slope
    reach = t_of(line.df) * line.u_slope
    ratio = decrement / math.sqrt(4 * math.pi**2 + decrement**2)
    found: dict[str, Any] = {
        "decrement": decrement,
        "decrement_ci95": [decrement - reach, decrement + reach],
        "damping_ratio": ratio,
    }
    speed = options.get("speed")
    if decrement > 0 and speed:
        found["damping_mm"] = speed / hz / decrement
    return found
