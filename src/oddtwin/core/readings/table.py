"""Tidy readings as a table of text: one row a reading, checked cell by cell."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from datetime import date, datetime
from typing import Any, Final, TypeVar, cast

from oddtwin.core.language import tr
from oddtwin.core.quantities import QuantityError, parse_number, with_offset
from oddtwin.core.readings.cells import (
    BLANK,
    TableError,
    delimiter,
    guarded,
    need_columns,
    plain_names,
    table_rows,
    table_text,
    unguarded,
)
from oddtwin.core.readings.model import Combine, Reading, ResponseKind, Source
from oddtwin.core.readings.typed import read_typed, write_typed

T = TypeVar("T", ResponseKind, Combine, Source)

COLUMNS: Final = (
    "arm", "value", "response", "unit", "pair", "machine", "piece", "run", "plate", "zone", "waste",
    "nominal", "kind", "set_aside", "combine", "spool", "day", "retake", "by", "instrument", "at", "source",
    "failed", "level", "order", "resolution", "low", "high", "position", "u", "evidence",
)  # fmt: skip
REQUIRED: Final = ("arm", "value")

OLD_NAMES: Final[Mapping[str, str]] = {"type": "kind", "block": "pair"}
"""What columns were called before, or are called too."""

FACTOR: Final = "factor:"
"""What the name of a column begins with that holds the levels of a crossed factor."""

_READ_ONLY: Final = ("low", "high", "position")
"""Columns that say in another way what a value or a zone says; they are read and not written."""

OLD_KINDS: Final[Mapping[str, str]] = {"number": "quantity"}
"""What kinds of response were called before."""

_TEXTS: Final = (
    "pair", "machine", "piece", "run", "plate", "zone", "waste", "spool", "by", "instrument", "level",
    "evidence",
)  # fmt: skip

_NOT_ASIDE: Final = frozenset({"", "0", "false", "no", "n"})
_ASIDE_UNSAID: Final = frozenset({"1", "true", "yes", "y", "x"})


def read_table(text: str) -> list[Reading]:
    """Read tidy readings from delimited text.

    Parameters
    ----------
    text : str
        A header and one row a reading; separated by comma, semicolon or tab. Columns
        ``arm`` and ``value`` are needed, the others of ``COLUMNS`` are optional, and
        unknown ones are passed over. An empty value says that the print has no reading.

    Returns
    -------
    list of Reading
        In the order of the rows; every response in one unit and of one type.

    Raises
    ------
    TableError
        Naming line and column.
    """
    rows = table_rows(text)
    # Between commas a number with one was quoted, and may mean thousands.
    doubted = "," if delimiter(text) == "," else ""
    header_line, header = next(rows, (1, []))
    columns = _columns(header, header_line)
    factors = _factors(header, header_line)
    readings: list[Reading] = []
    first: dict[str, Reading] = {}
    for line, cells in rows:
        if not any(cell.strip() for cell in cells):
            continue
        if len(cells) > len(header) and any(cell.strip() for cell in cells[len(header) :]):
            raise TableError(
                tr(
                    "it has {cells} cells where the header has {header}", cells=len(cells), header=len(header)
                ),
                line,
            )
        row = {
            name: cells[index].strip() if name == "value" else unguarded(cells[index].strip(BLANK))
            for name, index in columns.items()
            if index < len(cells)
        }
        try:
            made = _reading(row, line, first, doubted)
            readings.append(replace(made, factors=_levels(cells, factors, line)) if factors else made)
        except TableError as error:
            # A column is called what the file calls it.
            raise TableError(error.problem, line, _as_written(header, error.column)) from None
    if not readings:
        raise TableError(tr("there are no readings below the header"), header_line)
    return _aside_whole(readings)


def write_table(readings: Iterable[Reading]) -> str:
    """Write tidy readings as comma-separated text that ``read_table`` reads back.

    Parameters
    ----------
    readings : iterable of Reading
        Values are written with as many digits as they need to come back unchanged.
    """
    columns = [name for name in COLUMNS if name not in _READ_ONLY]
    return table_text([columns, *([_written(item, name) for name in columns] for item in readings)])


def _written(item: Reading, column: str) -> str:
    """Write one cell; numbers with as many digits as they need to come back unchanged."""
    if column == "value":
        return guarded(write_typed(item, _whole)) if item.read else ""
    found = getattr(item, "step" if column == "resolution" else column)
    if found is None or (column == "retake" and not found):
        return ""
    if isinstance(found, float):
        return _whole(found)
    return found.isoformat() if isinstance(found, datetime) else guarded(str(found))


def _whole(value: float) -> str:
    return repr(value).removesuffix(".0")


def _aside_whole(readings: list[Reading]) -> list[Reading]:
    """Set a named print aside in all of its rows when one row says so."""
    reasons = {_named(item): item.set_aside for item in readings if item.run and item.set_aside}
    return [
        replace(item, set_aside=item.set_aside or reasons.get(_named(item), "")) if item.run else item
        for item in readings
    ]


def _named(item: Reading) -> tuple[str, ...]:
    return (item.arm, item.pair, item.machine, item.piece, item.run)


def _as_written(header: Sequence[str], column: str) -> str:
    written = {OLD_NAMES.get(name, name): name for name in plain_names(header)}
    return written.get(column, column)


def _columns(header: list[str], line: int) -> Mapping[str, int]:
    names = [OLD_NAMES.get(name, name) for name in plain_names(header)]
    need_columns(REQUIRED, names, line)
    for name in COLUMNS:
        if names.count(name) > 1:
            raise TableError(tr("the header names this column twice"), line, name)
    return {name: names.index(name) for name in COLUMNS if name in names}


def _reading(row: Mapping[str, str], line: int, first: dict[str, Reading], doubted: str) -> Reading:
    if not row.get("arm"):
        raise TableError(tr("the arm is missing"), line, "arm")
    response = row.get("response", "")
    before = first.get(response)
    old = OLD_KINDS.get(row.get("kind", "").lower())
    kinds = {**row, "kind": old} if old else row
    kind = _one_of(ResponseKind, kinds, "kind", line, before.kind if before else ResponseKind.QUANTITY)
    combine = _one_of(Combine, row, "combine", line, before.combine if before else Combine.MEAN)
    unit = row.get("unit", "") or (before.unit if before else "")
    named = response or tr("the response")
    if before and kind is not before.kind:
        told = tr("{response} is a {kind} further up", response=named, kind=before.kind)
        raise TableError(told, line, "kind")
    if before and combine is not before.combine:
        told = tr("{response} is a {combine} further up", response=named, combine=before.combine)
        raise TableError(told, line, "combine")
    row = _between(row, line)
    typed = _value(row.get("value", ""), kind, unit, before.unit if before else unit, line, doubted)
    texts = {name: row.get(name, "") for name in _TEXTS}
    if row.get("position"):
        # An onset reads its positions from the names of its zones.
        texts["zone"] = f"{row['position']} {texts['zone']}".strip()
    if combine is Combine.SUM and not texts["waste"]:
        # Kinds of waste stood among the zones before.
        texts["waste"], texts["zone"] = texts["zone"], ""
    reading = Reading(
        arm=row["arm"],
        response=response,
        unit=before.unit if before else unit,
        kind=kind,
        combine=combine,
        set_aside=_set_aside(row.get("set_aside", "")),
        day=_day(row.get("day", ""), line),
        nominal=_plain(row, "nominal", line),
        retake=int(_plain(row, "retake", line) or 0),
        at=_moment(row.get("at", ""), line),
        source=_one_of(Source, row, "source", line, Source.IMPORT),
        failed=_failed(row.get("failed", "")),
        order=_plain(row, "order", line),
        u=_above_zero(row, "u", line),
        step=_above_zero(row, "resolution", line) or (before.step if before else None),
        **cast(dict[str, Any], texts | typed),
    )
    first.setdefault(response, reading)
    return reading


def _value(
    text: str, kind: ResponseKind, unit: str, first_unit: str, line: int, doubted: str
) -> dict[str, Any]:
    if not text:
        return {"value": None}
    try:
        typed = read_typed(unguarded(text), kind, unit, (), doubted)
    except QuantityError as error:
        raise TableError(str(error), line, "value") from None
    try:
        found = typed.converted(unit, first_unit) if kind.has_unit else typed
    except ValueError:
        raise TableError(
            tr("{unit} does not go with {first_unit} further up", unit=unit, first_unit=first_unit),
            line,
            "unit",
        ) from None
    return {**found.fields(), "value": None if found.word else found.value}


def _between(row: Mapping[str, str], line: int) -> Mapping[str, str]:
    """Write what columns of ends say as a value says it: above, below, or between."""
    low, high = row.get("low", ""), row.get("high", "")
    if not (low or high):
        return row
    if row.get("value"):
        raise TableError(tr("give a value, or the ends that it lies between, and not both"), line, "low")
    value = f"{low}..{high}" if low and high else f">{low}" if low else f"<{high}"
    return {**row, "value": value}


def _failed(text: str) -> str:
    return _set_aside(text).replace("no reason given", "it failed")


def _above_zero(row: Mapping[str, str], column: str, line: int) -> float | None:
    found = _plain(row, column, line)
    if found is not None and not found > 0:
        raise TableError(tr("it is a figure above zero"), line, column)
    return found


def _factors(header: Sequence[str], line: int) -> dict[str, int]:
    """Return the columns of crossed factors by their name, as it is written."""
    found: dict[str, int] = {}
    for place, cell in enumerate(header):
        if cell.strip().lower().startswith(FACTOR):
            name = cell.strip()[len(FACTOR) :].strip()
            if not name:
                raise TableError(
                    tr("name the factor after the colon, such as factor:speed"), line, cell.strip()
                )
            if name in found:
                raise TableError(tr("the header names this column twice"), line, cell.strip())
            found[name] = place
    return found


def _levels(cells: Sequence[str], factors: Mapping[str, int], line: int) -> tuple[tuple[str, str], ...]:
    found = []
    for name, place in factors.items():
        level = unguarded(cells[place].strip(BLANK)) if place < len(cells) else ""
        if not level:
            raise TableError(tr("the level is missing"), line, FACTOR + name)
        found.append((name, level))
    return tuple(found)


def _plain(row: Mapping[str, str], column: str, line: int) -> float | None:
    text = row.get(column, "")
    try:
        return parse_number(text) if text else None
    except QuantityError as error:
        raise TableError(str(error), line, column) from None


def _moment(text: str, line: int) -> datetime | None:
    try:
        return with_offset(datetime.fromisoformat(text)) if text else None
    except ValueError:
        raise TableError(
            tr("“{text}” is no moment; write it like 2026-03-09T14:30", text=text[:40]), line, "at"
        ) from None


def _one_of(choices: type[T], row: Mapping[str, str], column: str, line: int, default: T) -> T:
    text = row.get(column, "").lower()
    if not text:
        return default
    try:
        return choices(text)
    except ValueError:
        allowed = " or ".join(choice.value for choice in choices)
        raise TableError(
            tr("“{text}” is not known; use {allowed}", text=text[:40], allowed=allowed), line, column
        ) from None


def _set_aside(text: str) -> str:
    lowered = text.lower()
    if lowered in _NOT_ASIDE:
        return ""
    return tr("no reason given") if lowered in _ASIDE_UNSAID else text


def _day(text: str, line: int) -> str:
    if not text:
        return ""
    try:
        return date.fromisoformat(text[:10]).isoformat()
    except ValueError:
        raise TableError(
            tr("“{text}” is no day; write it like 2026-03-09", text=text[:40]), line, "day"
        ) from None
