"""A first timetable, one plate after another: an upper limit and a hint for the solver."""

from __future__ import annotations

from collections import defaultdict
from typing import Final

from oddtwin.core.language import tr
from oddtwin.core.schedule.presence import DAY_MIN, Window
from oddtwin.core.schedule.work import PlatePrint, Workload

LAST_DAY: Final = 800


def greedy_starts(work: Workload) -> dict[int, tuple[int, int]]:
    """Place every plate at the earliest start that the rules allow, in drawn order.

    Parameters
    ----------
    work : Workload
        Checked; starts that the user wants are left to the solver.

    Returns
    -------
    dict of key to (start, end)
        In minutes after the midnight before the calendar begins.

    Raises
    ------
    ValueError
        A sentence for the user: a plate that fits nowhere.
    """
    windows = work.presence.windows(work.start, LAST_DAY)
    waking = work.presence.waking(work.start, LAST_DAY)
    machine_free: dict[int, int] = defaultdict(int)
    last: dict[int, PlatePrint] = {}
    hands: list[Window] = []
    spools: dict[str, list[Window]] = defaultdict(list)
    placed: dict[int, tuple[int, int]] = {}
    queues: dict[int, list[PlatePrint]] = defaultdict(list)
    for plate in sorted(work.plates, key=lambda plate: plate.position):
        queues[plate.machine].append(plate)
    while any(queues.values()):
        # The machine that is free first takes its next plate.
        machine = min((key for key in queues if queues[key]), key=lambda key: (machine_free[key], key))
        plate = queues[machine].pop(0)
        prepare = work.prepare_min(last.get(machine), plate)
        start = _earliest(
            plate, prepare, machine_free[machine], windows, waking, work.overnight, hands, spools[plate.spool]
        )
        if start is None:
            raise ValueError(
                tr(
                    "A print of {print_min} minutes fits nowhere in the hours that were typed.",
                    print_min=plate.print_min,
                )
            )
        placed[plate.key] = (start, start + plate.print_min)
        hands.append((start - prepare, start))
        if plate.spool:
            spools[plate.spool].append((start, start + plate.print_min))
        machine_free[machine] = start + plate.print_min
        last[machine] = plate
    return placed


def _earliest(
    plate: PlatePrint,
    prepare: int,
    free: int,
    windows: list[Window],
    waking: list[Window],
    overnight: bool,
    hands: list[Window],
    spool: list[Window],
) -> int | None:
    days = {begin // DAY_MIN: end for begin, end in waking}
    for opens, closes in windows:
        begin = max(opens, free)
        while begin + prepare <= closes:
            start = begin + prepare
            late = not overnight and start + plate.print_min > days[opens // DAY_MIN]
            if late:
                break
            busy = [end for from_, end in hands if from_ < start and begin < end]
            busy += [end - prepare for from_, end in spool if from_ < start + plate.print_min and start < end]
            if not busy:
                return start
            # Straight to the end of what is in the way; one minute on at least, or it would stand still.
            begin = max(max(busy), begin + 1)
    return None
