"""Prints that hold: of two arms, how many do not pass a limit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from oddtwin.core.decide.finding import Finding, as_json, findings_of
from oddtwin.core.effects import Measure
from oddtwin.core.language import tr
from oddtwin.core.readings import Better, PrintValue, Reading, ResponseKind, Rule, prints_of


def holding(group: Sequence[Reading], measure: Measure, accept: float) -> Finding:
    """Compare how many prints of two arms do not pass a limit.

    Parameters
    ----------
    group : sequence of Reading
        Of one response, with values on a scale.
    measure : Measure
        Arms and direction; without a direction less is better.
    accept : float
        The limit, in the response's unit; of grades that of the worst zone.

    Returns
    -------
    Finding
        Of a yes or no for each print, judged as such: exact, whatever the grades in between.
    """
    first = group[0]
    prints = prints_of(group, Rule(first.kind, first.combine, measure.target, measure.onset))
    rows = [
        Reading(
            item.arm,
            None if item.value is None else float(_holds(item, measure, accept)),
            tr("{response}, prints that hold", response=first.response or tr("The response")),
            pair=item.pair,
            machine=item.machine,
            piece=item.piece,
            run=item.run or tr("print {number}", number=number),
            kind=ResponseKind.YES_NO,
            set_aside=item.set_aside,
        )
        for number, item in enumerate(prints)
    ]
    asked = replace(
        measure, margin=None, better=Better.HIGHER, target=None, noise=None, step=None, guard=False
    )
    return findings_of({rows[0].response: rows}, asked, 0)[0]


def _holds(item: PrintValue, measure: Measure, accept: float) -> bool:
    value = item.worst if item.worst is not None else item.value or 0.0
    return value >= accept if measure.better is Better.HIGHER else value <= accept


def accepted_json(group: Sequence[Reading], finding: Finding, accept: float | None) -> dict[str, Any]:
    """Return how many prints hold as plain values; nothing without a limit, or a scale to hold it to.

    Parameters
    ----------
    group : sequence of Reading
        Of one response.
    finding : Finding
        Of that response.
    accept : float or None
        The limit, in the response's unit.
    """
    if accept is None or group[0].kind in (ResponseKind.YES_NO, ResponseKind.WORD):
        return {}
    found = holding(group, finding.comparison.measure, accept)
    figures = as_json(found)
    names = ("n", "estimate", "ci95", "p_difference", "verdict", "sentence")
    return {"accepted": {"accept": accept, **{name: figures[name] for name in names}}}
