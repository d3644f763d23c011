"""Invented prints: runs stamped, weighed and graded from a seeded generator."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np

from oddtwin import operations
from oddtwin.core.quantities import read_moment
from oddtwin.core.readings import ResponseKind, Spot, Typed
from oddtwin.core.study import EventKind, Response, Role, Run, Study, StudyBlock
from oddtwin.demo.playing import SimulatedBench
from oddtwin.store import LabBook, load_study


@dataclass(frozen=True, slots=True)
class Effect:
    """True mean of the baseline, scatter between twins, and what the change adds, or each level of it."""

    mean: float
    sd: float
    change: float | tuple[float, ...] = 0.0

    def at(self, level: int) -> float:
        """Return the true mean at a level, 0 for the baseline."""
        if not level:
            return self.mean
        return self.mean + (self.change[level - 1] if isinstance(self.change, tuple) else self.change)


class Printing:
    """Carries the runs of one study through the evenings.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id : int
        A study whose order is drawn.
    rng : numpy.random.Generator
        For scatter.
    spool : str
        That all runs are printed from.
    first_day : str
        ISO date of the first evening.
    bench : SimulatedBench, optional
        Devices that read what they can; without them it is typed.
    """

    def __init__(
        self,
        book: LabBook,
        study_id: int,
        rng: np.random.Generator,
        spool: str,
        first_day: str,
        bench: SimulatedBench | None = None,
    ) -> None:
        self._book = book
        self._study_id = study_id
        self._rng = rng
        self._bench = bench
        # What is answered in words has draws of its own, so that figures stay as they were.
        self._words = np.random.default_rng(study_id)
        self._spool = spool
        self._clock: dict[tuple[int, int | None], datetime] = {}
        self._days: dict[int, int] = {}
        self._first = read_moment(f"{first_day}T13:30:00")

    def make(
        self,
        effects: Mapping[str, Effect],
        runs: int | None = None,
        lost: Mapping[int, str] | None = None,
        departures: Mapping[int, str] | None = None,
        failed: Mapping[int, str] | None = None,
    ) -> None:
        """Print and measure the first runs.

        Parameters
        ----------
        effects : mapping of response name to Effect
            For every response.
        runs : int, optional
            How many; all by default.
        lost, departures, failed : mapping of int to str, optional
            By number of the run from 1, why it is set aside (and reprinted), what was not the
            same, and how it failed by the change; then nothing of it is measured.
        """
        study = self._study()
        for number, run in enumerate(study.runs[:runs], 1):
            how = (failed or {}).get(number, "")
            self._print(study, run, effects, how)
            if number in (departures or {}):
                operations.add_deviation(
                    self._book, run_id=run.id, code=run.code, text=(departures or {})[number]
                )
            if number in (lost or {}):
                operations.set_aside(self._book, run_id=run.id, code=run.code, reason=(lost or {})[number])
                operations.reprint(self._book, run_id=run.id, code=run.code)
        if runs is None:
            study = self._study()
            for run in study.runs:
                if run.reprint_of:
                    self._print(study, run, effects)

    def note(self, number: int, kind: EventKind, minutes: int, z_mm: float | None = None) -> None:
        """Note what happened some minutes after the start of a run, by its number from 1.

        Parameters
        ----------
        number, kind : int and EventKind
            Of which run, and what happened.
        minutes : int
            Since the start.
        z_mm : float, optional
            Height of the layer that was printed.
        """
        run = self._study().runs[number - 1]
        assert run.started is not None
        at = run.started + timedelta(minutes=minutes)
        operations.note_event(self._book, run_id=run.id, code=run.code, kind=kind, z_mm=z_mm, at=at)

    def _study(self) -> Study:
        with self._book.reading() as connection:
            return load_study(connection, self._study_id)

    def _print(self, study: Study, run: Run, effects: Mapping[str, Effect], failed: str = "") -> None:
        levels = [study.baseline.id, *(arm.id for arm in study.changed_arms)]
        level = levels.index(run.arm_id)
        drawn = {name: effect.at(level) + self._rng.normal(0, effect.sd) for name, effect in effects.items()}
        start = self._start(study.block_of(run), run.reprint_of, drawn["Print time"])
        operations.edit_run(self._book, run_id=run.id, code=run.code, spool=self._spool)
        operations.start_run(self._book, run_id=run.id, code=run.code, at=start)
        finish = start + timedelta(minutes=round(drawn["Print time"]) + 7)
        operations.finish_run(self._book, run_id=run.id, code=run.code, at=finish)
        if failed:
            operations.note_failure(self._book, run_id=run.id, code=run.code, how=failed)
        for response in study.responses:
            if failed and not response.role:
                continue
            for spot, value in self._values(study, response, run, drawn.get(response.name, 0.0)):
                operations.enter_readings(
                    self._book,
                    run_id=run.id,
                    response_id=response.id,
                    spot=spot,
                    values=[value],
                    title=f"{response.name} of run {run.code}",
                )

    def _start(self, block: StudyBlock, reprint_of: int | None, minutes: float) -> datetime:
        """Each pair, and each reprint, has an afternoon of its own; its prints follow one another."""
        machine, afternoon = block.machine_id or 0, (block.id, reprint_of)
        if afternoon not in self._clock:
            days = self._days[machine] = self._days.get(machine, -1) + 1
            self._clock[afternoon] = self._first + timedelta(days=days)
        start = self._clock[afternoon]
        self._clock[afternoon] = start + timedelta(minutes=round(minutes) + 25)
        return start

    def _values(
        self, study: Study, response: Response, run: Run, value: float
    ) -> list[tuple[Spot, Typed | float]]:
        if response.kind is ResponseKind.YES_NO:
            return [(Spot(), float(self._words.random() < 0.8))]
        if response.kind is ResponseKind.WORD:
            return [(Spot(), Typed(0.0, word=str(self._words.choice(response.words))))]
        if response.role is Role.WASTE:
            brim = round(max(0.0, value) * 0.7, 1)
            return [
                (Spot(waste="brim"), brim),
                (Spot(waste="support"), round(max(0.0, value) - brim, 1)),
            ]
        if response.kind is ResponseKind.GRADE:
            return [
                (spot, float(np.clip(round(value + self._rng.normal(0, 0.4)), 0, 4)))
                for spot in study.spots_of(response, run)
            ]
        if self._bench is not None and self._bench.reads(response):
            return [(Spot(), self._bench.read(response, value))]
        if response.role is Role.TIME:
            return [(Spot(), float(round(value)))]
        digits = 2 if response.unit == "mm" else 1
        return [(Spot(), round(value, digits))]
