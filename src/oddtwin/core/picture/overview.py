"""The pictures that a study has as a whole, in the order in which they are looked at."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

from oddtwin.core.decide import Finding
from oddtwin.core.judgement import Overall
from oddtwin.core.language import tr
from oddtwin.core.picture.curve import level_curve, time_course
from oddtwin.core.picture.margins import in_margins, margin_rows
from oddtwin.core.picture.shapes import Drawing
from oddtwin.core.picture.tables import mark_table

FEWEST = 3
"""Responses from which on a row of rulers is worth its room."""


@dataclass(frozen=True, slots=True)
class Picture:
    """One picture with its title and what it says.

    Parameters
    ----------
    title : str
        Above it.
    said : tuple of str
        Below it, in sentences.
    drawing : callable
        Takes the width in pixels.
    """

    title: str
    said: tuple[str, ...]
    drawing: Callable[[float], Drawing]


def overview(overall: Overall, findings: Sequence[Finding] = ()) -> list[Picture]:
    """Return what stands above the single findings: tables of marks, curves, or a row of small rulers.

    Parameters
    ----------
    overall : Overall
        As an analysis gives it.
    findings : sequence of Finding
        Of the same analysis.
    """
    tables = [Picture(table.title, table.said, partial(mark_table, table)) for table in overall.tables]
    curves = [Picture(curve.title, curve.said, partial(level_curve, curve)) for curve in overall.curves]
    return tables + curves + ([] if _mapped(findings) else _rulers(findings))


def _mapped(findings: Sequence[Finding]) -> bool:
    """Whether there is a map of cells, which comes first: no row of means stands before it."""
    return any(finding.cellwise is not None for finding in findings)


def _rulers(findings: Sequence[Finding]) -> list[Picture]:
    alone = [finding for finding in findings if not finding.about]
    rows = in_margins(alone) if len(alone) == len(findings) else []
    # Two responses are read faster one by one.
    if len(rows) < FEWEST:
        return []
    return [Picture(tr("Each response in its own margin"), (), partial(margin_rows, rows))]


def below(overall: Overall, findings: Sequence[Finding] = ()) -> list[Picture]:
    """Return what stands below them: the row of rulers, where none stood above, and the course of the prints.

    Parameters
    ----------
    overall : Overall
        As an analysis gives it.
    findings : sequence of Finding
        Of the same analysis.
    """
    rulers = _rulers(findings) if _mapped(findings) else []
    return rulers + [
        Picture(
            tr("{response} in the order of the prints", response=course.response),
            course.said,
            partial(time_course, course),
        )
        for course in overall.courses
    ]
