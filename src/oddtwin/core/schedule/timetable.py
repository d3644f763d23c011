"""Runs on machines over real days: the work, the answer, and the solver's model."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from threading import Event, Thread
from typing import Any, Final

from oddtwin.core.schedule.greedy import greedy_starts
from oddtwin.core.schedule.presence import DAY_MIN, moment
from oddtwin.core.schedule.work import Job, Workload, prepares

MOST_DAYS: Final = 370
SOLVE_S: Final = 3.0
"""Seconds given to the solver; the rest of five is left for loading it, the model, and switches."""


@dataclass(frozen=True, slots=True)
class Placed:
    """One job in the timetable.

    Parameters
    ----------
    key : int
        Of the job.
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
        Every job, by start.
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
    cancelled: Callable[[], bool] = lambda: False,
) -> Timetable:
    """Find a timetable with the least makespan, then the fewest hard switches.

    Parameters
    ----------
    work : Workload
        Jobs, presence and rules.
    seconds : float
        Time for the solver.
    cancelled : callable
        Asked now and then; when it says yes, the best answer so far is returned.

    Returns
    -------
    Timetable

    Raises
    ------
    ValueError
        A sentence for the user: a print that fits nowhere, or nothing to plan.

    Notes
    -----
    Constraint programming (CP-SAT). Jobs of a machine do not overlap; hands work on one
    job at a time and only when somebody is there; where prints may not run through the
    night they end on the day they begin; jobs on one spool do not overlap; the order of
    the design holds on each machine unless ``keep_order`` is off.
    """
    work.check()
    greedy = greedy_starts(work)
    last = max(*(end for _, end in greedy.values()), *(job.pinned or 0 for job in work.jobs))
    horizon_days = (last + sum(job.print_min for job in work.jobs if job.pinned is not None)) // DAY_MIN + 8
    if horizon_days > MOST_DAYS:
        raise ValueError("The prints would take more than a year; plan fewer, or more hours and machines.")
    best = _Model(work, greedy, int(horizon_days)).solve(seconds, cancelled)
    notes = list(best.notes)
    if not work.keep_order:
        notes.append(
            "The drawn order was given up to save switches: drift of a machine can now pass for the change. "
            "Say so, or keep the order."
        )
    if work.overnight:
        notes.append(
            "Prints may run through the night: only with a smoke alarm, where the maker’s instructions and "
            "local rules allow unattended printing."
        )
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
        by_machine: dict[int, list[Job]] = defaultdict(list)
        for job in work.jobs:
            by_machine[job.machine].append(job)
        for jobs in by_machine.values():
            ordered = sorted(jobs, key=lambda job: job.position)
            if work.keep_order:
                self._in_order(ordered)
            else:
                self._in_any_order(ordered)
        self._one_at_a_time()

    def solve(self, seconds: float, cancelled: Callable[[], bool]) -> Timetable:
        """Solve for the makespan, then for switches where the order is free."""
        cp, model = self._cp, self._model
        model.minimize(self._makespan)
        for job in self._work.jobs:
            model.add_hint(self._start[job.key], self._greedy[job.key][0])
        solver, status = self._run(seconds, cancelled)
        if status not in (cp.OPTIMAL, cp.FEASIBLE):
            if any(job.pinned is not None for job in self._work.jobs):
                raise ValueError(
                    "A print was put where nobody is there, where it cannot end in time, or where others "
                    "do not fit around it; take it back."
                )
            return self._from_greedy()
        # Minutes are whole, so a bound between two of them is the next one.
        bound = math.ceil(solver.best_objective_bound - 1e-6)
        proven = status == cp.OPTIMAL
        if self._arcs:
            model.add(self._makespan <= int(solver.objective_value))
            model.clear_hints()  # type: ignore[no-untyped-call]
            for job in self._work.jobs:
                model.add_hint(self._start[job.key], solver.value(self._start[job.key]))
            model.minimize(sum(arc for arc, minutes in self._arcs if minutes > 0) * 10_000 + self._makespan)
            again, status = self._run(max(0.5, seconds / 4), cancelled)
            if status in (cp.OPTIMAL, cp.FEASIBLE):
                solver = again
        starts = {job.key: solver.value(self._start[job.key]) for job in self._work.jobs}
        return self._answer(starts, bound, proven)

    def _run(self, seconds: float, cancelled: Callable[[], bool]) -> tuple[Any, int]:
        cp = self._cp
        solver = cp.CpSolver()
        solver.parameters.max_time_in_seconds = seconds
        solver.parameters.num_workers = 2
        solver.parameters.random_seed = 1

        ended = Event()

        def watch() -> None:
            while not ended.wait(0.05):
                if cancelled():
                    solver.stop_search()

        watcher = Thread(target=watch, daemon=True)
        watcher.start()
        try:
            status = solver.solve(self._model)
        finally:
            ended.set()
            watcher.join()
        return solver, status

    def _in_order(self, jobs: Sequence[Job]) -> None:
        """Jobs of a machine in the drawn order, so that every switch is known."""
        before: Job | None = None
        for job in jobs:
            self._add(job, self._work.prepare_min(before, job))
            if before is not None:
                self._model.add(
                    self._start[job.key] - self._hands[job.key] >= self._start[before.key] + before.print_min
                )
            before = job

    def _in_any_order(self, jobs: Sequence[Job]) -> None:
        """Jobs of a machine in any order; a circuit chooses it, and with it the switches."""
        model = self._model
        widest = {job.key: self._work.widest_prepare_min(job, jobs) for job in jobs}
        for job in jobs:
            self._add(job, None, widest[job.key])
        arcs = []
        for index, job in enumerate(jobs, 1):
            first = model.new_bool_var("")
            arcs += [(0, index, first), (index, 0, model.new_bool_var(""))]
            prepare = self._work.prepare_min(None, job)
            model.add(self._hands[job.key] == prepare).only_enforce_if(first)
            self._arcs.append((first, self._work.switch_min(None, job)))
            for other_index, other in enumerate(jobs, 1):
                if other is job:
                    continue
                follows = model.new_bool_var("")
                arcs.append((other_index, index, follows))
                prepare = self._work.prepare_min(other, job)
                model.add(self._hands[job.key] == prepare).only_enforce_if(follows)
                model.add(
                    self._start[job.key] - self._hands[job.key] >= self._start[other.key] + other.print_min
                ).only_enforce_if(follows)
                self._arcs.append((follows, self._work.switch_min(other, job)))
        model.add_circuit(arcs)

    def _add(self, job: Job, prepare: int | None, widest: int = 0) -> None:
        """Add a job: its start, the hands before it, and the rules of day and night."""
        cp, model, work = self._cp, self._model, self._work
        windows = work.presence.windows(work.start, self._days)
        start = model.new_int_var(0, self._horizon, f"start {job.key}")
        hands = prepare if prepare is not None else model.new_int_var(0, widest, "")
        self._start[job.key], self._hands[job.key] = start, hands
        if prepare is not None:
            spans = [(opens + prepare, closes) for opens, closes in windows if opens + prepare <= closes]
            allowed = self._by_day(spans, job) if not work.overnight else spans
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
                allowed = self._by_day(windows, job)
                model.add_linear_expression_in_domain(
                    start, cp.Domain.from_intervals([list(span) for span in allowed])
                )
        if job.pinned is not None:
            model.add(start == job.pinned)
        self._intervals[job.key] = model.new_interval_var(start, job.print_min, start + job.print_min, "")
        self._handwork[job.key] = model.new_interval_var(hands_begin, hands, start, "")
        model.add(self._makespan >= start + job.print_min)

    def _by_day(self, spans: Sequence[tuple[int, int]], job: Job) -> list[tuple[int, int]]:
        """Starts after which a print still ends within the waking hours of its day."""
        work = self._work
        waking = work.presence.waking(work.start, self._days)
        found = []
        for opens, closes in spans:
            latest = (
                max((end for begin, end in waking if begin <= opens <= end), default=opens) - job.print_min
            )
            if min(closes, latest) >= opens:
                found.append((opens, min(closes, latest)))
        return found

    def _one_at_a_time(self) -> None:
        """One pair of hands; a spool on one machine at a time."""
        self._model.add_no_overlap(list(self._handwork.values()))
        by_spool: dict[str, list[Any]] = defaultdict(list)
        for job in self._work.jobs:
            if job.spool:
                by_spool[job.spool].append(self._intervals[job.key])
        for intervals in by_spool.values():
            if len(intervals) > 1:
                self._model.add_no_overlap(intervals)

    def _from_greedy(self) -> Timetable:
        return self._answer({key: start for key, (start, _) in self._greedy.items()}, 0, False)

    def _answer(self, starts: Mapping[int, int], bound: int, proven: bool) -> Timetable:
        work = self._work
        placed, switches = [], 0
        by_machine: dict[int, list[Job]] = defaultdict(list)
        for job in sorted(work.jobs, key=lambda job: starts[job.key]):
            by_machine[job.machine].append(job)
        for jobs in by_machine.values():
            for before, job in prepares(jobs):
                switch = work.switch_min(before, job)
                switches += switch > 0
                begin = starts[job.key]
                placed.append(
                    Placed(
                        job.key,
                        job.machine,
                        moment(work.start, begin - work.prepare_min(before, job)),
                        moment(work.start, begin),
                        moment(work.start, begin + job.print_min),
                        switch,
                    )
                )
        end = max(starts[job.key] + job.print_min for job in work.jobs)
        first = work.start.hour * 60 + work.start.minute
        return Timetable(
            tuple(sorted(placed, key=lambda item: (item.start, item.key))),
            end - first,
            max(0, bound - first),
            switches,
            proven,
        )
