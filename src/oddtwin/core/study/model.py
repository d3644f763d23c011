"""A study and all that belongs to it, as plain frozen values."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum

from oddtwin.core.readings import Better, Combine, ResponseType
from oddtwin.core.study.trade import WASTE_KINDS


class Stage(StrEnum):
    """The stages of a study, in the order of work."""

    ASK = "Ask"
    PLAN = "Plan"
    PRINT = "Print and measure"
    VERDICT = "Verdict"
    SETTLE = "Settle"


class Role(StrEnum):
    """Responses that every print gives: how long it took and where the plastic went."""

    TIME = "time"
    PART = "part"
    WASTE = "waste"


class RunState(StrEnum):
    """Where a run stands."""

    PLANNED = "planned"
    PRINTING = "printing"
    PRINTED = "printed"
    SET_ASIDE = "set aside"


class DecisionKind(StrEnum):
    """How a study is settled."""

    ADOPT = "adopt"
    KEEP = "keep the baseline"
    MORE = "more prints"


@dataclass(frozen=True, slots=True)
class Machine:
    """A printer."""

    id: int
    name: str


@dataclass(frozen=True, slots=True)
class MachineChange:
    """One line of a machine's change log."""

    id: int
    machine_id: int
    at: datetime
    kind: str
    what: str
    before: str
    after: str
    note: str


@dataclass(frozen=True, slots=True)
class Piece:
    """A test object: its zones, and what one print of it takes (minutes, grams)."""

    id: int
    name: str
    zones: tuple[str, ...]
    minutes: float
    part_g: float
    waste_g: float


@dataclass(frozen=True, slots=True)
class Factor:
    """What is varied: its kind, name, and level in each arm."""

    id: int
    kind: str
    name: str
    baseline_level: str
    change_level: str


@dataclass(frozen=True, slots=True)
class Arm:
    """One combination of levels; one arm of a study is the baseline."""

    id: int
    name: str
    is_baseline: bool


@dataclass(frozen=True, slots=True)
class Response:
    """What is measured or graded.

    ``margin``, ``target`` and ``resolution`` (the instrument's smallest step) are in
    ``unit``; ``margin_moved`` says that the margin was changed after the verdict was
    first looked at.
    """

    id: int
    name: str
    unit: str
    type: ResponseType
    combine: Combine
    better: Better | None
    target: float | None
    margin: float | None
    resolution: float | None
    primary: bool
    role: Role | None
    margin_moved: bool


@dataclass(frozen=True, slots=True)
class HeldItem:
    """Something that must stay the same."""

    id: int
    text: str


@dataclass(frozen=True, slots=True)
class Plan:
    """How many prints were planned, where, and the seed of their order."""

    pairs: int
    twins: int
    seed: int
    order_version: int
    machine_ids: tuple[int, ...]
    piece_ids: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class StudyBlock:
    """Prints made alike in all but the arm; ``label`` names the pair, empty for none."""

    id: int
    label: str
    machine_id: int | None
    piece_id: int | None


@dataclass(frozen=True, slots=True)
class Run:
    """One print, from plan to shelf.

    ``reprint_of`` is the run that this one replaces. Times are naive local time.
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

    @property
    def state(self) -> RunState:
        """Where the run stands, from its stamps."""
        if self.set_aside:
            return RunState.SET_ASIDE
        if self.finished:
            return RunState.PRINTED
        return RunState.PRINTING if self.started else RunState.PLANNED


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


@dataclass(frozen=True, slots=True)
class Decision:
    """How the study was settled, and why."""

    kind: DecisionKind
    reason: str
    at: datetime


@dataclass(frozen=True, slots=True)
class Study:
    """One question, from Ask to Settle.

    Tuples are in the order in which the user sees them; ``verdict_seen`` is when the
    verdict was first looked at.
    """

    id: int
    name: str
    question: str
    created: datetime
    arms: tuple[Arm, ...] = ()
    factors: tuple[Factor, ...] = ()
    responses: tuple[Response, ...] = ()
    held: tuple[HeldItem, ...] = ()
    plan: Plan | None = None
    blocks: tuple[StudyBlock, ...] = ()
    runs: tuple[Run, ...] = ()
    readings: tuple[RunReading, ...] = ()
    deviations: tuple[Deviation, ...] = ()
    decision: Decision | None = None
    verdict_seen: datetime | None = None
    machines: Mapping[int, Machine] = field(default_factory=dict)
    pieces: Mapping[int, Piece] = field(default_factory=dict)

    @property
    def baseline(self) -> Arm:
        """The arm that everything is compared with."""
        return next(arm for arm in self.arms if arm.is_baseline)

    @property
    def change(self) -> Arm:
        """The arm on trial."""
        return next(arm for arm in self.arms if not arm.is_baseline)

    def block_of(self, run: Run) -> StudyBlock:
        """Return the block of a run."""
        return next(block for block in self.blocks if block.id == run.block_id)

    def machine_of(self, run: Run) -> Machine | None:
        """Return the machine that a run is planned on."""
        return self.machines.get(self.block_of(run).machine_id or 0)

    def piece_of(self, run: Run) -> Piece | None:
        """Return the piece that a run prints."""
        return self.pieces.get(self.block_of(run).piece_id or 0)

    def zones_of(self, response: Response, run: Run) -> tuple[str, ...]:
        """Return the zones that a response is read in on a run; one empty zone for the whole."""
        if response.role is Role.WASTE:
            return WASTE_KINDS
        piece = self.piece_of(run)
        if response.type is ResponseType.GRADE and piece and piece.zones:
            return piece.zones
        return ("",)
