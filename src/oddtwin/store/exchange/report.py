"""The report of a study: one HTML file that holds everything, pictures as vectors."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import Path
from typing import Any, NamedTuple

from markupsafe import Markup

from oddtwin import __version__
from oddtwin.core.decide import TABLE_HEAD, Finding, detail_lines, table_row, voiding
from oddtwin.core.judgement import Analysis, compared_words, contrasts, session_result
from oddtwin.core.language import tr
from oddtwin.core.picture import (
    LIGHT,
    CellMap,
    Picture,
    below,
    difference_ruler,
    has_ruler,
    overview,
    ruler_legend,
    to_svg,
    twin_mark,
)
from oddtwin.core.quantities import capitalized, format_list
from oddtwin.core.readings import write_typed
from oddtwin.core.study import BlindSession, Run, RunReading, Study
from oddtwin.store.exchange.people import unnamed
from oddtwin.store.exchange.repeating import Background, repeat_values
from oddtwin.store.page import filled_page, neutral

WIDTH = 760.0


class Looked(NamedTuple):
    """A view of a piece as a report shows it: its name, and pictures as addresses with what stands below."""

    title: str
    pictures: tuple[tuple[str, str], ...]


def report_html(
    study: Study,
    analysis: Analysis,
    now: datetime,
    looked: Sequence[Looked] = (),
    names: bool = False,
    known: Background | None = None,
) -> str:
    """Write the report of a study.

    Parameters
    ----------
    study : Study
        Whole.
    analysis : Analysis
        Of that study.
    now : datetime
        When the report is made.
    looked : sequence of Looked
        Photographs that stand beside the figures, with nothing of the camera in them.
    names : bool
        Whether judges and operators are named; else they are numbered.
    known : Background, optional
        What the lab book knows beyond the study: make-up of the machines, when margins were set.

    Returns
    -------
    str
        A page that needs no other file and no network, and prints on paper.
    """
    read, where = study.index.readings, study.index.places
    told = str if names else unnamed(study)
    # One file without a script: a report is mailed, printed, and read years later without this program.
    page = filled_page(
        Path(__file__).with_name("report.html"),
        study=study,
        analysis=analysis,
        findings=[_finding(finding, analysis) for finding in analysis.findings],
        overview=[_picture(item) for item in overview(analysis.overall, analysis.findings)],
        course=[_picture(item) for item in below(analysis.overall, analysis.findings)],
        head=TABLE_HEAD,
        rows=[table_row(finding) for finding in analysis.findings],
        compared=compared_words(study) if len(contrasts(study)) == 1 else "",
        again=repeat_values(study, known or Background()),
        runs=[_run(study, run, where[run.id], read[run.id]) for run in study.runs],
        looked=looked,
        judged=[_judged(study, session, told) for session in study.sessions if session.opened],
        threats=[(one.weight, told(one.line), told(one.remedy)) for one in analysis.threats],
        responses=study.responses,
        arms={arm.id: arm.name for arm in study.arms},
        pieces={piece.id: piece.name for piece in study.pieces.values()},
        colours=LIGHT,
        made=now.strftime("%Y-%m-%d %H:%M"),
        version=__version__,
        aside=sum(bool(run.set_aside) for run in study.runs),
    )
    return neutral(page)


def _finding(finding: Finding, analysis: Analysis) -> dict[str, Any]:
    void = voiding(finding.comparison.response, analysis.threats)
    # The drawings escape their own text, so that they may stand in the page as they are.
    return {
        "sentence": finding.sentence,
        "void": tr("This cannot stand. {sentence} {remedy}", sentence=void.sentence, remedy=void.remedy)
        if void
        else "",
        "verdict": finding.verdict.words,
        "mark": Markup(to_svg(twin_mark(finding.verdict, 26), LIGHT)),
        "map": Markup(to_svg(CellMap(finding).drawing(WIDTH), LIGHT)) if finding.cellwise else "",
        "ruler": Markup(to_svg(difference_ruler(finding, WIDTH), LIGHT)) if has_ruler(finding) else "",
        "legend": Markup(to_svg(ruler_legend(finding, WIDTH), LIGHT)) if has_ruler(finding) else "",
        "details": detail_lines(finding),
    }


def _judged(study: Study, session: BlindSession, told: Callable[[str], str]) -> dict[str, Any]:
    result = session_result(study, session)
    blind = "" if session.blind else tr("Judged with open eyes, not blind.")
    judges = format_list([told(judge) for judge in session.judges]) or tr("nobody yet")
    if session.by_ballot:
        judges = tr("an audience of {judges}, by ballot", judges=len(session.judges))
    return {
        "title": tr("{design}, judged by {judges}", design=capitalized(session.design), judges=judges),
        "said": [
            *((blind,) if blind else ()),
            *(told(line) for line in (result.sentences if result else ())),
        ],
        "commitment": session.commitment,
    }


def _picture(item: Picture) -> dict[str, Any]:
    return {"title": item.title, "drawn": Markup(to_svg(item.drawing(WIDTH), LIGHT)), "said": item.said}


def _run(study: Study, run: Run, where: tuple[str, str, str], read: Sequence[RunReading]) -> dict[str, Any]:
    pair, machine, piece = where
    return {
        "run": run,
        "pair": pair,
        "machine": machine or "–",
        "piece": piece or "–",
        "values": told_values(study, read),
        "events": [item.sentence for item in run.plate.events],
        "departures": [item.text for item in study.index.deviations[run.id]],
    }


def told_values(study: Study, read: Sequence[RunReading]) -> list[str]:
    """Write what was read of a run, one text for each response.

    Parameters
    ----------
    study : Study
        With its responses.
    read : sequence of RunReading
        Of one run.
    """
    return [
        "; ".join(
            f"{item.spot.name} {write_typed(item)}".strip() for item in read if item.response_id == one.id
        )
        or "–"
        for one in study.responses
    ]
