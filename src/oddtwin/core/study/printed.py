"""The prints: runs from plan to shelf, and what was read, checked and noted of them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime
from enum import StrEnum
from typing import Any, Final

from oddtwin.core.language import mark, shown, tr
from oddtwin.core.quantities import format_reading, seconds_of
from oddtwin.core.readings import Taken
from oddtwin.core.study.planned import Slot


class RunState(StrEnum):
    """Where a run stands."""

    PLANNED = mark("planned")
    PRINTING = mark("printing")
    PRINTED = mark("printed")
    SET_ASIDE = mark("set aside")


class EventKind(StrEnum):
    """What happens while a plate prints and is worth a line, in the order of its keys from 1."""

    FIRST_LAYER = mark("first layer good")
    LOOSE = mark("came loose")
    BLOB = mark("blob")
    SKIPPED = mark("skipped")
    PAUSED = mark("paused")
    SPOOL = mark("spool changed")
    NOISE = mark("noise")

    @property
    def disturbs(self) -> bool:
        """Whether it can have spoilt the print."""
        return self is not EventKind.FIRST_LAYER


TALLEST_MM: Final = 10_000.0


@dataclass(frozen=True, slots=True)
class PrintEvent:
    """What happened while a plate printed.

    Parameters
    ----------
    kind : EventKind
    at : datetime
        When, with its offset from UTC.
    z_mm : float or None, optional
        Height of the layer that was printed, from 0 to ``TALLEST_MM``.

    Raises
    ------
    ValueError
        The moment has no offset, or the height is none.
    """

    kind: EventKind
    at: datetime
    z_mm: float | None = None

    def __post_init__(self) -> None:
        if self.at.tzinfo is None:
            raise ValueError(tr("The moment of an event needs its offset from UTC."))
        if self.z_mm is not None and not 0 <= self.z_mm <= TALLEST_MM:
            raise ValueError(
                tr("A height lies between 0 and {TALLEST_MM} mm.", TALLEST_MM=format_reading(TALLEST_MM))
            )

    @property
    def sentence(self) -> str:
        """What happened and at which height."""
        return shown(self.kind) + (
            "" if self.z_mm is None else tr(" at {z_mm} mm", z_mm=format_reading(self.z_mm))
        )


@dataclass(frozen=True, slots=True)
class Plate:
    """One print job: one start, one finish, one file, with one or more pieces on it.

    Moments carry their offset from UTC. ``sha256`` is the hash of the sliced file that it was printed
    from, empty where none was kept; ``slot`` when it is to be printed; ``events`` what happened
    meanwhile, as it was noted. ``temperature_c`` and ``humidity_pct`` (relative, 0 to 100) are those of the
    room, None where nobody read them; ``bed_cleaned`` is ticked before it starts. A plate without an id
    is that of a single run.
    """

    id: int = 0
    started: datetime | None = None
    finished: datetime | None = None
    sha256: str = ""
    slot: Slot | None = None
    events: tuple[PrintEvent, ...] = ()
    temperature_c: float | None = None
    humidity_pct: float | None = None
    bed_cleaned: bool = False


@dataclass(frozen=True, slots=True)
class Run:
    """One printed piece, from plan to shelf.

    It lies on a plate, at ``place`` (0 where it has the plate for itself), turned by ``turn_deg``
    degrees. ``machine_id`` is set where the machine is what differs inside a block; elsewhere the
    block's machine holds. ``reprint_of`` is the run that this one replaces. ``failed`` says how it failed
    because of what was changed: that is an outcome, and the print counts.
    """

    id: int
    code: str
    position: int
    arm_id: int
    block_id: int
    plate: Plate = Plate()
    spool: str = ""
    note: str = ""
    set_aside: str = ""
    failed: str = ""
    reprint_of: int | None = None
    place: int = 0
    turn_deg: int = 0
    operator: str = ""
    machine_id: int | None = None

    @property
    def started(self) -> datetime | None:
        """When its plate was started."""
        return self.plate.started

    @property
    def finished(self) -> datetime | None:
        """When its plate was done."""
        return self.plate.finished

    @property
    def sha256(self) -> str:
        """Hash of the sliced file that its plate was printed from."""
        return self.plate.sha256

    @property
    def slot(self) -> Slot | None:
        """When its plate is to be printed."""
        return self.plate.slot

    def with_plate(self, **values: Any) -> Run:
        """Return the run on a plate with other stamps, file or slot."""
        return replace(self, plate=replace(self.plate, **values))

    @property
    def state(self) -> RunState:
        """Where the run stands, from its stamps."""
        if self.set_aside:
            return RunState.SET_ASIDE
        if self.finished:
            return RunState.PRINTED
        return RunState.PRINTING if self.started else RunState.PLANNED


def printed_order(run: Run) -> tuple[bool, float, int]:
    """Return a key that puts runs in the order in which they were started; planned ones follow."""
    return run.started is None, seconds_of(run.started), run.position


@dataclass(frozen=True, slots=True)
class Recheck:
    """A recalibration check of one run: done, or waived with a reason."""

    id: int
    run_id: int
    text: str
    at: datetime
    waived: str = ""


@dataclass(frozen=True, slots=True)
class OwedCheck:
    """A recalibration check that a change in the log of a machine asks for.

    Parameters
    ----------
    machine_id : int
        Of the machine.
    text : str
        What to check.
    at : datetime
        When the change was made.
    what : str
        What was changed.
    answered : tuple of datetime
        When it was checked in another study, or calibrated, since then; oldest first.
    """

    machine_id: int
    text: str
    at: datetime
    what: str
    answered: tuple[datetime, ...] = ()


@dataclass(frozen=True, slots=True)
class RunReading(Taken):
    """One value of one response of one run, in the response's unit; 0 for a word."""

    id: int
    run_id: int
    response_id: int
    value: float


@dataclass(frozen=True, slots=True)
class Deviation:
    """A departure of one run from what must stay the same."""

    id: int
    run_id: int
    text: str
