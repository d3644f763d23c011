"""The pictures that a study has as a whole, in the order in which they are looked at."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from oddtwin.core.judgement import Overall
from oddtwin.core.picture.curve import level_curve, time_course
from oddtwin.core.picture.shapes import Drawing
from oddtwin.core.picture.tables import mark_table


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


def overview(overall: Overall) -> list[Picture]:
    """Return what stands above the single findings: tables of marks, then curves.

    Parameters
    ----------
    overall : Overall
        As an analysis gives it.
    """
    tables = [Picture(table.title, table.said, partial(mark_table, table)) for table in overall.tables]
    curves = [Picture(curve.title, curve.said, partial(level_curve, curve)) for curve in overall.curves]
    return tables + curves


def in_time(overall: Overall) -> list[Picture]:
    """Return what stands below them: the course of the prints.

    Parameters
    ----------
    overall : Overall
        As an analysis gives it.
    """
    return [
        Picture(
            f"{course.response} in the order of the prints",
            course.said,
            partial(time_course, course),
        )
        for course in overall.courses
    ]
