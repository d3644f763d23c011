"""The budget of a plan: hours, grams and money."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from oddtwin.core.study import Arm, RunState, Study, checks_by_run, plates_of, shares_plates

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
    checks = checks_by_run(study)
    block_of = {block.id: block for block in study.blocks}
    prices = {spool.name: spool for spool in study.spools}
    printing = overhead = part = waste = energy = machine_money = filament = checking = 0.0
    by_spool: dict[str, float] = defaultdict(float)
    unknown = {}
    for run in runs:
        block = block_of[run.block_id]
        machine = study.machines.get(run.machine_id or block.machine_id or 0)
        piece = study.pieces.get(block.piece_id or 0)
        takes = piece.on(machine.id if machine else None) if piece else None
        if takes is None or not takes.minutes:
            unknown[piece.name if piece else "a piece without a name"] = True
        minutes = takes.minutes if takes else 0.0
        heats = machine.overhead_min if machine else 0.0
        grams = takes.part_g + takes.waste_g if takes else 0.0
        printing += minutes
        overhead += heats if run.id in first else 0.0
        part += takes.part_g if takes else 0.0
        waste += takes.waste_g if takes else 0.0
        by_spool[run.spool] += grams
        filament += grams / 1000 * (prices[run.spool].price_per_kg if run.spool in prices else 0.0)
        if machine is not None:
            busy = minutes + (heats if run.id in first else 0.0)
            energy += busy * machine.power_w / WATT_MINUTES_PER_KWH * study.rates.energy_per_kwh
            machine_money += busy / 60 * machine.cost_per_h
        checking += len(checks[run.id]) * study.rates.check_min
    switching = sum(switch_minutes(study).values())
    hands = len(first) * study.rates.hands_min
    return Budget(
        runs=len(runs),
        printing_min=printing,
        overhead_min=overhead,
        switching_min=switching,
        checking_min=checking,
        hands_min=hands,
        part_g=part,
        waste_g=waste,
        spools=tuple(
            SpoolUse(name, grams, prices[name].left_g if name in prices else None)
            for name, grams in sorted(by_spool.items())
        ),
        filament=filament,
        energy=energy,
        machine=machine_money,
        labour=(switching + checking + hands) / 60 * study.rates.labour_per_h,
        fittings=_fittings(study),
        unknown=tuple(unknown),
    )


def switch_minutes(study: Study) -> dict[int, float]:
    """Return the minutes of switching before each run, by its id, in the planned order."""
    if shares_plates(study):
        return {}
    arms = {arm.id: arm for arm in study.arms}
    block_of = {block.id: block for block in study.blocks}
    before: dict[int | None, Arm] = {}
    found = {}
    for run in sorted(study.runs, key=lambda run: run.position):
        if run.set_aside:
            continue
        machine = run.machine_id or block_of[run.block_id].machine_id
        arm = arms[run.arm_id]
        found[run.id] = between(study, before.get(machine, study.baseline), arm)
        before[machine] = arm
    return found


def between(study: Study, before: Arm, after: Arm) -> float:
    """Return the minutes to go from one arm to another: those of every level that is entered."""
    if before.id == after.id:
        return 0.0
    old = {factor.id: level.id for factor, level in study.levels_of(before)}
    new = study.levels_of(after)
    return sum(level.minutes for factor, level in new if old.get(factor.id) != level.id)


def _fittings(study: Study) -> float:
    """What the levels cost that some arm needs, each bought once."""
    needed = {level.id: level.cost for arm in study.arms for _, level in study.levels_of(arm)}
    return sum(needed.values())
