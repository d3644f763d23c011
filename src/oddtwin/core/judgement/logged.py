"""Threats in the log: what was not held, not checked, out of order, or printed from another file."""

from __future__ import annotations

from bisect import bisect_left
from collections import defaultdict
from collections.abc import Sequence

from oddtwin.core.language import shown, tr, trn
from oddtwin.core.quantities import format_list, minutes_between
from oddtwin.core.runlist.recalibration import arm_checks, open_checks, owed_by_run
from oddtwin.core.study.blinding import revealed
from oddtwin.core.study.makeup import changed_since_frozen
from oddtwin.core.study.printed import EventKind, Run, printed_order
from oddtwin.core.study.whole import Study
from oddtwin.core.threat import Threat, ThreatCode


def not_held(study: Study) -> list[Threat]:
    """Find departures from what must stay the same, as ticked or written at the machine."""
    if not study.deviations:
        return []
    codes = {run.id: run.code for run in study.runs}
    listed = [(item.text, codes[item.run_id]) for item in study.deviations]
    shown = format_list([f"{what} ({code})" for what, code in listed], "; ")
    return [
        Threat(
            ThreatCode.NOT_HELD,
            tr("Not everything was held the same: {shown}.", shown=shown),
            tr("Reprint those pairs, or judge whether the departure could have moved the response."),
            runs=tuple(dict.fromkeys(code for _, code in listed)),
        )
    ]


def disturbed(study: Study) -> list[Threat]:
    """Find recalibration checks that were not made, or waived."""
    open_runs, owed = _open_by_cause(study)
    codes = {run.id: run.code for run in study.runs}
    found = []
    if open_runs:
        texts = dict.fromkeys(text for left in open_runs.values() for text in left)
        # Codes would tell which prints changed the arm, before they are judged.
        count = len(open_runs)
        where = (
            format_list([codes[key] for key in open_runs])
            if revealed(study)
            else f"{count} {trn('print', 'prints', count)}"
        )
        found.append(
            Threat(
                ThreatCode.RECALIBRATION_OPEN,
                tr(
                    "Not everything that the change disturbs was checked before {where}: {texts}.",
                    where=where,
                    texts=format_list(list(texts)),
                ),
                tr(
                    "Tick what was done, or waive it with the reason; an arm that was not tuned "
                    "is not compared."
                ),
            )
        )
    if owed:
        told = [f"{what} ({format_list(list(dict.fromkeys(texts)))})" for what, texts in owed.items()]
        found.append(
            Threat(
                ThreatCode.RECALIBRATION_OWED,
                tr(
                    "Not checked since it was fitted, before the study began: {told}.",
                    told=format_list(told, "; "),
                ),
                tr("Both arms stood on it; tick at the first print of the machine what was checked."),
            )
        )
    waived = [f"{item.text} ({item.waived})" for item in study.rechecks if item.waived]
    if waived:
        found.append(
            Threat(
                ThreatCode.RECALIBRATION_WAIVED,
                tr("Checks were waived: {fromkeys}.", fromkeys=format_list(list(dict.fromkeys(waived)))),
                tr("Judge whether what was left out could have moved the response."),
            )
        )
    return found


def _open_by_cause(study: Study) -> tuple[dict[int, tuple[str, ...]], dict[str, list[str]]]:
    """Return the open checks of arms and of changes meanwhile, by run; what was owed before, by change."""
    of_arms, by_log = arm_checks(study), owed_by_run(study)
    # Fitted before all prints it stood under both arms alike; changed meanwhile it may stand under one.
    frozen = study.plan.frozen if study.plan else None
    before: dict[str, list[str]] = defaultdict(list)
    weighing = {}
    for key, left in open_checks(study).items():
        early = {
            one.text: one
            for one in by_log.get(key, ())
            if one.text not in of_arms[key] and (frozen is None or one.at <= frozen)
        }
        for text in left:
            if text in early:
                one = early[text]
                machine = study.machines.get(one.machine_id)
                before[f"{machine.name}, {one.what}" if machine else one.what].append(text)
        rest = tuple(text for text in left if text not in early)
        if rest:
            weighing[key] = rest
    return weighing, before


def changed_machines(study: Study) -> list[Threat]:
    """Find machines that were changed while the study ran."""
    later = changed_since_frozen(study)
    if not later:
        return []
    names = [
        f"{study.machines[item.machine_id].name}: {item.what}"
        for item in later
        if item.machine_id in study.machines
    ]
    return [
        Threat(
            ThreatCode.MACHINE_CHANGED,
            tr("A machine was changed while the study ran: {names}.", names=format_list(names)),
            tr("Leave machines alone until the study is settled, or print the baseline again."),
        )
    ]


def out_of_order(study: Study) -> list[Threat]:
    """Find prints that were not started in the order that was drawn for their machine."""
    by_machine: dict[int, list[Run]] = defaultdict(list)
    machine_of = {block.id: block.machine_id for block in study.blocks}
    for run in study.runs:
        machine = machine_of[run.block_id]
        if run.started and machine is not None and study.plan is not None:
            by_machine[machine].append(run)
    found = []
    for runs in by_machine.values():
        planned = [run.code for run in sorted(runs, key=lambda run: run.position)]
        printed = [run.code for run in sorted(runs, key=printed_order)]
        moved = len(planned) - _longest_in_order(planned, printed)
        if moved:
            verb = trn("was", "were", moved)
            found.append(
                Threat(
                    ThreatCode.ORDER_NOT_RANDOM,
                    tr(
                        "{moved} of {planned} prints {verb} not made in the randomised order.",
                        moved=moved,
                        planned=len(planned),
                        verb=verb,
                    ),
                    tr(
                        "Print in the order of the run list, or a drift of the machine can pass for "
                        "the change."
                    ),
                )
            )
    return found


def _longest_in_order(planned: Sequence[str], printed: Sequence[str]) -> int:
    """Return how many prints can stay where they are: the longest rising row of their planned places.

    Patience sorting (Fredman 1975, from memory).
    """
    place = {code: number for number, code in enumerate(planned)}
    tails: list[int] = []
    for code in printed:
        at = bisect_left(tails, place[code])
        tails[at : at + 1] = [place[code]]
    return len(tails)


def clocks(study: Study) -> list[Threat]:
    """Find prints of which a clock that was set back makes stamps, order and minutes unsure."""
    back = [
        run.code
        for run in study.runs
        if run.started and run.finished and minutes_between(run.started, run.finished) < 0
    ]
    if not back:
        return []
    return [
        Threat(
            ThreatCode.CLOCK,
            tr(
                "By the stamps {back} finished before it started: the clock was set back.",
                back=format_list(back),
            ),
            tr("Type the minutes by hand, and check the clock of this computer."),
        )
    ]


def happenings(study: Study) -> list[Threat]:
    """Find prints that count although something happened while they printed."""
    told: dict[EventKind, list[str]] = defaultdict(list)
    for run in study.runs:
        # What failed by the change is an outcome; what else happened to it is no threat to that.
        if run.set_aside or run.failed or not run.finished:
            continue
        for kind in dict.fromkeys(event.kind for event in run.plate.events if event.kind.disturbs):
            told[kind].append(run.code)
    if not told:
        return []
    codes = tuple(dict.fromkeys(code for listed in told.values() for code in listed))
    what = [f"{shown(kind)} ({format_list(listed)})" for kind, listed in told.items()]
    return [
        Threat(
            ThreatCode.EVENTS,
            tr("Prints count during which something happened: {what}.", what=format_list(what, "; ")),
            tr(
                "Look at them where it happened; what it spoilt is set aside with its reason "
                "and printed again."
            ),
            runs=codes,
        )
    ]


def checked_files(study: Study) -> list[Threat]:
    """Return what the twin check of the sliced files found."""
    return [
        Threat(ThreatCode(item["code"]), item["sentence"], item["remedy"], cause=item["sentence"])
        for check in study.checks
        for item in check.result.get("threats", ())
    ]


def other_files(study: Study) -> list[Threat]:
    """Find runs that were printed from another file than the one that was checked."""
    pieces = {block.id: block.piece_id for block in study.blocks}
    arms = {arm.id: study.sliced_arm(arm).id for arm in study.arms}
    strays = []
    for run in study.runs:
        file = study.file_of(arms[run.arm_id], pieces[run.block_id])
        if run.sha256 and not run.set_aside and file is not None and file.sha256 != run.sha256:
            strays.append(run.code)
    if not strays:
        return []
    return [
        Threat(
            ThreatCode.OTHER_FILE,
            tr(
                "Printed from another sliced file than the one that was checked: {strays}.",
                strays=format_list(strays),
            ),
            tr(
                "Print these runs again from the checked file, or choose the file they came "
                "from and check it."
            ),
            runs=tuple(strays),
        )
    ]
