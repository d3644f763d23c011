"""What is to be put on a timetable, and the rules that hold for it."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from oddtwin.core.language import tr
from oddtwin.core.schedule.presence import Presence, minute_of


@dataclass(frozen=True, slots=True)
class PlatePrint:
    """One print to be put on the timetable.

    Parameters
    ----------
    key : int
        Its id.
    machine : int
        Which machine it runs on.
    position : int
        Its place in the drawn order.
    print_min : int
        Minutes from start to done, heating and homing included, one or more.
    arm : int
        What the machine must be set up for.
    spool : str
        What it is printed from; empty where that does not matter.
    pinned : int or None
        Start that the user wants, in minutes after the midnight before the calendar begins.
    """

    key: int
    machine: int
    position: int
    print_min: int
    arm: int
    spool: str = ""
    pinned: int | None = None


@dataclass(frozen=True, slots=True)
class Workload:
    """Plates, and the rules that hold for them.

    Parameters
    ----------
    plates : tuple of PlatePrint
        All prints that are still to be made.
    start : datetime
        Nothing begins before this.
    presence : Presence
        When somebody is there.
    switches : mapping of (arm, arm) to float
        Minutes to go from one arm to another, recalibration included.
    first : mapping of machine to arm
        What each machine is set up for at the beginning.
    hands_min : float
        Minutes of hands before every print.
    overnight : bool
        Whether a print may run through the night.
    keep_order : bool
        Whether the drawn order holds on each machine.
    """

    plates: tuple[PlatePrint, ...]
    start: datetime
    presence: Presence
    switches: Mapping[tuple[int, int], float]
    first: Mapping[int, int]
    hands_min: float = 5.0
    overnight: bool = False
    keep_order: bool = True

    def switch_min(self, before: PlatePrint | None, plate: PlatePrint) -> float:
        """Return the minutes to switch from the plate before, or from the beginning."""
        last = before.arm if before is not None else self.first.get(plate.machine, plate.arm)
        return self.switches.get((last, plate.arm), 0.0) if last != plate.arm else 0.0

    def prepare_min(self, before: PlatePrint | None, plate: PlatePrint) -> int:
        """Return the whole minutes of hands that a plate needs before it starts."""
        return math.ceil(self.hands_min + self.switch_min(before, plate))

    def widest_prepare_min(self, plate: PlatePrint, others: Sequence[PlatePrint]) -> int:
        """Return the most minutes of hands that a plate can need."""
        return max(self.prepare_min(before, plate) for before in (None, *others) if before is not plate)

    def pinned(self, key: int, at: datetime) -> Workload:
        """Return the same work with one plate held at a start."""
        minute = minute_of(self.start, at)
        plates = tuple(replace(plate, pinned=minute) if plate.key == key else plate for plate in self.plates)
        return replace(self, plates=plates)

    def check(self) -> None:
        """Refuse work that no calendar can hold.

        Raises
        ------
        ValueError
            A sentence for the user.
        """
        if not self.plates:
            raise ValueError(tr("There is no print left to plan."))
        windows = (*self.presence.weekdays, *self.presence.weekend)
        widest = max(closes - opens for opens, closes in windows)
        waking = max(day[-1][1] - day[0][0] for day in (self.presence.weekdays, self.presence.weekend) if day)
        longest = max(self.plates, key=lambda plate: plate.print_min)
        hands = max(self.switches.values(), default=0.0) + self.hands_min
        if math.ceil(hands) > widest:
            raise ValueError(
                tr(
                    "Changing an arm takes {ceil} minutes, longer than anybody is there at a "
                    "time; type longer hours.",
                    ceil=math.ceil(hands),
                )
            )
        if not self.overnight and longest.print_min + math.ceil(hands) > waking:
            raise ValueError(
                tr(
                    "A print of {print_min} minutes does not fit into one day; allow prints "
                    "through the night, or type longer hours.",
                    print_min=longest.print_min,
                )
            )


def prepares(plates: Sequence[PlatePrint]) -> Iterator[tuple[PlatePrint | None, PlatePrint]]:
    """Yield each plate of a machine with the plate before it, the first with None."""
    before: PlatePrint | None = None
    for plate in plates:
        yield before, plate
        before = plate
