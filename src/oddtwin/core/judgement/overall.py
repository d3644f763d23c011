"""What a study says as a whole, beside each comparison: tables of marks, curves, and its course in time."""

from __future__ import annotations

from dataclasses import dataclass

from oddtwin.core.arrays import Interval
from oddtwin.core.decide import Verdict


@dataclass(frozen=True, slots=True)
class Mark:
    """What one arm, or one step, did to one response.

    Parameters
    ----------
    figure : str
        The difference with its sign; "–" for the arm that all are compared with.
    verdict : Verdict or None
        None for that arm, or where nothing is known.
    leads : bool
        Whether it is the best as seen, or ties with it inside the margin.
    """

    figure: str
    verdict: Verdict | None = None
    leads: bool = False


@dataclass(frozen=True, slots=True)
class MarkRow:
    """One arm or one step of a table.

    Parameters
    ----------
    name, note : str
        What it is, and what is to be known of it.
    marks : tuple of Mark or None
        One for each column; None where the response was not compared.
    greyed : bool
        Whether another arm is at least as good in everything.
    """

    name: str
    note: str
    marks: tuple[Mark | None, ...]
    greyed: bool = False


@dataclass(frozen=True, slots=True)
class MarkTable:
    """Arms or steps against responses.

    Parameters
    ----------
    title : str
        What the rows are.
    columns : tuple of str
        Responses with their units.
    rows : tuple of MarkRow
        The baseline first.
    said : tuple of str
        What follows, in sentences.
    """

    title: str
    columns: tuple[str, ...]
    rows: tuple[MarkRow, ...]
    said: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class LevelPoint:
    """One level on a curve.

    Parameters
    ----------
    name : str
        Its value.
    value : float or None
        Mean of its prints, or effect there, in the response's unit; None before any print.
    ci95 : tuple of float or None
        Its 95 % interval, in the same unit.
    prints : tuple of float
        Each print, in the same unit.
    step : float or None
        The curve that never turns back, in the same unit.
    verdict : Verdict or None
        Of an effect.
    """

    name: str
    value: float | None
    ci95: Interval | None = None
    prints: tuple[float, ...] = ()
    step: float | None = None
    verdict: Verdict | None = None


@dataclass(frozen=True, slots=True)
class LevelCurve:
    """A response, or an effect, along ordered levels.

    Parameters
    ----------
    title, unit : str
        What is drawn, and in which unit.
    response : str
        Name of the response.
    points : tuple of LevelPoint
        In the order of the levels.
    limit : float or None
        What a print must not pass to hold, in the unit.
    margin : float or None
        Of an effect: smallest that matters, in the unit, either side of zero.
    edge : tuple of int or None
        Numbers of the levels between which the edge lies, as seen; None on a side that is open.
    sure : tuple of int or None
        The same with 95 % confidence, at whatever print one stops.
    said : tuple of str
        What follows, in sentences.
    """

    title: str
    unit: str
    response: str
    points: tuple[LevelPoint, ...]
    limit: float | None = None
    margin: float | None = None
    edge: tuple[int | None, int | None] = (None, None)
    sure: tuple[int | None, int | None] = (None, None)
    said: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class CoursePoint:
    """One print in the order in which it was made.

    Parameters
    ----------
    order : int
        From 1, over the whole study.
    value : float
        In the response's unit.
    is_baseline : bool
        Whether it is of the baseline.
    name : str
        Its run and arm.
    """

    order: int
    value: float
    is_baseline: bool
    name: str


@dataclass(frozen=True, slots=True)
class Course:
    """A response in the order of the prints.

    Parameters
    ----------
    response, unit : str
        Its name and unit.
    points : tuple of CoursePoint
        In printed order.
    drift : tuple of float or None
        Value of the drift at the first and at the last print, in the unit, about the mean of the
        baseline; None where it cannot be told from the arms.
    said : tuple of str
        What follows, in sentences.
    """

    response: str
    unit: str
    points: tuple[CoursePoint, ...]
    drift: tuple[float, float] | None = None
    said: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Overall:
    """All of it; nothing of a kind that the design has not.

    Parameters
    ----------
    tables : tuple of MarkTable
        Scorecard of several arms, ledger of a chain.
    curves : tuple of LevelCurve
        Of a ladder, and of an effect at the levels of another factor.
    courses : tuple of Course
        Of the deciding response.
    """

    tables: tuple[MarkTable, ...] = ()
    curves: tuple[LevelCurve, ...] = ()
    courses: tuple[Course, ...] = ()
