"""What every calibration comes to: a figure with its interval, what to do, and what speaks against it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from oddtwin.core.arrays import Interval
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number, with_unit


class CalibrationError(ValueError):
    """Readings tell no calibration; the message is one sentence for the user."""


@dataclass(frozen=True, slots=True)
class Result:
    """What readings of a calibration came to.

    Parameters
    ----------
    value : float or None
        In ``unit``; None where it lies beyond what was tried, as the sentence says.
    unit : str
    ci95 : tuple of float or None
        None where the readings tell no scatter. An end may be infinite.
    sentence : str
        What was found.
    advice : str
        What to set or do; empty where there is nothing.
    warnings : tuple of str
        Sentences.
    table : tuple of mapping
        Further figures, a row a set-up, axis or level.
    more : mapping
        Single figures by name.
    """

    value: float | None
    unit: str
    ci95: Interval | None
    sentence: str
    advice: str = ""
    warnings: tuple[str, ...] = ()
    table: tuple[Mapping[str, Any], ...] = ()
    more: Mapping[str, Any] = field(default_factory=dict)


def said(value: float, unit: str, ci95: Interval | None = None, decimals: int | None = None) -> str:
    """Return a figure with its unit and interval as a person reads it.

    Parameters
    ----------
    value : float
        In ``unit``.
    unit : str
        May be empty.
    ci95 : tuple of float, optional
        Finite.
    decimals : int, optional
        As many as suit the number where it is not given.
    """
    number = format_number(value, decimals)
    figure = f"{number}°" if unit == "°" else with_unit(number, unit)
    if ci95 is None:
        return figure
    low, high = (format_number(end, decimals) for end in ci95)
    return tr("{figure} (95 % interval {low} to {high})", figure=figure, low=low, high=high)


def result_json(result: Result) -> dict[str, Any]:
    """Return a result as plain values; what is no number is null."""
    return {
        "value": _plain(result.value),
        "unit": result.unit,
        "ci95": _plain(result.ci95),
        "sentence": result.sentence,
        "advice": result.advice,
        "warnings": list(result.warnings),
        "table": [{name: _plain(item) for name, item in row.items()} for row in result.table],
        **{name: _plain(item) for name, item in result.more.items()},
    }


def _plain(value: Any) -> Any:
    if isinstance(value, float):
        # JSON knows neither infinity nor what is no number.
        return value if abs(value) < float("inf") else None
    if isinstance(value, Mapping):
        return {name: _plain(item) for name, item in value.items()}
    if isinstance(value, Sequence) and not isinstance(value, str):
        return [_plain(item) for item in value]
    return value
