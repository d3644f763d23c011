"""What prints took from spools and laid through nozzles: kept by the runs themselves."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Final

from oddtwin.core.quantities import format_list, format_number, with_unit
from oddtwin.core.study.workshop import MachineChange, Spool

NOZZLE: Final = "nozzle"
_DAY_S: Final = 86_400.0


@dataclass(frozen=True, slots=True)
class Spent:
    """What one print took.

    Parameters
    ----------
    machine_id : int or None
        That it was printed on.
    spool : str
        Name of its spool; empty where nobody said.
    started : datetime
        When its plate was started.
    minutes : float
        Its share of the plate's minutes, by the stamps.
    grams : float
        Part and waste.
    weighed : bool
        Whether it was weighed; otherwise it is what the piece should take.
    """

    machine_id: int | None
    spool: str
    started: datetime
    minutes: float
    grams: float
    weighed: bool


def grams_left(spool: Spool, spent: Iterable[Spent]) -> float | None:
    """Return the grams left on a spool, not below zero; None where it was never weighed.

    Parameters
    ----------
    spool : Spool
        With what was left on it as it was weighed.
    spent : iterable of Spent
        Of any spools; what was started before it was weighed does not count.
    """
    if spool.left_g is None:
        return None
    since = spool.weighed
    # Without a moment nobody knows which prints came after: the figure stands as it was typed.
    taken = sum(
        one.grams for one in spent if one.spool == spool.name and since is not None and one.started >= since
    )
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
            parts.append(f"of it {_grams(self.abrasive_g)} abrasive")
        since = f" since {self.since:%Y-%m-%d}" if self.since else ""
        return f"Through the nozzle{since}: {format_list(parts)}"


def nozzle_use(
    changes: Iterable[MachineChange], spools: Sequence[Spool], machine_id: int, spent: Iterable[Spent]
) -> NozzleUse:
    """Return what went through the nozzle of a machine since it was fitted last.

    Parameters
    ----------
    changes : iterable of MachineChange
        The logs; a part whose name holds the word nozzle is one.
    spools : sequence of Spool
        Which tell whether a filament is abrasive.
    machine_id : int
        Of the machine.
    spent : iterable of Spent
        What prints took, of any machines.
    """
    # Put back counts as fitted: an old nozzle begins its hours anew, for nobody logs what it had behind it.
    fitted = [
        one
        for one in changes
        if one.machine_id == machine_id and one.kind == "part" and NOZZLE in one.what.casefold()
    ]
    last = max(fitted, key=lambda one: (one.at, one.id), default=None)
    since = last.at if last else None
    mine = [one for one in spent if one.machine_id == machine_id and (since is None or one.started >= since)]
    rough = {spool.name for spool in spools if spool.abrasive}
    return NozzleUse(
        since,
        last.after if last else "",
        sum(one.minutes for one in mine),
        sum(one.grams for one in mine),
        sum(one.grams for one in mine if one.spool in rough),
    )


def _grams(grams: float) -> str:
    if grams >= 1000:
        return with_unit(format_number(grams / 1000, 2), "kg")
    return with_unit(format_number(grams, 0), "g")
