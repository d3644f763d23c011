"""A response in the order in which its prints were made, and what drifted meanwhile."""

from __future__ import annotations

import math

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.effects import IN_STEPS, LinearModel, Row
from oddtwin.core.judgement.overall import Course, CoursePoint
from oddtwin.core.language import tr
from oddtwin.core.quantities import after_p, decimals_for, format_signed, with_unit
from oddtwin.core.readings import ResponseKind
from oddtwin.core.study.printed import RunState, printed_order
from oddtwin.core.study.question import Response
from oddtwin.core.study.tidy import print_values
from oddtwin.core.study.whole import Study

FEWEST = 4
"""Prints below which an order says nothing."""


def courses(study: Study) -> tuple[Course, ...]:
    """Return the course of the deciding response, or of the first that has readings.

    Parameters
    ----------
    study : Study
        Whole.
    """
    for response in sorted(study.judged, key=lambda one: not one.primary):
        found = None if response.kind is ResponseKind.WORD else course_of(study, response)
        if found is not None:
            return (found,)
    return ()


def course_of(study: Study, response: Response) -> Course | None:
    """Return the course of a response; None with fewer than four prints.

    Parameters
    ----------
    study : Study
        Whole.
    response : Response
        One of its responses, with values on a scale.
    """
    made = sorted(
        (run for run in study.runs if run.state in (RunState.PRINTED, RunState.SET_ASIDE)),
        key=printed_order,
    )
    order = {run.code: number for number, run in enumerate(made, 1)}
    used = [
        item
        for item in print_values(study)[response.id]
        if item.counts and item.value is not None and item.reach is None and item.run in order
    ]
    if len(used) < FEWEST:
        return None
    used.sort(key=lambda item: order[item.run])
    points = tuple(
        CoursePoint(
            order[item.run],
            item.value or 0.0,
            item.arm == study.baseline.name,
            f"{item.run} {item.arm}",
        )
        for item in used
    )
    drift: tuple[float, float] | None = None
    said: tuple[str, ...] = ()
    if response.kind not in IN_STEPS:
        rows = [Row(item.arm, (item.machine, item.piece), "", float(order[item.run])) for item in used]
        drift, said = _drift(rows, np.array([item.value for item in used]), response, study.baseline.name)
    return Course(response.name, response.unit, points, drift, said)


def _drift(
    rows: list[Row], values: Floats, response: Response, baseline: str
) -> tuple[tuple[float, float] | None, tuple[str, ...]]:
    """Fit one slope along the order beside arms, machines and pieces; blocks would hide it."""
    arms = list(dict.fromkeys(row.arm for row in rows))
    orders = np.array([row.order for row in rows])
    # The order is a column as an arm is, so that each print is an arm of its own: what is asked is its slope.
    named = [row._replace(arm=str(number)) for number, row in enumerate(rows)]
    coded = {
        name.arm: (*(float(row.arm == other) for other in arms), row.order)
        for name, row in zip(named, rows, strict=True)
    }
    every = frozenset(coded)
    model = LinearModel(coded, (*([0.0] * len(arms)), 1.0), (every, every), alone=False)
    solved = model.solve(named)
    if solved is None or solved.df < 3:
        # A slope costs a degree of freedom, and with fewer than three nothing is left to judge it by.
        return None, ()
    slope = float(solved.weights @ values)
    variance = float(solved.variances(values[None, :])[1][0])
    error = math.sqrt(variance) * float(np.linalg.norm(solved.weights))
    if error <= 0:
        return None, ()
    from scipy.special import stdtr

    p = 2 * float(stdtr(solved.df, -abs(slope) / error))
    # Through the middle of the baseline's prints: they are what is seen to drift.
    base = np.array([row.arm == baseline for row in rows])
    base = base if base.any() else ~base
    middle, mean = float(orders[base].mean()), float(values[base].mean())
    ends = (mean + slope * (orders.min() - middle), mean + slope * (orders.max() - middle))
    size = with_unit(format_signed(slope, decimals_for(error)), response.unit)
    word = tr("drifts") if p <= 0.05 else tr("may drift")
    note = "" if p <= 0.05 else tr(", no more than luck does")
    return (ends[0], ends[1]), (
        tr(
            "Along the order it {word} by {size} a print (p {p}{note}).",
            word=word,
            size=size,
            p=after_p(p),
            note=note,
        ),
    )
