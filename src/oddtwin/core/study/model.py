"""A study and all that belongs to it, as plain frozen values."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum
from typing import Any, Final

from oddtwin.core.customs.lists import WASTE_KINDS
from oddtwin.core.design import Design
from oddtwin.core.quantities import seconds_of
from oddtwin.core.readings import Better, Combine, ResponseType


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

    @property
    def settles(self) -> bool:
        """Whether the study is closed by it; after more prints it goes on."""
        return self is not DecisionKind.MORE


class ArmRole(StrEnum):
    """What an arm is there for, besides the levels that it stands for."""

    LEVELS = ""
    CONTROL = "control"
    CENTRE = "centre"


@dataclass(frozen=True, slots=True)
class Machine:
    """A printer: what one print costs on it besides printing.

    Parameters
    ----------
    id : int
        In the lab book.
    name : str
        As the user calls it.
    overhead_min : float
        Minutes for heating, homing and levelling, which a sliced file leaves out.
    cost_per_h : float
        Money for one hour of the machine.
    power_w : float
        Mean electric power while it prints, in watts.
    motion : mapping
        What it can do, as `core.toolpath.motion.limits_from` reads it; empty for the usual limits.
    """

    id: int
    name: str
    overhead_min: float = 0.0
    cost_per_h: float = 0.0
    power_w: float = 0.0
    motion: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Spool:
    """A spool of filament: price per kilogram, grams left on it (None where not weighed).

    ``diameter_mm`` and ``density_g_cm3`` are None where nobody said; then 1.75 mm and
    1.24 g/cm³ count.
    """

    id: int
    name: str
    price_per_kg: float = 0.0
    left_g: float | None = None
    material: str = ""
    diameter_mm: float | None = None
    density_g_cm3: float | None = None


@dataclass(frozen=True, slots=True)
class Rates:
    """What the workshop pays, and when somebody is there.

    Parameters
    ----------
    currency : str
        Sign or letters.
    energy_per_kwh, labour_per_h : float
        Money for a kilowatt-hour, and for an hour of hands.
    hands_min : float
        Minutes of hands for one print: take it off, clean, start the next.
    check_min : float
        Minutes for one recalibration check.
    weekdays, weekend : str
        When somebody is there, such as "7:00-8:30, 17:00-22:00"; empty for nobody.
    overnight : bool
        Whether a print may run through the night.
    """

    currency: str = "€"
    energy_per_kwh: float = 0.0
    labour_per_h: float = 0.0
    hands_min: float = 5.0
    check_min: float = 5.0
    weekdays: str = "7:00-8:30, 17:00-22:00"
    weekend: str = "9:00-22:00"
    overnight: bool = False


@dataclass(frozen=True, slots=True)
class MachineChange:
    """One line of a machine's change log.

    ``study_id`` is the study whose adoption wrote it; ``mass_g`` what it added to the
    moving axis, ``minutes`` the work it took, ``way_back`` how to undo it.
    """

    id: int
    machine_id: int
    at: datetime
    kind: str
    what: str
    before: str
    after: str
    note: str
    study_id: int | None = None
    minutes: float = 0.0
    cost: float = 0.0
    mass_g: float = 0.0
    way_back: str = ""


@dataclass(frozen=True, slots=True)
class NominalSize:
    """A size that a piece should have, in millimetres."""

    name: str
    mm: float


@dataclass(frozen=True, slots=True)
class Estimate:
    """What one print takes: minutes of the sliced file, grams in the part and wasted."""

    minutes: float = 0.0
    part_g: float = 0.0
    waste_g: float = 0.0


@dataclass(frozen=True, slots=True)
class Piece:
    """A test object: its zones, the faults it can show, and what one print of it takes.

    ``minutes``, ``part_g`` and ``waste_g`` hold wherever ``on_machines`` has no estimate of
    its own for a machine id.
    """

    id: int
    name: str
    zones: tuple[str, ...]
    minutes: float
    part_g: float
    waste_g: float
    faults: tuple[str, ...] = ()
    sizes: tuple[NominalSize, ...] = ()
    on_machines: Mapping[int, Estimate] = field(default_factory=dict)

    def on(self, machine_id: int | None) -> Estimate:
        """Return what one print takes on a machine."""
        return self.on_machines.get(machine_id or 0) or Estimate(self.minutes, self.part_g, self.waste_g)


@dataclass(frozen=True, slots=True)
class Level:
    """One value of a factor, and what it takes to get there.

    Parameters
    ----------
    id : int
        In the lab book.
    value : str
        A number with its unit, or a name.
    how, way_back : str
        What to do to get there, and to go back.
    minutes : float
        To switch to it.
    cost : float
        Money to have it.
    mass_g : float
        Mass it adds to the moving axis, in grams.
    """

    id: int
    value: str
    how: str = ""
    way_back: str = ""
    minutes: float = 0.0
    cost: float = 0.0
    mass_g: float = 0.0


HARD_MINUTES: Final = 10.0
"""A factor that takes longer to switch is hard to change."""


@dataclass(frozen=True, slots=True)
class Factor:
    """What is varied: its kind, name, and levels; the first is the baseline's.

    ``disturbs`` names the line of the recalibration table that its change touches; it follows
    from kind and name unless ``disturbs_by_hand``.
    """

    id: int
    kind: str
    name: str
    levels: tuple[Level, ...]
    disturbs: str = ""
    disturbs_by_hand: bool = False

    @property
    def hard_to_change(self) -> bool:
        """Whether a switch to any of its levels takes more than ten minutes."""
        return any(level.minutes > HARD_MINUTES for level in self.levels)


@dataclass(frozen=True, slots=True)
class Arm:
    """One combination of levels (their ids); one arm of a study is the baseline.

    A control arm is the baseline's levels with something done to them, which its name says, or
    those of the change where ``of_change`` (the new part and the old mass); a centre point lies
    in the middle of all factors.
    """

    id: int
    name: str
    is_baseline: bool
    level_ids: tuple[int, ...] = ()
    role: ArmRole = ArmRole.LEVELS
    of_change: bool = False


@dataclass(frozen=True, slots=True)
class Response:
    """What is measured or graded.

    ``margin``, ``target`` and ``resolution`` (the instrument's smallest step) are in
    ``unit``; ``margin_moved`` says that the margin was changed after the verdict was
    first looked at. ``noise_sd`` and ``noise_df`` are a noise floor that the user typed in:
    standard deviation of one print in ``unit``, and its degrees of freedom.
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
    noise_sd: float | None = None
    noise_df: float | None = None


@dataclass(frozen=True, slots=True)
class HeldItem:
    """Something that must stay the same."""

    id: int
    text: str


@dataclass(frozen=True, slots=True)
class Plan:
    """The design, how many prints of it, where, and the seed of their order.

    Parameters
    ----------
    repeats : int
        Blocks on every machine and piece: pairs, or whole sets of the arms.
    twins : int
        Further prints of the baseline in all.
    seed, order_version : int
        What the order was drawn from.
    machine_ids, piece_ids : tuple of int
        Every machine prints every piece.
    design : Design
        Which arms, in which kind of order.
    spools : tuple of str
        Names of the spools, taken in turn by the blocks.
    frozen : datetime or None
        When the order was drawn: the make-up of the machines at that moment counts.
    """

    repeats: int
    twins: int
    seed: int
    order_version: int
    machine_ids: tuple[int, ...]
    piece_ids: tuple[int, ...]
    design: Design = field(default_factory=Design)
    spools: tuple[str, ...] = ()
    frozen: datetime | None = None


@dataclass(frozen=True, slots=True)
class StudyBlock:
    """Prints made alike in all but the arm; ``label`` names the pair, empty for none."""

    id: int
    label: str
    machine_id: int | None
    piece_id: int | None


@dataclass(frozen=True, slots=True)
class Slot:
    """When a run is to be started and will be done; ``pinned`` where the user put it there."""

    start: datetime
    end: datetime
    pinned: bool = False


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


def can_show(piece: Piece | None, response: Response) -> bool:
    """Return whether a piece can show what is graded; a piece of which no fault is noted may show any."""
    if piece is None or not piece.faults or response.type is not ResponseType.GRADE:
        return True
    return response.name.casefold() in {fault.casefold() for fault in piece.faults}


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


@dataclass(frozen=True, slots=True)
class Decision:
    """How the study was settled, and why."""

    kind: DecisionKind
    reason: str
    at: datetime


class LookAt(StrEnum):
    """What can be looked at."""

    VERDICT = "verdict"
    ARMS = "arms"
    REPORT = "report"
    EXPORT = "export"


@dataclass(frozen=True, slots=True)
class Look:
    """Somebody looked at what gives the arms or the verdict away.

    Parameters
    ----------
    at : datetime
        When.
    who : str
        Who; empty where nobody knows.
    what : LookAt
        At what.
    advised : bool
        Whether all that was planned was printed, so that looking was the next step.
    """

    at: datetime
    who: str = ""
    what: LookAt = LookAt.VERDICT
    advised: bool = False

    @property
    def of_arms(self) -> bool:
        """Whether it told the arm of every run, also of those that are printed later."""
        return self.what in (LookAt.ARMS, LookAt.EXPORT)


HIDDEN: Final = 0
"""Id of the arm of a run that is not to be told; the lab book counts from 1."""


@dataclass(frozen=True, slots=True)
class ArmFile:
    """The sliced file of one arm and piece.

    Parameters
    ----------
    id, arm_id : int
        In the lab book.
    piece_id : int or None
        Which piece; None where the study names none.
    sha256 : str
        Hash of the content, under which the lab book keeps it.
    name : str
        As it was called when it was chosen.
    size, layers : int
        Bytes, and layers of the print.
    filament_mm, waste_mm : float
        Filament that it takes, and what of it does not stay on the part.
    seconds : mapping
        Predicted seconds of moves and waits by machine id, without heating and homing.
    """

    id: int
    arm_id: int
    piece_id: int | None
    sha256: str
    name: str
    size: int = 0
    layers: int = 0
    filament_mm: float = 0.0
    waste_mm: float = 0.0
    seconds: Mapping[int, float] = field(default_factory=dict)

    def minutes_on(self, machine: Machine) -> float | None:
        """Return the predicted minutes on a machine with heating and homing; None where not predicted."""
        seconds = self.seconds.get(machine.id)
        return None if seconds is None else seconds / 60 + machine.overhead_min


@dataclass(frozen=True, slots=True)
class TwinCheckResult:
    """The twin check of one piece's files, as `toolpath.match.as_json` gives it, and when it was made."""

    id: int
    piece_id: int | None
    at: datetime
    result: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Study:
    """One question, from Ask to Settle.

    Tuples are in the order in which the user sees them; ``looks`` are all looks at
    what gives the arms or the verdict away, oldest first.
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
    looks: tuple[Look, ...] = ()
    rechecks: tuple[Recheck, ...] = ()
    machines: Mapping[int, Machine] = field(default_factory=dict)
    pieces: Mapping[int, Piece] = field(default_factory=dict)
    spools: tuple[Spool, ...] = ()
    rates: Rates = field(default_factory=Rates)
    changes: tuple[MachineChange, ...] = ()
    files: tuple[ArmFile, ...] = ()
    checks: tuple[TwinCheckResult, ...] = ()

    @property
    def verdict_seen(self) -> datetime | None:
        """When the verdict was first looked at, on the screen or in a report."""
        seen = [look.at for look in self.looks if look.what in (LookAt.VERDICT, LookAt.REPORT)]
        return min(seen, key=seconds_of, default=None)

    @property
    def baseline(self) -> Arm:
        """The arm that everything is compared with."""
        return next(arm for arm in self.arms if arm.is_baseline)

    @property
    def changed_arms(self) -> tuple[Arm, ...]:
        """The arms on trial: all but the baseline, controls and centre points."""
        return tuple(arm for arm in self.arms if not arm.is_baseline and arm.role is ArmRole.LEVELS)

    @property
    def change(self) -> Arm:
        """The arm on trial; the first, where there are several."""
        return self.changed_arms[0]

    @property
    def control(self) -> Arm | None:
        """The control arm, if there is one."""
        return next((arm for arm in self.arms if arm.role is ArmRole.CONTROL), None)

    def levels_of(self, arm: Arm) -> list[tuple[Factor, Level]]:
        """Return each factor with the level that it has in an arm; none for a centre point."""
        found = []
        for factor in self.factors:
            here = [level for level in factor.levels if level.id in arm.level_ids]
            if here or (arm.role is not ArmRole.CENTRE and factor.levels):
                found.append((factor, here[0] if here else factor.levels[0]))
        return found

    def set_up(self, arm: Arm) -> str:
        """Say what to set up for an arm; one that is called by its levels does not say them twice."""
        there = self.levels_of(arm)
        levels = "; ".join(f"{factor.name}: {level.value}" for factor, level in there)
        moved = [level.value for factor, level in there if level is not factor.levels[0]]
        if moved and all(value in arm.name for value in moved):
            return levels
        return f"“{arm.name}”" + (f" – {levels}" if levels else "")

    def arm_of(self, run: Run) -> Arm:
        """Return the arm of a run."""
        return next(arm for arm in self.arms if arm.id == run.arm_id)

    def block_of(self, run: Run) -> StudyBlock:
        """Return the block of a run."""
        return next(block for block in self.blocks if block.id == run.block_id)

    def file_of(self, arm_id: int, piece_id: int | None) -> ArmFile | None:
        """Return the sliced file of an arm and piece, if one was chosen."""
        return next((file for file in self.files if (file.arm_id, file.piece_id) == (arm_id, piece_id)), None)

    def sliced_arm(self, arm: Arm) -> Arm:
        """Return the arm whose sliced files an arm prints: a control prints the baseline's."""
        return self.baseline if arm.role is ArmRole.CONTROL else arm

    def file_for(self, run: Run) -> ArmFile | None:
        """Return the sliced file that a run is to be printed from."""
        return self.file_of(self.sliced_arm(self.arm_of(run)).id, self.block_of(run).piece_id)

    def machine_of(self, run: Run) -> Machine | None:
        """Return the machine that a run is planned on."""
        return self.machines.get(run.machine_id or self.block_of(run).machine_id or 0)

    def machine_ids(self) -> dict[int, int | None]:
        """Return the id of every run's machine by the run's id; None where none is planned."""
        of_block = {block.id: block.machine_id for block in self.blocks}
        return {run.id: run.machine_id or of_block[run.block_id] for run in self.runs}

    def piece_of(self, run: Run) -> Piece | None:
        """Return the piece that a run prints."""
        return self.pieces.get(self.block_of(run).piece_id or 0)

    def zones_of(self, response: Response, run: Run) -> tuple[str, ...]:
        """Return the zones that a response is read in on a run; one empty zone for the whole.

        None where the piece cannot show it. Waste is weighed by its kind, or in one heap (an
        empty zone).
        """
        if response.role is Role.WASTE:
            return ("", *WASTE_KINDS)
        piece = self.piece_of(run)
        if not can_show(piece, response):
            return ()
        if response.type is ResponseType.GRADE and piece and piece.zones:
            return piece.zones
        return ("",)
