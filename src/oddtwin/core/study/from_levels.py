"""What differs between the arms of a table: levels of a ladder, crossed factors, or the arms themselves."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.design import DesignKind
from oddtwin.core.language import tr
from oddtwin.core.quantities import number_in
from oddtwin.core.readings import Reading
from oddtwin.core.study.question import Factor, Level


def settings_of(rows: Sequence[Reading], names: Sequence[str]) -> dict[str, tuple[tuple[str, str], ...]]:
    """Return the factors of each arm with its levels: those of the columns, the level, or its own name.

    Parameters
    ----------
    rows : sequence of Reading
        Of all arms.
    names : sequence of str
        Of the arms.

    Raises
    ------
    ValueError
        An arm with two levels, two arms with one, or rows of which only some have a level.
    """
    found: dict[str, tuple[tuple[str, str], ...]] = {}
    for item in rows:
        own = item.factors or ((("level", item.level),) if item.level else (("arm", item.arm),))
        if found.setdefault(item.arm, own) != own:
            one, two = (", ".join(value for _, value in some) for some in (found[item.arm], own))
            raise ValueError(
                tr(
                    "the arm “{arm}” stands at “{one}” and at “{two}”; one arm has one level",
                    arm=item.arm,
                    one=one,
                    two=two,
                )
            )
    kinds = {tuple(name for name, _ in own) for own in found.values()}
    if len(kinds) > 1:
        raise ValueError(tr("some rows have a level and some have none; give every row one"))
    by_levels: dict[tuple[tuple[str, str], ...], str] = {}
    for name in names:
        other = by_levels.setdefault(found[name], name)
        if other != name:
            level = ", ".join(value for _, value in found[name])
            raise ValueError(
                tr(
                    "the arms “{other}” and “{name}” both stand at “{level}”",
                    other=other,
                    name=name,
                    level=level,
                )
            )
    return found


def factors_of(
    settings: Mapping[str, Sequence[tuple[str, str]]], names: Sequence[str]
) -> tuple[tuple[Factor, ...], DesignKind]:
    """Return what differs between some arms, and the kind of design that it makes.

    Parameters
    ----------
    settings : mapping of str to sequence of (str, str)
        As `settings_of` gives them.
    names : sequence of str
        Of the arms, the baseline first.
    """
    columns = [name for name, _ in settings[names[0]]]
    found = []
    for place in range(len(columns)):
        values = list(dict.fromkeys(settings[name][place][1] for name in names))
        found.append(_ordered(values))
    kind = DesignKind.FACTORIAL if len(columns) > 1 else DesignKind.SEVERAL
    if columns == ["level"]:
        kind = DesignKind.LADDER
    factors = tuple(
        Factor(
            number,
            ChangeKind.SETTING,
            column,
            tuple(Level(100 * number + place, value) for place, value in enumerate(values)),
        )
        for number, (column, values) in enumerate(zip(columns, found, strict=True), 1)
    )
    return factors, kind


def _ordered(values: Sequence[str]) -> list[str]:
    """Levels that are numbers, from the baseline's towards the far end; others as they come."""
    # By their number and not by their text: 100 comes after 80.
    positions = {value: number_in(value) for value in values}
    known = [place for place in positions.values() if place is not None]
    if len(known) < len(values) or len(set(known)) < len(known):
        return list(values)
    first = positions[values[0]]
    # The baseline is the safe end; in the middle of the levels it is none, and they stay as they came.
    if first not in (min(known), max(known)):
        return list(values)
    return sorted(values, key=lambda value: positions[value] or 0.0, reverse=first == max(known))
