"""What prints took from spools and laid through nozzles: kept by the runs themselves."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Final

from oddtwin.core.customs.kinds import CONSUMABLE, ChangeKind
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_list, format_number, with_unit
from oddtwin.core.study.workshop import MachineChange, Spool

NOZZLE: Final = "nozzle"
FITTED: Final = (ChangeKind.PART.value, CONSUMABLE)
_DAY_S: Final = 86_400.0


@dataclass(frozen=True, slots=True)
class Spent:
    """What prints took of one spool on one machine.

    Parameters
    ----------
    machine_id : int or None
        That they were printed on.
    spool : str
        Name of their spool; empty where nobody said.
    prints : int
        How many.
    minutes : float
        Their share of the minutes of their plates, by the stamps.
    grams : float
        Part and waste: weighed, or what the piece should take where it was not.
    """

    machine_id: int | None
    spool: str
    prints: int
    minutes: float
    grams: float


def grams_left(spool: Spool, spent: Iterable[Spent]) -> float | None:
    """Return the grams left on a spool, not below zero; None where it was never weighed.

    Parameters
    ----------
    spool : Spool
        With what was left on it as it was weighed.
    spent : iterable of Spent
        Of any spools, since this one was weighed.
    """
    if spool.left_g is None:
        return None
    # Without a moment nobody knows which prints came after: the figure stands as it was typed.
    taken = sum(one.grams for one in spent if one.spool == spool.name) if spool.weighed else 0.0
    return max(0.0, spool.left_g - taken)


def days_between(earlier: datetime, later: datetime) -> int:
    """Return whole days from one moment to another, not below zero."""
    return max(0, int((later - earlier).total_seconds() // _DAY_S))


@dataclass(frozen=True, slots=True)
class NozzleUse:
    """What went through the nozzle of a machine.

    Parameters
    ----------
    since : datetime or None
        When the nozzle was fitted; None where the log does not tell, and all prints count.
    nozzle : str
        Which it is, as logged.
    minutes, grams, abrasive_g : float
        Of printing, of filament, and of such as wears it.
    """

    since: datetime | None
    nozzle: str
    minutes: float
    grams: float
    abrasive_g: float

    @property
    def sentence(self) -> str:
        """In words; empty where nothing was printed."""
        if not self.minutes and not self.grams:
            return ""
        parts = [with_unit(format_number(self.minutes / 60, 1), "h"), _grams(self.grams)]
        if self.abrasive_g:
            parts.append(tr("of it {grams} abrasive", grams=_grams(self.abrasive_g)))
        since = tr(" since {since:%Y-%m-%d}", since=self.since) if self.since else ""
        return tr("Through the nozzle{since}: {parts}", since=since, parts=format_list(parts))


def nozzle_fitted(changes: Iterable[MachineChange], machine_id: int) -> MachineChange | None:
    """Return the line of a machine's log that fitted its nozzle last: a part or consumable of that name.

    Parameters
    ----------
    changes : iterable of MachineChange
        The logs.
    machine_id : int
        Of the machine.
    """
    # Put back counts as fitted: an old nozzle begins its hours anew, for nobody logs what it had behind it.
    fitted = [
        one
        for one in changes
        if one.machine_id == machine_id and one.kind in FITTED and NOZZLE in one.what.casefold()
    ]
    return max(fitted, key=lambda one: (one.at, one.id), default=None)


def nozzle_use(fitted: MachineChange | None, spools: Sequence[Spool], spent: Iterable[Spent]) -> NozzleUse:
    """Return what went through the nozzle of a machine since it was fitted last.

    Parameters
    ----------
    fitted : MachineChange or None
        From `nozzle_fitted`; None where the log does not tell.
    spools : sequence of Spool
        Which tell whether a filament is abrasive.
    spent : iterable of Spent
        What prints took on the machine since then.
    """
    mine = list(spent)
    rough = {spool.name for spool in spools if spool.abrasive}
    return NozzleUse(
        fitted.at if fitted else None,
        fitted.after if fitted else "",
        sum(one.minutes for one in mine),
        sum(one.grams for one in mine),
        sum(one.grams for one in mine if one.spool in rough),
    )


def _grams(grams: float) -> str:
    if grams >= 1000:
        return with_unit(format_number(grams / 1000, 2), "kg")
    return with_unit(format_number(grams, 0), "g")
