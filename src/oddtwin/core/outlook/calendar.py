"""A study's runs as work for the timetable, and the timetable as slots of its runs."""

from __future__ import annotations

import math
from datetime import datetime, timedelta
from typing import Final

from oddtwin.core.language import tr
from oddtwin.core.outlook.spending import between
from oddtwin.core.runlist import checks_between
from oddtwin.core.schedule import (
    DAY_MIN,
    Placed,
    PlatePrint,
    Presence,
    Timetable,
    Workload,
    greedy_starts,
    minute_of,
)
from oddtwin.core.study import Arm, Run, RunState, Slot, Study, plates_of, printed_order, shares_plates

_MONDAY: Final = datetime(2024, 1, 1)


def workload_of(
    study: Study, start: datetime, keep_order: bool = True, pinned: dict[int, datetime] | None = None
) -> Workload:
    """Return the prints that are still to be made, with the rules of the workshop.

    Parameters
    ----------
    study : Study
        With its runs; each takes its piece's minutes and its machine's overhead.
    start : datetime
        Nothing begins before this.
    keep_order : bool
        Whether the drawn order holds on each machine.
    pinned : dict of run id to datetime, optional
        Starts that the user wants.

    Raises
    ------
    ValueError
        Hours that cannot be read, or a piece without an estimate.
    """
    wanted = {
        **{run.id: run.slot.start for run in study.runs if run.slot and run.slot.pinned},
        **(pinned or {}),
    }
    printing = []
    for plate in _plates_to_print(study):
        first = plate[0]
        machine = study.machine_of(first)
        minutes = sum(_minutes(study, run) for run in plate)
        printing.append(
            PlatePrint(
                key=first.id,
                machine=machine.id if machine else 0,
                position=first.position,
                print_min=math.ceil(minutes + (machine.overhead_min if machine else 0.0)),
                # Where arms share a plate nothing is set up between plates, whichever arm lies first on
                # them.
                arm=study.baseline.id if shares_plates(study) else first.arm_id,
                spool=first.spool,
                pinned=minute_of(start, wanted[first.id]) if first.id in wanted else None,
            )
        )
    return Workload(
        plates=tuple(printing),
        start=start,
        presence=Presence.parsed(study.rates.weekdays, study.rates.weekend),
        switches={
            (before.id, after.id): _switch(study, before, after)
            for before in study.arms
            for after in study.arms
            if before is not after
        },
        first=_set_up_for(study),
        hands_min=study.rates.hands_min,
        overnight=study.rates.overnight,
        keep_order=keep_order,
    )


def days_of(study: Study) -> dict[int, int | str]:
    """Return the day of each run: its date where it has a time, else the number of the day.

    Numbers count from 1 on, as the runs would follow one another from a Monday on; runs
    whose minutes are not known have none.
    """
    dated = {run.id: run.started or (run.slot.start if run.slot else None) for run in study.runs}
    if any(dated.values()):
        return {key: at.date().isoformat() for key, at in dated.items() if at}
    on_plate = {plate[0].id: plate for plate in _plates_to_print(study)}
    try:
        work = workload_of(study, _MONDAY)
        work.check()
        starts = greedy_starts(work)
    # Days are worth knowing before anything is estimated; then there simply are none.
    except ValueError:
        return {}
    return {run.id: start // DAY_MIN + 1 for key, (start, _) in starts.items() for run in on_plate[key]}


def slots_of(study: Study, timetable: Timetable, pinned: set[int]) -> dict[int, Slot]:
    """Return the slot of each run by its id; prints that share a plate share theirs."""
    on_plate = {plate[0].id: plate for plate in _plates_to_print(study)}
    return {
        run.id: Slot(item.start, item.end, item.key in pinned)
        for item in timetable.placed
        for run in on_plate[item.key]
    }


def placed_of(study: Study) -> tuple[Placed, ...]:
    """Return the timetable that a study's runs keep; empty where they have no times."""
    planned = [run for run in study.runs if run.slot and run.state is RunState.PLANNED]
    timed = [plate[0] for plate in plates_of(study, planned)]
    if not timed:
        return ()
    arms = study.index.arms
    machines = study.index.machine_ids
    set_up = {machine: arms[arm] for machine, arm in _set_up_for(study).items()}
    placed = []
    for run in sorted(timed, key=lambda run: (str(run.slot and run.slot.start), run.position)):
        machine, arm = machines[run.id] or 0, arms[run.arm_id]
        before = set_up.get(machine, arm)
        moves = before.id != arm.id and not shares_plates(study)
        switch = _switch(study, before, arm) if moves else 0.0
        set_up[machine] = arm
        if run.slot is not None:
            hands = timedelta(minutes=math.ceil(study.rates.hands_min + switch))
            start = run.slot.start
            placed.append(Placed(run.id, machine, start - hands, start, run.slot.end, switch))
    return tuple(placed)


def _plates_to_print(study: Study) -> list[tuple[Run, ...]]:
    return plates_of(study, (run for run in study.runs if run.state is RunState.PLANNED))


def _minutes(study: Study, run: Run) -> float:
    piece, machine = study.piece_of(run), study.machine_of(run)
    takes = piece.on(machine.id if machine else None) if piece else None
    if takes is None or takes.minutes <= 0:
        name = piece.name if piece else tr("one of the pieces")
        raise ValueError(
            tr("There is no estimate of minutes for {name}; type it in the list of pieces.", name=name)
        )
    return takes.minutes


def _switch(study: Study, before: Arm, after: Arm) -> float:
    return between(study, before, after) + len(checks_between(study, before, after)) * study.rates.check_min


def _set_up_for(study: Study) -> dict[int, int]:
    """What each machine is set up for: the arm it printed last, else the baseline."""
    machines = study.index.machine_ids
    last = dict.fromkeys(study.machines, study.baseline.id)
    for run in sorted((run for run in study.runs if run.started and not run.set_aside), key=printed_order):
        machine = machines[run.id]
        if machine is not None:
            last[machine] = run.arm_id
    return last
