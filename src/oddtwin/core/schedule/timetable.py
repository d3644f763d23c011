"""Runs on machines over real days: the work, the answer, and the solver's model."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from threading import Event, Thread
from typing import Any, Final

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.language import mark, tr
from oddtwin.core.schedule.greedy import greedy_starts
from oddtwin.core.schedule.presence import DAY_MIN, moment
from oddtwin.core.schedule.work import PlatePrint, Workload, prepares

_ORDER_GIVEN_UP: Final = mark(
    "The drawn order was given up to save switches: drift of a machine can now pass for the change. "
    "Say so, or keep the order."
)
_BY_NIGHT: Final = mark(
    "Prints may run through the night: only with a smoke alarm, where the maker’s instructions and "
    "local rules allow unattended printing."
)

MOST_DAYS: Final = 370
SOLVE_S: Final = 3.0
"""Seconds given to the solver; the rest of five is left for loading it, the model, and switches."""


@dataclass(frozen=True, slots=True)
class Placed:
    """One plate in the timetable.

    Parameters
    ----------
    key : int
        Of the plate.
    machine : int
        Where it runs.
    prepare, start, end : datetime
        When hands begin (plate, switch, checks), when it prints, and when it is done.
    switch_min : float
        Minutes of switching and checking that go before it.
    """

    key: int
    machine: int
    prepare: datetime
    start: datetime
    end: datetime
    switch_min: float


@dataclass(frozen=True, slots=True)
class Timetable:
    """A timetable and how good it is.

    Parameters
    ----------
    placed : tuple of Placed
        Every plate, by start.
    makespan_min : int
        Minutes from the start of the calendar to the end of the last print.
    bound_min : int
        No timetable can be shorter than this, as the solver has proved.
    switches : int
        Hard switches: those that take time.
    proven : bool
        Whether nothing better exists.
    notes : tuple of str
        What the user should know, such as a loss of randomisation.
    """

    placed: tuple[Placed, ...]
    makespan_min: int
    bound_min: int
    switches: int
    proven: bool
    notes: tuple[str, ...] = field(default=())

    @property
    def gap(self) -> float:
        """How far the makespan may be from the best one, as a share of it."""
        return max(0.0, (self.makespan_min - self.bound_min) / max(1, self.makespan_min))


def make_timetable(
    work: Workload,
    seconds: float = SOLVE_S,
    job: Job = UNWATCHED,
) -> Timetable:
    """Find a timetable with the least makespan, then the fewest hard switches.

    Parameters
    ----------
    work : Workload
        Plates, presence and rules.
    seconds : float
        Time for the solver.
    job : Job
        Stops the solver at any time.

    Returns
    -------
    Timetable

    Raises
    ------
    CancelledError
        The job was cancelled.
    ValueError
        A sentence for the user: a print that fits nowhere, or nothing to plan.

    Notes
    -----
    Constraint programming (CP-SAT). Plates of a machine do not overlap; hands work on one
    plate at a time and only when somebody is there; where prints may not run through the
    night they end on the day they begin; plates on one spool do not overlap; the order of
    the design holds on each machine unless ``keep_order`` is off.
    """
    work.check()
    greedy = greedy_starts(work)
    last = max(*(end for _, end in greedy.values()), *(plate.pinned or 0 for plate in work.plates))
    # The greedy timetable is an upper limit on the makespan, and so bounds every variable of the model.
    horizon_days = (
        last + sum(plate.print_min for plate in work.plates if plate.pinned is not None)
    ) // DAY_MIN + 8
    if horizon_days > MOST_DAYS:
        raise ValueError(
            tr("The prints would take more than a year; plan fewer, or more hours and machines.")
        )
    best = _Model(work, greedy, int(horizon_days)).solve(seconds, job)
    notes = list(best.notes)
    if not work.keep_order:
        notes.append(tr(_ORDER_GIVEN_UP))
    if work.overnight:
        notes.append(tr(_BY_NIGHT))
    return Timetable(best.placed, best.makespan_min, best.bound_min, best.switches, best.proven, tuple(notes))


class _Model:
    """The CP-SAT model of one workload."""

    def __init__(self, work: Workload, greedy: Mapping[int, tuple[int, int]], days: int) -> None:
        from ortools.sat.python import cp_model

        self._cp: Any = cp_model
        self._work = work
        self._days = days
        self._horizon = days * DAY_MIN
        self._model = cp_model.CpModel()
        self._greedy = greedy
        self._start: dict[int, Any] = {}
        self._hands: dict[int, Any] = {}
        self._handwork: dict[int, Any] = {}
        self._intervals: dict[int, Any] = {}
        self._arcs: list[tuple[Any, float]] = []
        self._makespan = self._model.new_int_var(0, self._horizon, "makespan")
        by_machine: dict[int, list[PlatePrint]] = defaultdict(list)
        for plate in work.plates:
            by_machine[plate.machine].append(plate)
        for plates in by_machine.values():
            ordered = sorted(plates, key=lambda plate: plate.position)
            if work.keep_order:
                self._in_order(ordered)
            else:
                self._in_any_order(ordered)
        self._one_at_a_time()

    def solve(self, seconds: float, job: Job) -> Timetable:
        """Solve for the makespan, then for switches where the order is free."""
        cp, model = self._cp, self._model
        model.minimize(self._makespan)
        for plate in self._work.plates:
            model.add_hint(self._start[plate.key], self._greedy[plate.key][0])
        solver, status = self._run(seconds, job)
        if status not in (cp.OPTIMAL, cp.FEASIBLE):
            if any(plate.pinned is not None for plate in self._work.plates):
                raise ValueError(
                    tr(
                        "A print was put where nobody is there, where it cannot end in time, or "
                        "where others do not fit around it; take it back."
                    )
                )
            return self._from_greedy()
        # Minutes are whole, so a bound between two of them is the next one.
        bound = math.ceil(solver.best_objective_bound - 1e-6)
        proven = status == cp.OPTIMAL
        if self._arcs:
            # Two solves and not one weighted sum: no number of switches may cost an hour of the makespan.
            model.add(self._makespan <= int(solver.objective_value))
            model.clear_hints()  # type: ignore[no-untyped-call]
            for plate in self._work.plates:
                model.add_hint(self._start[plate.key], solver.value(self._start[plate.key]))
            model.minimize(sum(arc for arc, minutes in self._arcs if minutes > 0) * 10_000 + self._makespan)
            again, status = self._run(max(0.5, seconds / 4), job)
            if status in (cp.OPTIMAL, cp.FEASIBLE):
                solver = again
        starts = {plate.key: solver.value(self._start[plate.key]) for plate in self._work.plates}
        return self._answer(starts, bound, proven)

    def _run(self, seconds: float, job: Job) -> tuple[Any, int]:
        cp = self._cp
        solver = cp.CpSolver()
        solver.parameters.max_time_in_seconds = seconds
        solver.parameters.num_workers = 2
        # With a fixed seed the same plan gives the same timetable, as far as time allows both to finish.
        solver.parameters.random_seed = 1

        ended = Event()

        def watch() -> None:
            while not ended.wait(0.05):
                if job.cancelled:
                    solver.stop_search()

        # The solver looks at nothing of ours while it runs; another thread has to tell it to stop.
        watcher = Thread(target=watch, daemon=True)
        watcher.start()
        try:
            status = solver.solve(self._model)
        finally:
            ended.set()
            watcher.join()
        job.check()
        return solver, status

    def _in_order(self, plates: Sequence[PlatePrint]) -> None:
        """Plates of a machine in the drawn order, so that every switch is known."""
        before: PlatePrint | None = None
        for plate in plates:
            self._add(plate, self._work.prepare_min(before, plate))
            if before is not None:
                self._model.add(
                    self._start[plate.key] - self._hands[plate.key]
                    >= self._start[before.key] + before.print_min
                )
            before = plate

    def _in_any_order(self, plates: Sequence[PlatePrint]) -> None:
        """Plates of a machine in any order; a circuit chooses it, and with it the switches."""
        model = self._model
        widest = {plate.key: self._work.widest_prepare_min(plate, plates) for plate in plates}
        for plate in plates:
            self._add(plate, None, widest[plate.key])
        arcs = []
        for index, plate in enumerate(plates, 1):
            first = model.new_bool_var("")
            # Node 0 stands before the first and after the last plate, so that a chain is a circuit.
            arcs += [(0, index, first), (index, 0, model.new_bool_var(""))]
            prepare = self._work.prepare_min(None, plate)
            model.add(self._hands[plate.key] == prepare).only_enforce_if(first)
            self._arcs.append((first, self._work.switch_min(None, plate)))
            for other_index, other in enumerate(plates, 1):
                if other is plate:
                    continue
                follows = model.new_bool_var("")
                arcs.append((other_index, index, follows))
                prepare = self._work.prepare_min(other, plate)
                model.add(self._hands[plate.key] == prepare).only_enforce_if(follows)
                model.add(
                    self._start[plate.key] - self._hands[plate.key]
                    >= self._start[other.key] + other.print_min
                ).only_enforce_if(follows)
                self._arcs.append((follows, self._work.switch_min(other, plate)))
        model.add_circuit(arcs)

    def _add(self, plate: PlatePrint, prepare: int | None, widest: int = 0) -> None:
        """Add a plate: its start, the hands before it, and the rules of day and night."""
        cp, model, work = self._cp, self._model, self._work
        windows = work.presence.windows(work.start, self._days)
        start = model.new_int_var(0, self._horizon, f"start {plate.key}")
        hands = prepare if prepare is not None else model.new_int_var(0, widest, "")
        self._start[plate.key], self._hands[plate.key] = start, hands
        # What comes before is known where nothing is switched: then the hands are a number, and half of the
        # variables fall away.
        if prepare is not None:
            spans = [(opens + prepare, closes) for opens, closes in windows if opens + prepare <= closes]
            allowed = self._by_day(spans, plate) if not work.overnight else spans
            model.add_linear_expression_in_domain(start, cp.Domain.from_intervals([list(s) for s in allowed]))
            hands_begin: Any = start - prepare
        else:
            begin = model.new_int_var(0, self._horizon, "")
            model.add(begin == start - hands)
            hands_begin = begin
            here = [model.new_bool_var("") for _ in windows]
            model.add_exactly_one(here)
            for chosen, (opens, closes) in zip(here, windows, strict=True):
                model.add(begin >= opens).only_enforce_if(chosen)
                model.add(start <= closes).only_enforce_if(chosen)
            if not work.overnight:
                allowed = self._by_day(windows, plate)
                model.add_linear_expression_in_domain(
                    start, cp.Domain.from_intervals([list(span) for span in allowed])
                )
        if plate.pinned is not None:
            model.add(start == plate.pinned)
        self._intervals[plate.key] = model.new_interval_var(
            start, plate.print_min, start + plate.print_min, ""
        )
        self._handwork[plate.key] = model.new_interval_var(hands_begin, hands, start, "")
        model.add(self._makespan >= start + plate.print_min)

    def _by_day(self, spans: Sequence[tuple[int, int]], plate: PlatePrint) -> list[tuple[int, int]]:
        """Starts after which a print still ends within the waking hours of its day."""
        work = self._work
        waking = work.presence.waking(work.start, self._days)
        found = []
        for opens, closes in spans:
            latest = (
                max((end for begin, end in waking if begin <= opens <= end), default=opens) - plate.print_min
            )
            if min(closes, latest) >= opens:
                found.append((opens, min(closes, latest)))
        return found

    def _one_at_a_time(self) -> None:
        """One pair of hands; a spool on one machine at a time."""
        self._model.add_no_overlap(list(self._handwork.values()))
        by_spool: dict[str, list[Any]] = defaultdict(list)
        for plate in self._work.plates:
            if plate.spool:
                by_spool[plate.spool].append(self._intervals[plate.key])
        for intervals in by_spool.values():
            if len(intervals) > 1:
                self._model.add_no_overlap(intervals)

    def _from_greedy(self) -> Timetable:
        return self._answer({key: start for key, (start, _) in self._greedy.items()}, 0, False)

    def _answer(self, starts: Mapping[int, int], bound: int, proven: bool) -> Timetable:
        work = self._work
        placed, switches = [], 0
        by_machine: dict[int, list[PlatePrint]] = defaultdict(list)
        for plate in sorted(work.plates, key=lambda plate: starts[plate.key]):
            by_machine[plate.machine].append(plate)
        for plates in by_machine.values():
            for before, plate in prepares(plates):
                switch = work.switch_min(before, plate)
                switches += switch > 0
                begin = starts[plate.key]
                placed.append(
                    Placed(
                        plate.key,
                        plate.machine,
                        moment(work.start, begin - work.prepare_min(before, plate)),
                        moment(work.start, begin),
                        moment(work.start, begin + plate.print_min),
                        switch,
                    )
                )
        # Minutes count from midnight of the first day; who reads it waits from when they begin.
        end = max(starts[plate.key] + plate.print_min for plate in work.plates)
        first = work.start.hour * 60 + work.start.minute
        return Timetable(
            tuple(sorted(placed, key=lambda item: (item.start, item.key))),
            end - first,
            max(0, bound - first),
            switches,
            proven,
        )
