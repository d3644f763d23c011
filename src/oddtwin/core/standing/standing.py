"""Where a study stands and what to do next."""

from __future__ import annotations

from dataclasses import dataclass

from oddtwin.core.language import tr
from oddtwin.core.quantities import capitalized
from oddtwin.core.standing.stages import Stage
from oddtwin.core.study.printed import Run, RunState
from oddtwin.core.study.question import Role
from oddtwin.core.study.shot_list import wanted_shots
from oddtwin.core.study.tidy import is_missed
from oddtwin.core.study.whole import Study, derived


@dataclass(frozen=True, slots=True)
class Standing:
    """Where a study stands.

    Parameters
    ----------
    done : frozenset of Stage
        Stages that are complete.
    stage : Stage
        Where the next step is.
    next_step : str
        What to do next, as one short sentence.
    printed, planned : int
        Runs that count and are printed and measured, and all that should be.
    """

    done: frozenset[Stage]
    stage: Stage
    next_step: str
    printed: int
    planned: int


@derived
def standing_of(study: Study) -> Standing:
    """Work out where a study stands.

    Parameters
    ----------
    study : Study
        Whole.
    """
    lacks = missing_readings(study)
    counting = [run for run in study.runs if run.state is not RunState.SET_ASIDE]
    measured = [run for run in counting if run.state is RunState.PRINTED and not lacks[run.id]]
    done = set()
    if not ask_gaps(study):
        done.add(Stage.ASK)
    if study.runs:
        done.add(Stage.PLAN)
        if len(measured) == len(counting):
            done.add(Stage.PRINT)
            if study.verdict_seen:
                done.add(Stage.VERDICT)
    if matched(study):
        done.add(Stage.MATCH)
    if looked_at(study):
        done.add(Stage.LOOK)
    if study.decision and study.decision.kind.settles:
        done.add(Stage.SETTLE)
    proposed = _proposed(study) if Stage.PRINT in done and Stage.SETTLE not in done else ""
    if proposed:
        done -= {Stage.PLAN, Stage.PRINT, Stage.VERDICT}
    passed = set(done)
    if not wants_match(study):
        passed.add(Stage.MATCH)
    if not wants_look(study):
        passed.add(Stage.LOOK)
    stage = next((item for item in Stage if item not in passed), Stage.SETTLE)
    if Stage.SETTLE in done:
        stage = Stage.SETTLE
    return Standing(frozenset(done), stage, _step(study, stage, done), len(measured), len(counting))


def _proposed(study: Study) -> str:
    """The next level of a ladder that walks step by step; empty where none is proposed."""
    from oddtwin.core.judgement.climbing import ladder_advice

    advice = ladder_advice(study) if study.runs else None
    if advice is None or advice.next_level is None:
        return ""
    return tr(
        "Plan the next level of the ladder: {levels}", levels=study.factors[0].levels[advice.next_level].value
    )


def matched(study: Study) -> bool:
    """Return whether the files of every piece of the plan were checked."""
    pieces = set(study.plan.piece_ids) if study.plan else set()
    return bool(pieces) and pieces <= {check.piece_id for check in study.checks}


def wants_match(study: Study) -> bool:
    """Return whether Match is the next step: settings differ, and nothing was printed yet.

    Parts and places are not in a sliced file; and what was printed cannot be matched before.
    """
    sliced = any(factor.kind.sliced for factor in study.factors)
    return sliced and bool(study.runs) and not any(run.started for run in study.runs)


def looked_at(study: Study) -> bool:
    """Return whether something was photographed or judged by eye, and nothing of it is left open."""
    begun = bool(study.photographs or study.sessions)
    return begun and not wanted_shots(study) and all(one.opened for one in study.sessions)


def wants_look(study: Study) -> bool:
    """Return whether Look is the next step: photographs are taken, or judging began, and it is not done.

    Nobody is asked to photograph who never began to: views are made once with a piece, and another study may
    do without.
    """
    # Whoever has seen the verdict is not sent back to look.
    begun = bool(study.photographs or study.sessions)
    return begun and study.verdict_seen is None and not looked_at(study)


def ask_gaps(study: Study) -> list[str]:
    """Return what Ask still lacks, each as something to do."""
    gaps = []
    if not study.question.strip():
        gaps.append(tr("write the question in words"))
    if not study.factors:
        gaps.append(tr("say what differs between the arms"))
    if not study.judged:
        gaps.append(tr("choose what to measure or grade"))
    elif not any(response.primary for response in study.responses):
        gaps.append(tr("mark the response that decides"))
    return gaps


@derived
def missing_readings(study: Study) -> dict[int, list[str]]:
    """Return, by run id, the names of the responses that a run has no reading of yet.

    Waste that is left blank was none; what the piece cannot show is not asked for.
    """
    read = {(item.run_id, item.response_id) for item in study.readings}
    asked = [item for item in study.responses if item.role is not Role.WASTE]
    return {
        run.id: [item.name for item in asked if (run.id, item.id) not in read and is_missed(study, item, run)]
        for run in study.runs
    }


def next_run(study: Study) -> Run | None:
    """Return the run to work on.

    A print that nothing was read of yet comes first, then one that is printing, then the
    next in the order, then one whose readings are not complete; None when all is done.
    """
    lacking = missing_readings(study)
    begun = {item.run_id for item in study.readings}
    by_state = {state: [run for run in study.runs if run.state is state] for state in RunState}
    printed = [run for run in by_state[RunState.PRINTED] if lacking[run.id]]
    order = [
        *(run for run in printed if run.id not in begun),
        *by_state[RunState.PRINTING],
        *by_state[RunState.PLANNED],
        *printed,
    ]
    return order[0] if order else None


def _step(study: Study, stage: Stage, done: set[Stage]) -> str:
    if stage is Stage.ASK:
        return capitalized(ask_gaps(study)[0])
    if stage is Stage.PLAN:
        return _proposed(study) or tr("Choose a design, and draw the order")
    if stage is Stage.MATCH:
        return tr("Choose the sliced files of the arms, and check them")
    if stage is Stage.PRINT:
        run = next_run(study)
        words = {RunState.PLANNED: tr("Print"), RunState.PRINTING: tr("Finish")}
        return (
            tr(
                "{what_to_do} run {run_code}",
                what_to_do=words.get(run.state, tr("Measure")),
                run_code=run.code,
            )
            if run
            else tr("Print and measure")
        )
    if stage is Stage.LOOK:
        wanted = wanted_shots(study)
        if wanted:
            return tr("Photograph run {run_code}", run_code=wanted[0].run.code)
        return tr("Go on with the blind session")
    if stage is Stage.VERDICT:
        return tr("Look at the verdict")
    return tr("Settled") if Stage.SETTLE in done else tr("Adopt the change, or keep the baseline")
