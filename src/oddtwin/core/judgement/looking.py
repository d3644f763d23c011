"""What blind sessions say, and threats in how the prints were looked at."""

from __future__ import annotations

from oddtwin.core.judge import ASKING, JudgedSession, Lettered, TrialAnswer, judge_session, session_votes
from oddtwin.core.language import tr
from oddtwin.core.quantities import capitalized, format_list, format_number, with_unit
from oddtwin.core.readings import Source
from oddtwin.core.study.looked import BlindSession
from oddtwin.core.study.shot_list import SAME_EXPOSURE, photographs_of_view
from oddtwin.core.study.whole import Study
from oddtwin.core.study.workshop import Threshold
from oddtwin.core.threat import Threat, ThreatCode


def session_result(study: Study, session: BlindSession) -> JudgedSession | None:
    """Return what the answers of a session say; None while its key is closed, or without answers.

    Parameters
    ----------
    study : Study
        With the answers.
    session : BlindSession
        One of its sessions.
    """
    answers = [item for item in study.answers if item.session_id == session.id]
    if session.opened is None or not answers:
        return None
    votes = session_votes(
        session.design,
        session.trials,
        [TrialAnswer(item.judge, item.number, item.answer) for item in answers],
    )
    letters = {one.letter: Lettered(one.arm, one.print) for one in session.letters}
    try:
        return judge_session(votes, ASKING[session.design].judged, letters)
    except ValueError as error:
        return JudgedSession((f"{capitalized(str(error))}.",))


def judges_who_knew(study: Study) -> list[Threat]:
    """Find judges of blind sessions who printed, or who mixed the letters."""
    printed = {run.operator.casefold() for run in study.runs if run.operator}
    # Compared without case: people sign the same name in more than one way.
    found = []
    for session in study.sessions:
        if not session.blind:
            continue
        knew = {
            judge: tr("mixed the letters") if judge.casefold() == session.mixed_by.casefold() else "printed"
            for judge in session.judges
            if judge.casefold() in printed | {session.mixed_by.casefold()}
        }
        if knew:
            told = format_list([f"{judge} {what}" for judge, what in knew.items()])
            found.append(
                Threat(
                    ThreatCode.JUDGE_KNEW,
                    tr("A blind session was judged by somebody who knew the prints: {told}.", told=told),
                    tr(
                        "Let somebody judge who neither printed nor mixed, or count these answers as "
                        "not blind."
                    ),
                )
            )
    return found


def unlike_photographs(study: Study) -> list[Threat]:
    """Find views whose photographs were exposed differently, where something was read from them."""
    used = {item.run_id for item in study.readings if item.source is Source.PHOTOGRAPH}
    found = []
    for view in study.index.views.values():
        # Only where something was read from them: a photograph that nobody used can do no harm.
        shots = [(run, shot) for run, shot in photographs_of_view(study, view.id) if run.id in used]
        exposures = [shot.exposure_s for _, shot in shots if shot.exposure_s]
        mixed = [run.code for run, shot in shots if shot.hdr]
        uneven = exposures and max(exposures) > (1 + SAME_EXPOSURE) * min(exposures)
        if not uneven and not mixed:
            continue
        why = (
            tr("the photographs that were measured or marked were not exposed alike")
            if uneven
            else tr("the camera mixed exposures for {mixed}", mixed=format_list(mixed))
        )
        found.append(
            Threat(
                ThreatCode.PHOTOGRAPHS_UNALIKE,
                tr("{view}: {why}, and that changes how strong a fault looks.", view=view.name, why=why),
                tr("Fix the exposure, switch HDR off, and take those photographs again."),
                runs=tuple(dict.fromkeys(run.code for run, _ in shots)),
            )
        )
    return found


def eyes(study: Study) -> list[Threat]:
    """Find margins and grades below what the eyes that were tested see."""
    found = []
    for response in study.judged:
        known = [one for one in study.thresholds if one.fault.casefold() == response.name.casefold()]
        if not known:
            continue
        if response.kind.graded:
            told = format_list(
                [tr("{judge} from {size} on", judge=one.judge, size=_size(one)) for one in known]
            )
            found.append(
                Threat(
                    ThreatCode.EYES,
                    tr(
                        "Of {response} these eyes see what is large enough: {told}; a grade of none "
                        "says no more than that.",
                        response=response.name,
                        told=told,
                    ),
                    tr("Measure it from photographs where smaller faults matter."),
                    responses=(response.name,),
                )
            )
            continue
        # Sizes in other units cannot be compared, and are passed over rather than guessed at.
        blind = [one for one in known if response.margin and one.unit == response.unit]
        small = [one for one in blind if one.value > (response.margin or 0.0)]
        if small:
            told = format_list(
                [tr("{judge} from {size} on", judge=one.judge, size=_size(one)) for one in small]
            )
            margin = with_unit(format_number(response.margin or 0.0, 2), response.unit)
            found.append(
                Threat(
                    ThreatCode.EYES,
                    tr(
                        "The margin of {margin} is less than eyes see here: {told}.", margin=margin, told=told
                    ),
                    tr(
                        "Ask whether so small a difference matters to anybody, or say that it is for "
                        "the camera."
                    ),
                    responses=(response.name,),
                )
            )
    return found


def _size(threshold: Threshold) -> str:
    return with_unit(format_number(threshold.value, 2), threshold.unit)
