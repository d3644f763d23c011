"""What leaves a study beside its report: the card that is posted, and its tables as Markdown."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import datetime

from oddtwin import __version__
from oddtwin.core.decide import TABLE_HEAD, Finding, table_row, voiding
from oddtwin.core.judgement import Analysis
from oddtwin.core.language import shown, tr
from oddtwin.core.picture import CardText, Drawing, Text, study_card
from oddtwin.core.study import Study
from oddtwin.core.threat import Weight
from oddtwin.store.exchange.people import unnamed
from oddtwin.store.exchange.report import told_values
from oddtwin.store.page import neutral


def card_of(study: Study, analysis: Analysis, now: datetime) -> Drawing:
    """Draw the card of a study, 1200 by 675 pixels; it names no person.

    Parameters
    ----------
    study : Study
        Whole.
    analysis : Analysis
        Of that study.
    now : datetime
        When the card is made.
    """
    findings = analysis.findings
    void = voiding(findings[0].comparison.response, analysis.threats) if findings else None
    told = unnamed(study)
    grave = [one for one in analysis.threats if one.weight in (Weight.VOIDS, Weight.WEAKENS)]
    text = CardText(
        name=study.name,
        question=study.question,
        settled=tr("Settled: {kind}", kind=study.decision.kind) if study.decision else tr("Not settled yet"),
        rests_on=_rests_on(study),
        threat=f"{grave[0].weight.caption or tr('It weakens this')}: {told(grave[0].line)}" if grave else "",
        void=tr("This cannot stand. {told}", told=told(void.sentence)) if void else "",
        voided=frozenset(
            name
            for name in (one.comparison.response for one in findings)
            if voiding(name, analysis.threats) is not None
        ),
        made=f"{now:%Y-%m-%d} · Odd Twin {__version__}",
    )
    card = study_card(text, findings)
    shapes = (replace(one, text=neutral(one.text)) if isinstance(one, Text) else one for one in card.shapes)
    return replace(card, shapes=tuple(shapes), description=neutral(card.description))


def _rests_on(study: Study) -> str:
    runs = [run for run in study.runs if run.finished and not run.set_aside]
    machines = {study.index.places[run.id][1] for run in runs} - {""}
    pieces = {study.index.places[run.id][2] for run in runs} - {""}
    counts = ((len(runs), "print"), (len(machines), "machine"), (len(pieces), "piece"))
    return tr("Rests on ") + ", ".join(f"{n} {what}{'' if n == 1 else 's'}" for n, what in counts if n)


def tables_markdown(study: Study, analysis: Analysis) -> str:
    """Write the figures and every run of a study as Markdown tables.

    Parameters
    ----------
    study : Study
        Whole.
    analysis : Analysis
        Of that study.
    """
    arms, told = {arm.id: arm.name for arm in study.arms}, unnamed(study)
    asked = [f"{one.name}, {one.unit}" if one.unit else one.name for one in study.responses]
    rows = []
    for run in study.runs:
        pair, machine, piece = study.index.places[run.id]
        values = told_values(study, study.index.readings[run.id])
        row = [run.code, arms[run.arm_id], pair, machine, piece, *values, run.set_aside]
        rows.append([part or "–" for part in row])
    parts = [
        f"# {_plain(study.name)}",
        _plain(study.question),
        "\n".join(f"- {_plain(told(_standing(one, analysis)))}" for one in analysis.findings),
        tr("## What could make it wrong"),
        "\n".join(f"- {_plain(told(one.line))}" for one in analysis.threats) or tr("No threat was found."),
        tr("## Figures"),
        _table([shown(name) for name in TABLE_HEAD], [table_row(one) for one in analysis.findings]),
        tr("## Every run"),
        _table((tr("Run"), tr("Arm"), tr("Pair"), tr("Machine"), tr("Piece"), *asked, tr("Set aside")), rows),
    ]
    return "\n\n".join(part for part in parts if part) + "\n"


def _standing(finding: Finding, analysis: Analysis) -> str:
    """Return the sentence of a finding, with why it cannot stand where it cannot."""
    void = voiding(finding.comparison.response, analysis.threats)
    return (
        tr("{sentence} This cannot stand. {sentence2}", sentence=finding.sentence, sentence2=void.sentence)
        if void
        else finding.sentence
    )


def _table(head: Sequence[str], rows: Iterable[Sequence[str]]) -> str:
    lines = [head, ["---"] * len(head), *rows]
    return "\n".join("| " + " | ".join(_plain(cell) for cell in line) + " |" for line in lines)


def _plain(text: str) -> str:
    """Return a text on one line, in which nothing is taken for a mark of Markdown."""
    for mark in "\\`*_[]<>|#":
        text = text.replace(mark, f"\\{mark}")
    return " ".join(neutral(text).split())
