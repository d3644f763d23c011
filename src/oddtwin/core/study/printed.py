"""The prints: runs from plan to shelf, and what was read, checked and noted of them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from oddtwin.core.quantities import seconds_of
from oddtwin.core.study.planned import Slot


class RunState(StrEnum):
    """Where a run stands."""

    PLANNED = "planned"
    PRINTING = "printing"
    PRINTED = "printed"
    SET_ASIDE = "set aside"


@dataclass(frozen=True, slots=True)
class Run:
    """One print, from plan to shelf.

    ``place`` is its place on a shared plate (0 for a plate of its own), turned by
    ``turn_deg`` degrees. ``machine_id`` is set where the machine is what differs inside a
    block; elsewhere the block's machine holds. ``reprint_of`` is the run that this one
    replaces. Moments carry their offset from UTC. ``sha256`` is the hash of the sliced file that it was
    printed from, empty where none was kept.
    """

    id: int
    code: str
    position: int
    arm_id: int
    block_id: int
    started: datetime | None = None
    finished: datetime | None = None
    spool: str = ""
    note: str = ""
    set_aside: str = ""
    reprint_of: int | None = None
    place: int = 0
    turn_deg: int = 0
    operator: str = ""
    machine_id: int | None = None
    slot: Slot | None = None
    sha256: str = ""

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
class RunReading:
    """One value of one response of one run; grades carry their zone, waste its kind."""

    id: int
    run_id: int
    response_id: int
    zone: str
    value: float


@dataclass(frozen=True, slots=True)
class Deviation:
    """A departure of one run from what must stay the same."""

    id: int
    run_id: int
    text: str
