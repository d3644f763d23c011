"""A study and all that belongs to it, as plain frozen values."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import cached_property, wraps
from typing import Any, NamedTuple, TypeVar

from oddtwin.core.customs.lists import WASTE_KINDS
from oddtwin.core.quantities import number_in, seconds_of
from oddtwin.core.readings import ResponseKind, Spot
from oddtwin.core.study.files import ArmFile, TwinCheckResult
from oddtwin.core.study.looked import BlindSession, Mark, Photograph, SessionAnswer, View
from oddtwin.core.study.planned import Plan, StudyBlock
from oddtwin.core.study.printed import Deviation, OwedCheck, Recheck, Run, RunReading
from oddtwin.core.study.question import Arm, ArmRole, Factor, HeldItem, Level, Response, Role, can_show
from oddtwin.core.study.settled import Decision, Look, LookAt
from oddtwin.core.study.workshop import (
    Machine,
    MachineChange,
    Piece,
    Rates,
    Rig,
    Spool,
    Threshold,
    WorkshopFault,
)

T = TypeVar("T")


class Place(NamedTuple):
    """Where a run belongs, by name: pair, machine and piece; empty where there is none."""

    pair: str
    machine: str
    piece: str


class Index:
    """The links of one study, each looked up when it is first asked for."""

    def __init__(self, study: Study) -> None:
        self._study = study

    @cached_property
    def arms(self) -> Mapping[int, Arm]:
        """Arms by their id."""
        return {arm.id: arm for arm in self._study.arms}

    @cached_property
    def blocks(self) -> Mapping[int, StudyBlock]:
        """Blocks by their id."""
        return {block.id: block for block in self._study.blocks}

    @cached_property
    def runs(self) -> Mapping[int, Run]:
        """Runs by their id."""
        return {run.id: run for run in self._study.runs}

    @cached_property
    def responses(self) -> Mapping[int, Response]:
        """Responses by their id."""
        return {item.id: item for item in self._study.responses}

    @cached_property
    def machine_ids(self) -> Mapping[int, int | None]:
        """Id of every run's machine by the run's id; None where none is planned."""
        return {run.id: run.machine_id or self.blocks[run.block_id].machine_id for run in self._study.runs}

    @cached_property
    def places(self) -> Mapping[int, Place]:
        """Pair, machine and piece of every run by its id, as names."""
        machines = {key: machine.name for key, machine in self._study.machines.items()}
        pieces = {key: piece.name for key, piece in self._study.pieces.items()}
        return {
            run.id: Place(
                block.label,
                machines.get(self.machine_ids[run.id] or 0, ""),
                pieces.get(block.piece_id or 0, ""),
            )
            for run in self._study.runs
            for block in [self.blocks[run.block_id]]
        }

    @cached_property
    def readings(self) -> Mapping[int, tuple[RunReading, ...]]:
        """Readings by the id of their run; none for a run without."""
        return _by_run(self._study.readings)

    @cached_property
    def rechecks(self) -> Mapping[int, tuple[Recheck, ...]]:
        """Answers to recalibration checks by the id of their run."""
        return _by_run(self._study.rechecks)

    @cached_property
    def deviations(self) -> Mapping[int, tuple[Deviation, ...]]:
        """Departures from what must stay the same, by the id of their run."""
        return _by_run(self._study.deviations)

    @cached_property
    def photographs(self) -> Mapping[int, tuple[Photograph, ...]]:
        """Photographs by the id of their run."""
        return _by_run(self._study.photographs)

    @cached_property
    def marks(self) -> Mapping[int, tuple[Mark, ...]]:
        """Marks on photographs by the id of their run."""
        return _by_run(self._study.marks)

    @cached_property
    def views(self) -> Mapping[int, View]:
        """Views of the pieces by their id."""
        return {view.id: view for piece in self._study.pieces.values() for view in piece.views}


@dataclass(frozen=True)
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
    owed: tuple[OwedCheck, ...] = ()
    files: tuple[ArmFile, ...] = ()
    checks: tuple[TwinCheckResult, ...] = ()
    photographs: tuple[Photograph, ...] = ()
    marks: tuple[Mark, ...] = ()
    sessions: tuple[BlindSession, ...] = ()
    answers: tuple[SessionAnswer, ...] = ()
    rig: Rig = field(default_factory=Rig)
    faults: tuple[WorkshopFault, ...] = ()
    thresholds: tuple[Threshold, ...] = ()
    parent_id: int | None = None
    tags: tuple[str, ...] = ()

    @cached_property
    def index(self) -> Index:
        """What it links by id."""
        return Index(self)

    @cached_property
    def followed(self) -> dict[Any, Any]:
        """What was worked out from it already (see ``derived``)."""
        return {}

    def changed(self, **parts: Any) -> Study:
        """Return a later state of the study; what follows from other parts of it still holds."""
        later = replace(self, **parts)
        # Only what follows from parts that are the very same still holds; ``derived_from`` looks at that
        # when it is asked.
        later.followed.update(self.followed)
        return later

    @property
    def verdict_seen(self) -> datetime | None:
        """When the verdict was first looked at, on the screen or in a report."""
        seen = [look.at for look in self.looks if look.what in (LookAt.VERDICT, LookAt.REPORT)]
        return min(seen, key=seconds_of, default=None)

    @property
    def judged(self) -> tuple[Response, ...]:
        """Responses that are asked about."""
        return tuple(item for item in self.responses if item.role is not Role.COVARIATE)

    @property
    def covariates(self) -> tuple[Response, ...]:
        """Responses that only go along."""
        return tuple(item for item in self.responses if item.role is Role.COVARIATE)

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
        return next((arm for arm in self.arms if arm.is_control), None)

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
        return self.index.arms[run.arm_id]

    def block_of(self, run: Run) -> StudyBlock:
        """Return the block of a run."""
        return self.index.blocks[run.block_id]

    def file_of(self, arm_id: int, piece_id: int | None) -> ArmFile | None:
        """Return the sliced file of an arm and piece, if one was chosen."""
        return next((file for file in self.files if (file.arm_id, file.piece_id) == (arm_id, piece_id)), None)

    def sliced_arm(self, arm: Arm) -> Arm:
        """Return the arm whose sliced files an arm prints: a control prints the baseline's."""
        return self.baseline if arm.is_control else arm

    def file_for(self, run: Run) -> ArmFile | None:
        """Return the sliced file that a run is to be printed from."""
        return self.file_of(self.sliced_arm(self.arm_of(run)).id, self.block_of(run).piece_id)

    def machine_of(self, run: Run) -> Machine | None:
        """Return the machine that a run is planned on."""
        return self.machines.get(run.machine_id or self.block_of(run).machine_id or 0)

    def piece_of(self, run: Run) -> Piece | None:
        """Return the piece that a run prints."""
        return self.pieces.get(self.block_of(run).piece_id or 0)

    def spots_of(self, response: Response, run: Run) -> tuple[Spot, ...]:
        """Return what a response is read of on a run: zones, sizes or kinds of waste, or the whole.

        None where the piece cannot show it. Waste is weighed by its kind, or in one heap.
        """
        if response.role is Role.WASTE:
            return (Spot(), *(Spot(waste=kind) for kind in WASTE_KINDS))
        piece = self.piece_of(run)
        if not can_show(piece, response):
            return ()
        if piece is not None and response.kind is ResponseKind.SIZE:
            return tuple(Spot(size.name, nominal=size.mm) for size in piece.sizes)
        if piece is not None and response.kind is ResponseKind.ONSET:
            return tuple(Spot(zone) for zone in piece.zones if number_in(zone) is not None)
        if piece is not None and response.kind is ResponseKind.GRADE and piece.zones:
            return tuple(Spot(zone) for zone in piece.zones)
        return (Spot(),)


def derived(make: Callable[[Study], T]) -> Callable[[Study], T]:
    """Work out once for each study what follows from it alone: a frozen value never changes."""
    return derived_from()(make)


def derived_from(*fields: str) -> Callable[[Callable[[Study], T]], Callable[[Study], T]]:
    """Work out once what follows from some fields of a study, also for a later state of it.

    Parameters
    ----------
    *fields : str
        Names; while they are the very same values, what was worked out from them holds. None
        for all of them.
    """

    def decorate(make: Callable[[Study], T]) -> Callable[[Study], T]:
        @wraps(make)
        def once(study: Study) -> T:
            base = tuple(getattr(study, name) for name in fields) or (study,)
            known = study.followed.get(make)
            # By identity: comparing 28 000 readings for equality would take longer than working the figures
            # out again.
            if known is None or any(one is not other for one, other in zip(known[0], base, strict=True)):
                known = study.followed[make] = (base, make(study))
            found: T = known[1]
            return found

        return once

    return decorate


def _by_run(items: tuple[T, ...]) -> Mapping[int, tuple[T, ...]]:
    gathered: dict[int, list[T]] = defaultdict(list)
    for item in items:
        gathered[item.run_id].append(item)  # type: ignore[attr-defined]
    return defaultdict(tuple, {key: tuple(some) for key, some in gathered.items()})
