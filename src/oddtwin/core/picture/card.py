"""The card of a study: one picture of what was asked, what was found, and what it rests on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

from oddtwin.core.decide import Finding
from oddtwin.core.language import tr
from oddtwin.core.picture.mark import twin_mark
from oddtwin.core.picture.ruler import HEIGHT, difference_ruler, has_ruler
from oddtwin.core.picture.shapes import Circle, Drawing, Line, Rect, Shape, Text, moved
from oddtwin.core.picture.wrapping import fit, wrapped

WIDTH: Final = 1200.0
TALL: Final = 675.0
_MARGIN: Final = 60.0
_ROOM: Final = WIDTH - 2 * _MARGIN
_LARGER: Final = 1.6
_OTHERS: Final = 3
_BOLD: Final = 1.1
"""How much wider bold letters are."""


@dataclass(frozen=True, slots=True)
class CardText:
    """What stands on a card beside the findings.

    Parameters
    ----------
    name, question : str
        Of the study.
    settled : str
        What was decided; empty while it is open.
    rests_on : str
        How many prints, machines and pieces.
    threat : str
        What weighs most against it; empty where nothing does.
    void : str
        Why the first finding cannot stand; empty where it can.
    voided : frozenset of str
        Names of the responses whose findings cannot stand.
    made : str
        When, and with which version.
    """

    name: str
    question: str
    settled: str
    rests_on: str
    threat: str
    void: str
    voided: frozenset[str]
    made: str


def study_card(text: CardText, findings: Sequence[Finding]) -> Drawing:
    """Draw a card of 1200 by 675 pixels.

    Parameters
    ----------
    text : CardText
        Names nobody: a card is posted.
    findings : sequence of Finding
        As in the verdict; the first is told whole, of three more a line.
    """
    shapes: list[Shape] = [
        Rect(0, 0, WIDTH, TALL, "surface"),
        Rect(0, 0, WIDTH, 8, "accent"),
        Text(_MARGIN, 66, fit(text.name, _ROOM, 32 * _BOLD), "ink", size=32, bold=True),
    ]
    y = 72.0
    for line in wrapped(text.question, _ROOM, 20, 2):
        y += 28
        shapes.append(Text(_MARGIN, y, line, "muted", size=20))
    y += 24
    shapes.append(Line(_MARGIN, y, WIDTH - _MARGIN, y, "line", 1.5))
    if findings:
        y = _first(shapes, text, findings[0], y + 22)
        _others(shapes, findings[1:], text.voided, y)
    else:
        shapes.append(Text(_MARGIN, y + 60, tr("Nothing was measured yet."), "ink", size=26))
    _foot(shapes, text)
    said = findings[0].sentence if findings else tr("nothing measured yet")
    if text.void:
        said = f"{said} {text.void}"
    return Drawing(WIDTH, TALL, tuple(shapes), f"{text.name}: {said}")


def _first(shapes: list[Shape], text: CardText, finding: Finding, y: float) -> float:
    """Draw the finding that decides: mark, sentence, ruler; returns where it ends."""
    mark = twin_mark(finding.verdict, 60)
    shapes += moved(mark.shapes, _MARGIN - 12, y)
    said = [(line, "ink") for line in wrapped(finding.sentence, _ROOM - 140, 25 * _BOLD, 3)]
    if text.void:
        said += [(line, "worse") for line in wrapped(text.void, _ROOM - 140, 25, 2)]
    for line, role in said:
        y += 32
        shapes.append(Text(_MARGIN + 140, y, line, role, size=25, bold=role == "ink" and not text.void))
    y += 18
    # A ruler of what cannot stand would be believed before it is read.
    if has_ruler(finding) and not text.void:
        drawn = difference_ruler(finding, _ROOM / _LARGER)
        shapes += moved((_scaled(shape, _LARGER) for shape in drawn.shapes), _MARGIN, y)
        y += HEIGHT * _LARGER
    return y


def _others(shapes: list[Shape], findings: Sequence[Finding], voided: frozenset[str], y: float) -> None:
    """Draw a line each of the other findings, as far as there is room."""
    lines = max(0, min(_OTHERS, int((TALL - 92 - y) / 34)))
    shown = findings[:lines] if len(findings) <= lines else findings[: max(0, lines - 1)]
    for finding in shown:
        y += 34
        shapes += moved(twin_mark(finding.verdict, 26).shapes, _MARGIN, y - 19)
        void = finding.comparison.response in voided
        # The first sentence on the card names the arms; the short lines below it need not.
        own = finding.below_heading
        said = tr("Cannot stand: {own}", own=own) if void else own
        role = "worse" if void else "ink"
        shapes.append(Text(_MARGIN + 70, y, fit(said, _ROOM - 70, 17), role, size=17))
    left = len(findings) - len(shown)
    if left and lines:
        more = tr("and {left} more: see the report", left=left)
        shapes.append(Text(_MARGIN + 70, y + 34, more, "muted", size=17))


def _foot(shapes: list[Shape], text: CardText) -> None:
    """Draw what it rests on, what weighs against it, and where it comes from."""
    shapes.append(Line(_MARGIN, TALL - 86, WIDTH - _MARGIN, TALL - 86, "line", 1.5))
    told = "  ·  ".join(part for part in (text.rests_on, text.settled) if part)
    shapes.append(Text(_MARGIN, TALL - 58, fit(told, _ROOM, 17), "ink", size=17))
    against = text.threat or tr("No threat was found.")
    room = _ROOM - len(text.made) * 15 * 0.56 - 20
    role = "warning" if text.threat else "muted"
    shapes.append(Text(_MARGIN, TALL - 30, fit(against, room, 17), role, size=17))
    shapes.append(Text(WIDTH - _MARGIN, TALL - 30, text.made, "muted", "end", size=15))


def _scaled(shape: Shape, factor: float) -> Shape:
    """Return a shape so many times as large, also its lines and letters."""
    if isinstance(shape, Line):
        return replace(
            shape,
            x1=shape.x1 * factor,
            y1=shape.y1 * factor,
            x2=shape.x2 * factor,
            y2=shape.y2 * factor,
            width=shape.width * factor,
        )
    x, y = shape.x * factor, shape.y * factor
    if isinstance(shape, Circle):
        return replace(shape, x=x, y=y, radius=shape.radius * factor, width=shape.width * factor)
    if isinstance(shape, Rect):
        return replace(shape, x=x, y=y, width=shape.width * factor, height=shape.height * factor)
    return replace(shape, x=x, y=y, size=shape.size * factor)
