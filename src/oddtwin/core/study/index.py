"""What a study links by id, looked up once; and what follows from a study, worked out once."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping
from functools import cached_property, wraps
from typing import TYPE_CHECKING, NamedTuple, TypeVar

if TYPE_CHECKING:
    from oddtwin.core.study.planned import StudyBlock
    from oddtwin.core.study.printed import Deviation, Recheck, Run, RunReading
    from oddtwin.core.study.question import Arm, Response
    from oddtwin.core.study.whole import Study

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
