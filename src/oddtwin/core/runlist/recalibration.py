"""What a change of arm disturbs on a machine, and what was checked of it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from datetime import datetime

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.customs.lists import DISTURBS, FILAMENT_LINE, SWAP_CHECKS, usually_disturbs
from oddtwin.core.study.plates import shares_plates
from oddtwin.core.study.printed import OwedCheck, Run, printed_order
from oddtwin.core.study.question import Arm, Level
from oddtwin.core.study.whole import Study, derived, derived_from
from oddtwin.core.study.workshop import MachineChange


def arms_before(study: Study) -> list[tuple[Run, Arm]]:
    """Return every run in planned order with the arm that its machine is set up for before it.

    A machine begins with the baseline; a run that was set aside leaves it as it was.

    Parameters
    ----------
    study : Study
        With its runs.
    """
    arms = study.index.arms
    machines = study.index.machine_ids
    set_up: dict[int | None, Arm] = {}
    found = []
    for run in sorted(study.runs, key=lambda run: run.position):
        machine = machines[run.id]
        found.append((run, set_up.get(machine, study.baseline)))
        if not run.set_aside:
            set_up[machine] = arms[run.arm_id]
    return found


@derived_from("runs", "arms", "factors", "plan", "blocks", "owed")
def checks_by_run(study: Study) -> dict[int, tuple[str, ...]]:
    """Return the checks that are due before each run, by its id: of its arm, and of the log of its machine.

    Parameters
    ----------
    study : Study
        With its runs in planned order.
    """
    owed = owed_by_run(study)
    return {
        key: tuple(dict.fromkeys((*of_arm, *(one.text for one in owed.get(key, ())))))
        for key, of_arm in arm_checks(study).items()
    }


@derived_from("runs", "plan", "blocks", "owed")
def owed_by_run(study: Study) -> dict[int, tuple[OwedCheck, ...]]:
    """Return what the log of a machine asks to be checked before a run, by the id of the run.

    A change is owed its checks by the first print that the machine makes after it, also where it was
    made before the study began; not where it was checked in between, in another study or by a calibration.

    Parameters
    ----------
    study : Study
        With what its machines owe.
    """
    machines = study.index.machine_ids
    runs: dict[int | None, list[Run]] = defaultdict(list)
    for run in sorted(study.runs, key=printed_order):
        if not run.set_aside:
            runs[machines[run.id]].append(run)
    found: dict[int, list[OwedCheck]] = defaultdict(list)
    # Printed order and not planned: what was started first after the change bore its risk.
    for check in study.owed:
        after = (run for run in runs[check.machine_id] if run.started is None or run.started > check.at)
        first = next(after, None)
        if first is None:
            continue
        started = first.started
        if not any(started is None or moment <= started for moment in check.answered):
            found[first.id].append(check)
    return {key: tuple(checks) for key, checks in found.items()}


def owed_checks(
    changes: Iterable[MachineChange], answers: Iterable[tuple[int, str, datetime]], study_id: int
) -> tuple[OwedCheck, ...]:
    """Return what changes of machines ask to be checked, with when it was answered outside of a study.

    Parameters
    ----------
    changes : iterable of MachineChange
        The logs; what the study itself wrote does not count.
    answers : iterable of tuple
        Id of a machine, what was checked or calibrated on it, and when.
    study_id : int
        Of the study.
    """
    known: dict[tuple[int, str], list[datetime]] = defaultdict(list)
    for machine_id, text, at in answers:
        known[machine_id, text].append(at)
    return tuple(
        OwedCheck(
            change.machine_id,
            text,
            change.at,
            change.what,
            tuple(sorted(at for at in known[change.machine_id, text] if at >= change.at)),
        )
        for change in sorted(changes, key=lambda one: (one.at, one.id))
        if change.study_id != study_id and change.round is None
        for text in disturbed_by(change)
        if text not in change.checked
    )


def disturbed_by(change: MachineChange) -> tuple[str, ...]:
    """Return what a change in the log of a machine disturbs; a calibration and a setting disturb nothing."""
    if change.kind in (ChangeKind.CALIBRATION, ChangeKind.SETTING, ChangeKind.PACK):
        return ()
    # By the words of its name, as Ask does for a factor: one table says what a change touches.
    texts = list(DISTURBS.get(usually_disturbs(change.kind, change.what), ()))
    if change.mass_g:
        texts += DISTURBS["mass that moves"]
    return tuple(dict.fromkeys(texts))


@derived_from("runs", "arms", "factors", "plan", "blocks")
def arm_checks(study: Study) -> dict[int, tuple[str, ...]]:
    """Return the checks that a change of arm asks for before each run, by its id.

    A run whose arm has other levels than the run before it on the same machine disturbs
    what the recalibration table says of those factors; so does other mass on the moving
    axis. The first run of a machine is compared with the baseline. A filament is tuned when it
    comes to a machine first; later a swap asks only what a swap disturbs. Prints that share a
    plate are set up together, and disturb nothing.

    Parameters
    ----------
    study : Study
        With its runs in planned order.
    """
    arms = study.index.arms
    if shares_plates(study):
        return {run.id: () for run in study.runs}
    known: dict[tuple[int, int, frozenset[int]], tuple[str, ...]] = {}
    machines = study.index.machine_ids
    tuned: dict[int | None, frozenset[int]] = {}
    due = {}
    for run, last in arms_before(study):
        arm, machine = arms[run.arm_id], machines[run.id]
        # A machine comes with the baseline's filament tuned.
        there = tuned.get(machine, _filaments(study, study.baseline))
        if (last.id, arm.id, there) not in known:
            known[last.id, arm.id, there] = checks_between(study, last, arm, there)
        due[run.id] = known[last.id, arm.id, there]
        if not run.set_aside:
            tuned[machine] = there | _filaments(study, arm)
    return due


def _filaments(study: Study, arm: Arm) -> frozenset[int]:
    """Return the ids of the levels of an arm that are filaments."""
    return frozenset(level.id for factor, level in study.levels_of(arm) if factor.disturbs == FILAMENT_LINE)


def planned_checks(study: Study) -> list[tuple[str, tuple[str, ...]]]:
    """Return what entering each arm from the baseline disturbs: names of arms with their checks."""
    found = [
        (arm.name, checks_between(study, study.baseline, arm)) for arm in study.arms if not arm.is_baseline
    ]
    return [(name, checks) for name, checks in found if checks]


@derived
def open_checks(study: Study) -> dict[int, tuple[str, ...]]:
    """Return, for each run that was started, the checks that were neither done nor waived."""
    answered = {(item.run_id, item.text) for item in study.rechecks}
    due = checks_by_run(study)
    return {
        run.id: left
        for run in study.runs
        if run.started and not run.set_aside
        for left in [tuple(text for text in due[run.id] if (run.id, text) not in answered)]
        if left
    }


def checks_between(
    study: Study, before: Arm, after: Arm, tuned: frozenset[int] = frozenset()
) -> tuple[str, ...]:
    """Return the checks that going from one arm to another on a machine disturbs.

    Parameters
    ----------
    study : Study
        With its factors.
    before, after : Arm
        What the machine was, and is to be, set up for.
    tuned : frozenset of int
        Ids of the levels whose filament was tuned on the machine already.
    """
    if before.id == after.id:
        return ()
    old = _levels(study, before)
    new = _levels(study, after)
    checks: list[str] = []
    for factor_id, level in new.items():
        factor = next(item for item in study.factors if item.id == factor_id)
        moved = old.get(factor_id) != level or before.role != after.role
        if moved and factor.disturbs:
            swap = factor.disturbs == FILAMENT_LINE and level.id in tuned
            checks += SWAP_CHECKS if swap else DISTURBS.get(factor.disturbs, ())
        if moved and level.mass_g != (old[factor_id].mass_g if factor_id in old else 0.0):
            checks += DISTURBS["mass that moves"]
    return tuple(dict.fromkeys(checks))


def _levels(study: Study, arm: Arm) -> dict[int, Level]:
    if not arm.level_ids and not arm.is_baseline and not arm.role:
        # Before the order is drawn the change stands for the last level of every factor.
        return {factor.id: factor.levels[-1] for factor in study.factors if factor.levels}
    return {factor.id: level for factor, level in study.levels_of(arm)}
