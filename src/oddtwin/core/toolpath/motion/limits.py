"""What a machine can do: accelerations, speeds and corners."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from typing import Any, Final

from oddtwin.core.language import tr
from oddtwin.core.quantities import format_reading

AXES: Final = ("x", "y", "z", "e")
NO_LIMIT: Final = (math.inf,) * 4


class LimitsError(ValueError):
    """Limits cannot be used; the message is one sentence for the user."""


@dataclass(frozen=True, slots=True)
class Limits:
    """What holds wherever the file itself says nothing.

    Parameters
    ----------
    acceleration, travel_acceleration, retract_acceleration : float
        While printing, travelling (None for the same), and pulling filament (None for the same), mm/s².
    jerk : tuple of float
        Change of speed that needs no ramp on x, y, z and e, mm/s.
    junction_deviation : float or None
        Corners are cut by so much in thought, mm; where given, it counts instead of the jerk.
    max_speed, max_acceleration : tuple of float
        Of x, y, z and e, mm/s and mm/s².
    tool_change_s : float
        Seconds that one change of tool takes.
    overhead_s : float
        Seconds for heating, homing and levelling, which the moves leave out.
    scale, offset_s : float
        Measured time = scale × predicted + offset, by the machine's own logged prints.

    Raises
    ------
    LimitsError
        A figure is zero, negative or not a number.
    """

    acceleration: float = 1000.0
    travel_acceleration: float | None = None
    retract_acceleration: float | None = None
    jerk: tuple[float, ...] = (8.0, 8.0, 0.4, 5.0)
    junction_deviation: float | None = None
    max_speed: tuple[float, ...] = NO_LIMIT
    max_acceleration: tuple[float, ...] = NO_LIMIT
    tool_change_s: float = 0.0
    overhead_s: float = 0.0
    scale: float = 1.0
    offset_s: float = 0.0

    def __post_init__(self) -> None:
        for field in fields(self):
            value = getattr(self, field.name)
            numbers = value if isinstance(value, tuple) else (value,)
            zero_is_fine = field.name in ("tool_change_s", "overhead_s", "offset_s")
            for number in numbers:
                if number is None:
                    continue
                if math.isnan(number) or (number <= 0 and not zero_is_fine):
                    raise LimitsError(
                        tr(
                            "{field}: give a number above zero, not {number}",
                            field=field.name,
                            number=format_reading(number),
                        )
                    )
            if field.name in ("tool_change_s", "overhead_s") and value < 0:
                raise LimitsError(
                    tr(
                        "{field}: give zero or more seconds, not {value}",
                        field=field.name,
                        value=format_reading(value),
                    )
                )


OPTIONAL: Final = ("travel_acceleration", "retract_acceleration", "junction_deviation")
"""Limits that may be left open with null."""


def limits_from(data: Mapping[str, Any]) -> Limits:
    """Return limits from what a JSON file says.

    Parameters
    ----------
    data : mapping
        The fields of `Limits`; axes as ``{"x": 500, "y": 500}`` or one number for all.

    Raises
    ------
    LimitsError
        A field is unknown, or its value cannot be used.
    """
    known = {field.name for field in fields(Limits)}
    values: dict[str, Any] = {}
    for key, value in data.items():
        if key == "overhead_min":
            key, value = "overhead_s", _number(key, value) * 60
        if key not in known:
            raise LimitsError(
                tr(
                    "{key}: there is no such limit; known are {known}",
                    key=key,
                    known=", ".join(sorted(known)),
                )
            )
        if key in ("jerk", "max_speed", "max_acceleration"):
            values[key] = _axes(key, value)
        else:
            values[key] = None if value is None and key in OPTIONAL else _number(key, value)
    return Limits(**values)


def limits_as_json(limits: Limits) -> dict[str, Any]:
    """Return limits as `limits_from` reads them; what is unlimited is left out."""
    found: dict[str, Any] = {}
    for key, value in asdict(limits).items():
        if isinstance(value, tuple):
            bounded = {
                axis: number for axis, number in zip(AXES, value, strict=True) if math.isfinite(number)
            }
            if bounded:
                found[key] = bounded
        elif value is not None:
            found[key] = value
    return found


def _number(key: str, value: object) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or value != value:
        raise LimitsError(tr("{key}: “{value}” is not a number", key=key, value=value))
    number = float(value) if abs(value) < 1e300 else math.inf
    if not math.isfinite(number):
        raise LimitsError(
            tr("{key}: “{value}” is too large; leave out what is not limited", key=key, value=value)
        )
    return number


def _axes(key: str, value: object) -> tuple[float, ...]:
    usual = getattr(Limits(), key)
    if not isinstance(value, Mapping):
        return (_number(key, value),) * 4
    unknown = set(value) - set(AXES)
    if unknown:
        raise LimitsError(
            tr(
                "{key}: there is no axis “{map}”; known are x, y, z and e",
                key=key,
                map=min(map(str, unknown)),
            )
        )
    return tuple(_number(key, value.get(axis, number)) for axis, number in zip(AXES, usual, strict=True))
