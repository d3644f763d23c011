"""The budget of a plan: hours, grams and money."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.language import tr
from oddtwin.core.runlist import arms_before, checks_by_run
from oddtwin.core.study import (
    Arm,
    Estimate,
    Run,
    RunState,
    Spool,
    Study,
    StudyBlock,
    plates_of,
    shares_plates,
)

WATT_MINUTES_PER_KWH = 60_000.0


@dataclass(frozen=True, slots=True)
class SpoolUse:
    """Grams that a plan takes from one spool, and what is left on it (None where not weighed)."""

    name: str
    grams: float
    left_g: float | None

    @property
    def short_g(self) -> float:
        """Grams that are missing; zero where there is enough, or nobody weighed it."""
        return 0.0 if self.left_g is None else max(0.0, self.grams - self.left_g)


@dataclass(frozen=True, slots=True)
class Budget:
    """What a list of runs takes; minutes, grams, and money in the workshop's currency.

    Parameters
    ----------
    runs : int
        Prints that are still to be made or were made and count.
    printing_min, overhead_min : float
        By the estimates of the pieces; heating, homing and levelling by machine.
    switching_min, checking_min, hands_min : float
        Work: going from arm to arm, recalibration, and taking prints off.
    part_g, waste_g : float
        Plastic in the parts, and wasted.
    spools : tuple of SpoolUse
        By spool; prints without one stand under an empty name.
    filament, energy, machine, labour : float
        Money.
    fittings : float
        Money for what the levels need, each once.
    unknown : tuple of str
        Pieces without an estimate.
    """

    runs: int
    printing_min: float
    overhead_min: float
    switching_min: float
    checking_min: float
    hands_min: float
    part_g: float
    waste_g: float
    spools: tuple[SpoolUse, ...]
    filament: float
    energy: float
    machine: float
    labour: float
    fittings: float
    unknown: tuple[str, ...]

    @property
    def machine_min(self) -> float:
        """Minutes that machines are busy printing, overhead included."""
        return self.printing_min + self.overhead_min

    @property
    def work_min(self) -> float:
        """Minutes of a person's work."""
        return self.switching_min + self.checking_min + self.hands_min

    @property
    def grams(self) -> float:
        """All plastic."""
        return self.part_g + self.waste_g

    @property
    def money(self) -> float:
        """All money."""
        return self.filament + self.energy + self.machine + self.labour + self.fittings


@dataclass(frozen=True, slots=True)
class _Takes:
    """What one run takes."""

    minutes: float
    overhead_min: float
    part_g: float
    waste_g: float
    filament: float
    energy: float
    machine: float
    unknown: str


def budget_of(study: Study) -> Budget:
    """Add up what the runs of a study take.

    Parameters
    ----------
    study : Study
        With its runs, machines, pieces, spools and rates; set-aside runs do not count.
    """
    runs = [run for run in study.runs if run.state is not RunState.SET_ASIDE]
    # A plate is heated, and taken off, once for all the prints that share it.
    first = {plate[0].id for plate in plates_of(study, runs)}
    spools = {spool.name: spool for spool in study.spools}
    blocks = study.index.blocks
    takes = [_takes(study, run, blocks[run.block_id], run.id in first, spools.get(run.spool)) for run in runs]
    due = checks_by_run(study)
    checking = sum(len(due[run.id]) for run in runs) * study.rates.check_min
    switching = sum(switch_minutes(study).values())
    hands = len(first) * study.rates.hands_min
    by_spool: dict[str, float] = defaultdict(float)
    for run, one in zip(runs, takes, strict=True):
        by_spool[run.spool] += one.part_g + one.waste_g
    return Budget(
        runs=len(runs),
        printing_min=sum(one.minutes for one in takes),
        overhead_min=sum(one.overhead_min for one in takes),
        switching_min=switching,
        checking_min=checking,
        hands_min=hands,
        part_g=sum(one.part_g for one in takes),
        waste_g=sum(one.waste_g for one in takes),
        spools=tuple(
            SpoolUse(name, grams, spools[name].left_g if name in spools else None)
            for name, grams in sorted(by_spool.items())
        ),
        filament=sum(one.filament for one in takes),
        energy=sum(one.energy for one in takes),
        machine=sum(one.machine for one in takes),
        labour=(switching + checking + hands) / 60 * study.rates.labour_per_h,
        fittings=_fittings(study),
        unknown=tuple(dict.fromkeys(one.unknown for one in takes if one.unknown)),
    )


def _takes(study: Study, run: Run, block: StudyBlock, heats: bool, spool: Spool | None) -> _Takes:
    machine = study.machines.get(run.machine_id or block.machine_id or 0)
    piece = study.pieces.get(block.piece_id or 0)
    estimate = piece.on(machine.id if machine else None) if piece else Estimate()
    overhead = machine.overhead_min if machine and heats else 0.0
    busy = estimate.minutes + overhead
    power_w, cost_per_h = (machine.power_w, machine.cost_per_h) if machine else (0.0, 0.0)
    return _Takes(
        minutes=estimate.minutes,
        overhead_min=overhead,
        part_g=estimate.part_g,
        waste_g=estimate.waste_g,
        filament=(estimate.part_g + estimate.waste_g) / 1000 * (spool.price_per_kg if spool else 0.0),
        energy=busy * power_w / WATT_MINUTES_PER_KWH * study.rates.energy_per_kwh,
        machine=busy / 60 * cost_per_h,
        unknown="" if estimate.minutes else piece.name if piece else tr("a piece without a name"),
    )


def switch_minutes(study: Study) -> dict[int, float]:
    """Return the minutes of switching before each run, by its id, in the planned order."""
    if shares_plates(study):
        return {}
    arms = study.index.arms
    return {
        run.id: between(study, before, arms[run.arm_id])
        for run, before in arms_before(study)
        if not run.set_aside
    }


def between(study: Study, before: Arm, after: Arm) -> float:
    """Return the minutes to go from one arm to another: those of every level that is entered."""
    if before.id == after.id:
        return 0.0
    old = {factor.id: level.id for factor, level in study.levels_of(before)}
    new = study.levels_of(after)
    return sum(level.minutes for factor, level in new if old.get(factor.id) != level.id)


def _fittings(study: Study) -> float:
    """What the levels cost that some arm needs, each bought once."""
    needed = {
        level.id: level.cost
        for arm in study.arms
        for factor, level in study.levels_of(arm)
        # A machine is there, or is the question; its price is none of the study's.
        if factor.kind is not ChangeKind.MACHINE
    }
    return sum(needed.values())
