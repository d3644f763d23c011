"""What a machine is made of: the sum of its change log."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime

from oddtwin.core.study.whole import Study
from oddtwin.core.study.workshop import MachineChange, Round


@dataclass(frozen=True, slots=True)
class MadeOf:
    """One line of a make-up: what, of which kind, as it is, and since when."""

    kind: str
    what: str
    value: str
    since: datetime


def make_up(
    changes: Iterable[MachineChange], machine_id: int, at: datetime | None = None
) -> tuple[MadeOf, ...]:
    """Return what a machine is made of at a moment: the last logged value of everything.

    Parameters
    ----------
    changes : iterable of MachineChange
        In any order.
    machine_id : int
        Which machine.
    at : datetime, optional
        Now by default.
    """
    latest: dict[tuple[str, str], MachineChange] = {}
    for change in sorted(changes, key=lambda item: (item.at, item.id)):
        # A round that was thrown away is as if it had not been, and freezing alters nothing.
        lasts = change.round in (None, Round.TRIAL, Round.KEPT)
        if lasts and change.machine_id == machine_id and (at is None or change.at <= at):
            latest[change.kind, change.what.casefold()] = change
    return tuple(
        MadeOf(item.kind, item.what, item.after, item.at)
        for item in sorted(latest.values(), key=lambda item: (item.kind, item.what.casefold()))
    )


def make_up_words(made_of: Iterable[MadeOf]) -> str:
    """Return a make-up in one line; empty where nothing is logged."""
    return "; ".join(f"{item.what} {item.value}" for item in made_of)


@dataclass(frozen=True, slots=True)
class Unlike:
    """What two make-ups do not have alike: an empty text where one of them knows nothing of it."""

    kind: str
    what: str
    first: str
    second: str


def unlike(first: Iterable[MadeOf], second: Iterable[MadeOf]) -> tuple[Unlike, ...]:
    """Return what differs between two make-ups: of two machines, or of one at two moments.

    Parameters
    ----------
    first, second : iterable of MadeOf
        As ``make_up`` gives them.
    """
    here, there = ({(one.kind, one.what.casefold()): one for one in some} for some in (first, second))
    found = []
    for key in sorted({*here, *there}):
        values = [some[key].value if key in some else "" for some in (here, there)]
        if values[0] != values[1]:
            named = here[key] if key in here else there[key]
            found.append(Unlike(key[0], named.what, *values))
    return tuple(found)


def changed_since_frozen(study: Study) -> list[MachineChange]:
    """Return the changes of the plan's machines after the study began and before it was settled.

    What the study's own adoption wrote does not count.
    """
    if study.plan is None or study.plan.frozen is None:
        return []
    end = study.decision.at if study.decision else None
    return [
        change
        for change in study.changes
        if change.study_id != study.id
        and change.round not in (Round.FROZEN, Round.THAWED)
        and change.at > study.plan.frozen
        and (end is None or change.at <= end)
        and change.machine_id in study.plan.machine_ids
    ]


def rounds_of(changes: Iterable[MachineChange], machine_id: int, profile: str) -> list[MachineChange]:
    """Return the rounds of tuning of a profile on a machine, oldest first; freezing and thawing too.

    Parameters
    ----------
    changes : iterable of MachineChange
        In any order.
    machine_id : int
        Which machine.
    profile : str
        Its name, in any case.
    """
    # By name alone, in any case, as the make-up has it: a profile has no other identity.
    mine = [
        one
        for one in changes
        if one.round is not None
        and one.machine_id == machine_id
        and one.what.casefold() == profile.strip().casefold()
    ]
    return sorted(mine, key=lambda one: (one.at, one.id))


def is_frozen(rounds: Sequence[MachineChange]) -> bool:
    """Return whether a profile is frozen, by its rounds from ``rounds_of``."""
    return bool(rounds) and rounds[-1].round is Round.FROZEN
