"""What stands in columns that hold JSON, checked when it is read; the study file's parts use the same."""

from __future__ import annotations

from functools import cache
from typing import Annotated, Any, Final

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from oddtwin.core.language import tr

Finite = Annotated[float, Field(allow_inf_nan=False, ge=-1e12, le=1e12)]


class _Values(BaseModel):
    model_config = ConfigDict(extra="ignore", strict=False)


class ThreatValue(_Values):
    """A threat that a twin check found."""

    code: str
    sentence: str
    remedy: str


class HarmlessValue(_Values):
    """A setting that differs without effect, and why."""

    values: list[str | None]
    reason: str


class SettingsValue(_Values):
    """Settings that differ, by their key."""

    declared: dict[str, list[str | None]] = {}
    undeclared: dict[str, list[str | None]] = {}
    harmless: dict[str, HarmlessValue] = {}
    same: int = 0
    carried: bool = True


class CommandValue(_Values):
    """A quantity that commands set otherwise."""

    name: str
    unit: str = ""
    baseline: str
    change: str
    share_of_time: float = 0.0
    layers: list[tuple[int, int]] = []
    declared: str = ""


class OtherCommandValue(_Values):
    """A command that is not understood, and how often each file has it."""

    text: str
    baseline: int
    change: int


class CommandsValue(_Values):
    """What commands of its own set otherwise in one file."""

    differences: list[CommandValue] = []
    others: list[OtherCommandValue] = []


class CheckValue(_Values):
    """What a twin check found, as ``core.toolpath.match.as_json`` gives it."""

    model_config = ConfigDict(extra="forbid")

    same_bytes: bool = False
    settings: SettingsValue = SettingsValue()
    paths: dict[str, Any] | list[dict[str, Any]] = {}
    commands: list[CommandsValue] = []
    breaks: list[list[dict[str, Any]]] = []
    told: list[str] = []
    delta: Any = None
    took_effect: list[dict[str, Any]] = []
    can_show: list[dict[str, Any]] = []
    sentences: list[str] = []
    threats: list[ThreatValue] = []


TEXTS: Final = TypeAdapter(list[str])
PLAIN: Final = TypeAdapter(dict[str, Any])


@cache
def ranges_of(part: type) -> TypeAdapter[Any]:
    """Return what checks a list of plain parts that stands in one column, such as nominal sizes."""
    return TypeAdapter(list[part])  # type: ignore[valid-type]


def checked_result(value: Any) -> dict[str, Any]:
    """Return what a twin check found as plain values.

    Raises
    ------
    ValueError
        It is something else.
    """
    return CheckValue.model_validate(value).model_dump()


def first_fault(error: ValidationError) -> str:
    """Return where the first fault is, and what it is."""
    fault = error.errors()[0]
    place = " › ".join(str(part) for part in fault["loc"])
    said = fault["msg"].removeprefix("Value error, ")
    return f"{place or tr('the whole')}: {said}"
