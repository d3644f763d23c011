"""Noise and airflow: two set-ups compared at equal noise, by interpolation between their settings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Final

import numpy as np

from oddtwin.core.arrays import Floats, Interval
from oddtwin.core.calibrate.fits import Curve, curve_of, ends_of
from oddtwin.core.calibrate.result import CalibrationError, Result, said
from oddtwin.core.calibrate.rows import Row, step_of
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import format_reading

FEWEST: Final = 2
ALONG: Final = 21


def equal_noise(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return how much more airflow the second set-up has at the same noise, over the range that both reach.

    Parameters
    ----------
    rows : sequence of Row
        ``setup``, ``setting``, ``noise_db`` and ``airflow``.
    options : mapping
        Nothing is asked for.

    Raises
    ------
    CalibrationError
        There are not two set-ups with two settings each, or their noise does not overlap.
    """
    del options
    names = list(dict.fromkeys(row["setup"] for row in rows))
    if len(names) != 2:
        raise CalibrationError(
            tr(
                "Two set-ups are compared; there {part} {names}.",
                part=trn("is", "are", len(names)), names=len(names),
            )
        )  # fmt: skip
    curves = [_curve(name, rows) for name in names]
    low, high = _both_reach(names, curves)
    at = np.linspace(low, high, ALONG)
    first, second = (np.interp(at, curve.x, curve.y) for curve in curves)
    value = float((second - first).mean())
    rng = np.random.default_rng(0)
    ends = None
    if all(curve.sd is not None for curve in curves):
        drawn = [_drawn(curve, at, rng) for curve in curves]
        ends = ends_of((drawn[1] - drawn[0]).mean(axis=1))
    table: tuple[dict[str, Any], ...] = tuple(
        {"noise_db": float(x), names[0]: float(a), names[1]: float(b), "difference": float(b - a)}
        for x, a, b in zip(at[::5], first[::5], second[::5], strict=True)
    )
    # A mean over the range hides curves that cross.
    crosses = bool((second - first).min() < 0 < (second - first).max())
    warnings = (
        (tr("The curves cross: which has more airflow depends on the noise; see the table."),)
        if crosses
        else ()
    )
    sentence = tr(
        "At equal noise, {low} to {high} dB, {names} moves {said} {part} than {names2}.",
        low=format_reading(low), high=format_reading(high), names=names[1],
        said=said(abs(value), "", ends and _sized(ends, value)),
        part=tr("more") if value >= 0 else tr("less"), names2=names[0],
    )  # fmt: skip
    return Result(value, "", ends, sentence, "", warnings, table, {"noise_range": [low, high]})


def _both_reach(names: Sequence[str], curves: Sequence[Curve]) -> Interval:
    """Return the noise that all curves were measured at; beyond it one of them would be guessed."""
    spans = [(float(curve.x[0]), float(curve.x[-1])) for curve in curves]
    low, high = max(span[0] for span in spans), min(span[1] for span in spans)
    if low >= high:
        told = "; ".join(
            tr("{name} {a} to {b} dB", name=name, a=format_reading(a), b=format_reading(b))
            for name, (a, b) in zip(names, spans, strict=True)
        )
        raise CalibrationError(
            tr(
                "Their settings do not overlap ({told}); measure both at settings as loud as one another.",
                told=told,
            )
        )
    return low, high


def _curve(name: str, rows: Sequence[Row]) -> Curve:
    """Return the airflow of one set-up over its noise."""
    some = [row for row in rows if row["setup"] == name]
    noise = np.array([row["noise_db"] for row in some])
    if len(np.unique(noise)) < FEWEST:
        raise CalibrationError(
            tr("{name} was measured at one noise only; take two settings or more.", name=name)
        )
    return curve_of(noise, np.array([row["airflow"] for row in some]), step_of(rows, "airflow"))


def _sized(ends: tuple[float, float], value: float) -> tuple[float, float]:
    """Return an interval as of the size of a figure that is told as more or less."""
    return ends if value >= 0 else (-ends[1], -ends[0])


def _drawn(curve: Curve, at: Floats, rng: np.random.Generator) -> Floats:
    noise = curve.noise(rng)
    assert noise is not None
    return np.array([np.interp(at, curve.x, curve.y + one) for one in noise])
