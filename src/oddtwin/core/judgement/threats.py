"""What in a study could make its conclusion wrong: the threats, each told once."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from typing import Final

from oddtwin.core.decide import Finding, Threat, held_threat, order_threat
from oddtwin.core.design import DesignKind
from oddtwin.core.judgement.contrast import contrasts, whole_plots
from oddtwin.core.judgement.mixing import study_confounding
from oddtwin.core.predicted.agreements import sliced_threats
from oddtwin.core.quantities import format_list, minutes_between, seconds_of
from oddtwin.core.readings import ResponseType
from oddtwin.core.runlist.recalibration import open_checks
from oddtwin.core.study.blinding import revealed
from oddtwin.core.study.makeup import changed_since_frozen
from oddtwin.core.study.model import LookAt, Role, Run, Study, printed_order
from oddtwin.core.study.plates import shares_plates

MOST_ALIKE: Final = 2
"""Threats of one code that are told each by itself."""


def study_threats(study: Study) -> list[Threat]:
    """Return the threats that show in the question, the plan and the log, before any figure.

    Parameters
    ----------
    study : Study
        Whole.
    """
    found = [*_asked(study), *_planned(study)]
    codes = {run.id: run.code for run in study.runs}
    held = held_threat((codes[item.run_id], item.text) for item in study.deviations)
    found += [held] if held else []
    return (
        found
        + _disturbed(study)
        + _changed_machines(study)
        + _mixed(study)
        + _many(study)
        + _orders(study)
        + _clocks(study)
        + _carried(study)
        + sliced_threats(study)
    )


def _asked(study: Study) -> list[Threat]:
    found = []
    pack = study.plan is None or study.plan.design.kind is DesignKind.PAIRS
    if len(study.factors) > 1 and pack:
        names = ", ".join(factor.name for factor in study.factors)
        found.append(
            Threat(
                "two-changes",
                f"More than one thing differs between the arms: {names}.",
                "Change one thing at a time, or take the result for the whole pack only.",
            )
        )
    moved = [response.name for response in study.responses if response.margin_moved]
    if moved:
        found.append(
            Threat(
                "margin-moved",
                f"The margin was changed after the verdict had been seen: {', '.join(moved)}.",
                "Say so when you tell others; a margin fits best when it is set first.",
            )
        )
    found += _early_look(study)
    unset = [response.name for response in study.responses if response.margin is None]
    if unset:
        found.append(
            Threat(
                "no-margin",
                f"No margin is stated for {', '.join(unset)}, so nothing there can be called twin "
                "or enough to matter.",
                "State the smallest difference that would matter, before looking at the result.",
            )
        )
    return found


def _early_look(study: Study) -> list[Threat]:
    """Looking while printing goes on invites stopping at a lucky moment."""
    counting = [run for run in study.runs if not run.set_aside]
    made = sorted(seconds_of(run.finished) for run in counting if run.finished)
    # Whoever looks and then stops is told it too: stopping when it looks good is the harm.
    unmade = len(made) < len(counting)
    before = [
        (sum(moment <= seconds_of(look.at) for moment in made), look)
        for look in study.looks
        if look.what is not LookAt.ARMS and (unmade or any(moment > seconds_of(look.at) for moment in made))
    ]
    found = []
    early = [count for count, look in before if not look.advised]
    if early:
        times = "once" if len(early) == 1 else f"{len(early)} times"
        found.append(
            Threat(
                "early-look",
                f"The verdict was looked at {times} while prints were still to come, first after "
                f"{early[0]} of {len(counting)} prints.",
                "Print all that was planned whatever it says: stopping when it looks good finds chance.",
            )
        )
    advised = [count for count, look in before if look.advised and count < len(made)]
    if advised:
        found.append(
            Threat(
                "advised-look",
                f"The verdict was looked at, as planned, after {format_list([str(n) for n in advised])} of "
                f"{len(made)} prints, and more prints were made since.",
                "Nothing is wrong with that; say so when you tell others, since every further look is one "
                "more chance for luck.",
            )
        )
    arms = [look for look in study.looks if look.what is LookAt.ARMS]
    graded = any(response.type is ResponseType.GRADE for response in study.responses)
    if arms and graded and any(moment > seconds_of(arms[0].at) for moment in made):
        found.append(
            Threat(
                "arms-shown",
                "The arms of the runs were shown before all prints were judged, so grades were not given by "
                "code alone.",
                "Let somebody grade again who has not seen the list.",
            )
        )
    return found


def _disturbed(study: Study) -> list[Threat]:
    open_runs = open_checks(study)
    codes = {run.id: run.code for run in study.runs}
    found = []
    if open_runs:
        texts = dict.fromkeys(text for left in open_runs.values() for text in left)
        # Codes would tell which prints changed the arm, before they are judged.
        one = len(open_runs) == 1
        where = (
            format_list([codes[key] for key in open_runs])
            if revealed(study)
            else f"{len(open_runs)} {'print' if one else 'prints'}"
        )
        found.append(
            Threat(
                "recalibration-open",
                f"Not everything that the change disturbs was checked before {where}: "
                f"{format_list(list(texts))}.",
                "Tick what was done, or waive it with the reason; an arm that was not tuned is not compared.",
            )
        )
    waived = [f"{item.text} ({item.waived})" for item in study.rechecks if item.waived]
    if waived:
        found.append(
            Threat(
                "recalibration-waived",
                f"Checks were waived: {format_list(list(dict.fromkeys(waived)))}.",
                "Judge whether what was left out could have moved the response.",
            )
        )
    return found


def _changed_machines(study: Study) -> list[Threat]:
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
            "machine-changed",
            f"A machine was changed while the study ran: {format_list(names)}.",
            "Leave machines alone until the study is settled, or print the baseline again.",
        )
    ]


def _mixed(study: Study) -> list[Threat]:
    """What cannot be told apart: in the plan, and from the third print on in what was really printed."""
    made = [run for run in study.runs if run.finished and not run.set_aside]
    done = bool(made) and len({run.arm_id for run in made}) > 1 and len(made) > 3
    # Once there are readings, each finding says itself where a whole arm stands apart in these.
    said = {"machine", "piece", "spool", "day"} if study.readings else set()
    return [
        Threat("confounded" if item.vif is None else "nearly-confounded", item.sentence, item.repair)
        for item in study_confounding(study, made=done)
        if item.vif is not None or not said & set(item.columns[1:])
    ]


def _many(study: Study) -> list[Threat]:
    count = len(contrasts(study)) if study.plan else 1
    if count < 3:
        return []
    chance = 1 - 0.95**count
    return [
        Threat(
            "many-comparisons",
            f"The design makes {count} comparisons of each response; with no effect at all, one of them "
            f"still differs by luck with a chance of about {100 * chance:.0f} %.",
            "Take a single difference among many as a hint, and print that arm again.",
        )
    ]


def _planned(study: Study) -> list[Threat]:
    prints = Counter((run.block_id, run.arm_id) for run in study.runs if run.reprint_of is None)
    # In a split plot the plots of one level are the twins.
    planned = bool(prints) and (max(prints.values()) > 1 or bool(whole_plots(study)))
    if study.plan is None or not study.runs or study.readings or planned:
        return []
    return [
        Threat(
            "no-twins",
            "No twins are planned, so there will be no noise floor.",
            "Plan at least one true twin of the baseline.",
        )
    ]


def _orders(study: Study) -> list[Threat]:
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
        threat = order_threat(planned, printed)
        if threat:
            found.append(threat)
    return found


def _carried(study: Study) -> list[Threat]:
    """What a comparison carries along by its very nature."""
    found = []
    if any(factor.kind == "machine" for factor in study.factors):
        found.append(
            Threat(
                "machine-carries",
                "Whatever goes with a machine (its profile, its slicer, its place, its wear) is compared "
                "with it, and cannot be told from it.",
                "Say “this machine as it is set up”; to know what makes the difference, swap one thing at a "
                "time.",
            )
        )
    timed = any(response.role is Role.TIME for response in study.responses)
    if timed and shares_plates(study):
        found.append(
            Threat(
                "plate-time",
                "Prints that share a plate take their minutes together, so print time cannot tell their arms "
                "apart.",
                "Compare the minutes of the sliced files, or print a plate of each arm.",
            )
        )
    return found


def _clocks(study: Study) -> list[Threat]:
    """A clock that was set back makes stamps, order and minutes of a print unsure."""
    back = [
        run.code
        for run in study.runs
        if run.started and run.finished and minutes_between(run.started, run.finished) < 0
    ]
    if not back:
        return []
    return [
        Threat(
            "clock",
            f"By the stamps {format_list(back)} finished before it started: the clock was set back.",
            "Type the minutes by hand, and check the clock of this computer.",
        )
    ]


def merge_threats(general: list[Threat], findings: list[Finding]) -> list[Threat]:
    """Say each threat once, with the names of the responses that it touches."""
    merged = {(threat.code, threat.sentence): threat for threat in general}
    general_codes = {threat.code for threat in general}
    touched: dict[tuple[str, str], list[str]] = defaultdict(list)
    for finding in findings:
        for threat in finding.threats:
            if threat.code in general_codes:
                continue
            key = (threat.code, threat.sentence)
            merged.setdefault(key, threat)
            touched[key].append(finding.comparison.response)
    told = []
    for code in dict.fromkeys(key[0] for key in merged):
        keys = [key for key in merged if key[0] == code]
        # Of one cause the first is told whole; a dozen comparisons make no dozen threats of it.
        for key in keys[:1] if len(keys) > MOST_ALIKE else keys:
            told.append(_told(merged[key], touched[key], len(findings), len(keys)))
    return told


def _told(threat: Threat, touched: Sequence[str], findings: int, alike: int) -> Threat:
    names = list(dict.fromkeys(touched))
    sentence = threat.sentence
    if touched and len(touched) < findings:
        sentence = f"{', '.join(names)}: {sentence}"
    if alike > MOST_ALIKE:
        sentence = f"{sentence} The like holds for {alike - 1} more comparisons."
    return Threat(threat.code, sentence, threat.remedy)
