"""The shot list: which photographs are wanted, in which order, and where a new one belongs."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, NamedTuple

from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number
from oddtwin.core.study.looked import Photograph, View
from oddtwin.core.study.printed import Run, RunState, printed_order
from oddtwin.core.study.whole import Study, derived


class WantedShot(NamedTuple):
    """A photograph that is to be taken: of which print, and of which view."""

    run: Run
    view: View


def views_of_run(study: Study, run: Run) -> tuple[View, ...]:
    """Return the views of the piece that a run prints, in their order."""
    piece = study.piece_of(run)
    return piece.views if piece else ()


@derived
def wanted_shots(study: Study) -> tuple[WantedShot, ...]:
    """Return what is still to be photographed: print by print as printed, all views of each.

    Parameters
    ----------
    study : Study
        Prints that are made and count are photographed; those to come are not asked for yet.
    """
    taken = {(item.run_id, item.view_id) for item in study.photographs}
    # What is set aside needs no photograph, though one may be there.
    made = [run for run in study.runs if run.state is RunState.PRINTED]
    return tuple(
        WantedShot(run, view)
        for run in sorted(made, key=printed_order)
        for view in views_of_run(study, run)
        if (run.id, view.id) not in taken
    )


def place_shot(
    study: Study, code: str, taken: Sequence[tuple[int, int]] = ()
) -> tuple[WantedShot | None, str]:
    """Say where a new photograph belongs.

    Parameters
    ----------
    study : Study
        With what was photographed.
    code : str
        Of the run that its label names; empty where there is none.
    taken : sequence of (int, int)
        Run and view of photographs that are being filed with it, before it.

    Returns
    -------
    (WantedShot or None, str)
        The print and view; or why it belongs nowhere, as a sentence.
    """
    filled = set(taken)
    wanted = [item for item in wanted_shots(study) if (item.run.id, item.view.id) not in filled]
    if not code:
        if wanted:
            return wanted[0], ""
        return None, tr("The list is full; choose the print and view that it shows, and it becomes a retake.")
    run = next((run for run in study.runs if run.code == code), None)
    if run is None:
        return None, tr("Its label names run {code}, which is not of this study.", code=code)
    if run.finished is None:
        return None, tr("Its label names run {code}, which is not printed yet.", code=code)
    views = views_of_run(study, run)
    if not views:
        return None, tr(
            "Run {code} has no views yet; say which faces of its piece are photographed.", code=code
        )
    left = next((item for item in wanted if item.run.id == run.id), None)
    if left is not None:
        return left, ""
    # All views of that print are there: once more from the first, as retakes.
    times = [
        sum((item.run_id, item.view_id) == (run.id, view.id) for item in study.photographs)
        + list(taken).count((run.id, view.id))
        for view in views
    ]
    return WantedShot(run, views[times.index(min(times))]), ""


def photographs_of_view(study: Study, view_id: int) -> list[tuple[Run, Photograph]]:
    """Return the photographs of one view with their prints: the baseline's first, each arm as printed.

    Parameters
    ----------
    study : Study
        With its photographs.
    view_id : int
        Which view.
    """
    runs = study.index.runs
    found = [(runs[item.run_id], item) for item in study.photographs if item.view_id == view_id]
    baseline = study.baseline.id
    return sorted(
        found, key=lambda pair: (pair[0].arm_id != baseline, *printed_order(pair[0]), pair[1].retake)
    )


def standing_photographs(study: Study, view_id: int) -> list[tuple[Run, Photograph]]:
    """Return the photographs of one view that stand for their prints: one of each that is not set aside.

    Parameters
    ----------
    study : Study
        With its photographs.
    view_id : int
        Which view.
    """
    # A retake tells of the camera, and not once more of the print.
    return [
        (run, shot)
        for run, shot in photographs_of_view(study, view_id)
        if not run.set_aside and not shot.retake
    ]


SAME_EXPOSURE: Final = 0.1
"""Share by which two exposures may differ and still count as one."""


def departures(study: Study, photograph: Photograph) -> tuple[str, ...]:
    """Say how a photograph was taken otherwise than the others, each as a sentence.

    Parameters
    ----------
    study : Study
        With the rig, and the other photographs of the view.
    photograph : Photograph
        One of them.
    """
    others = [item for item in study.photographs if item.view_id == photograph.view_id]
    # The rig says it; where nobody typed it, the first photograph of the view does.
    usual = study.rig.exposure_s or next((one.exposure_s for one in others if one.exposure_s), None)
    found = []
    if photograph.exposure_s and usual and abs(photograph.exposure_s / usual - 1) > SAME_EXPOSURE:
        found.append(
            tr(
                "It was exposed for {exposure_words}, the others for {exposure_words2}: what "
                "looks brighter or stronger may be that.",
                exposure_words=exposure_words(photograph.exposure_s),
                exposure_words2=exposure_words(usual),
            )
        )
    if photograph.hdr:
        found.append(
            tr(
                "The camera mixed several exposures (HDR), which strengthens relief here and "
                "weakens it there; switch that off."
            )
        )
    first = others[0]
    if (photograph.width, photograph.height) != (first.width, first.height) and first.width:
        found.append(
            tr(
                "It has {width} × {height} pixels, the first of this view {width2} × {height2}.",
                width=photograph.width,
                height=photograph.height,
                width2=first.width,
                height2=first.height,
            )
        )
    finished = study.index.runs[photograph.run_id].finished
    if photograph.taken and finished and photograph.taken < finished:
        found.append(tr("By the camera's clock it was taken before this print was finished."))
    return tuple(found)


def exposure_words(seconds: float) -> str:
    """Return an exposure in seconds as photographers write it."""
    return f"1/{1 / seconds:.0f} s" if seconds < 0.5 else f"{format_number(seconds, 1)} s"
