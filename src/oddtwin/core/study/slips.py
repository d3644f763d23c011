"""Readings that look like a slip of the keys: far from those of other prints, or more than was laid."""

from __future__ import annotations

from collections.abc import Sequence
from statistics import median
from typing import Final

from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number, with_unit
from oddtwin.core.readings import Bound, ResponseKind, Typed
from oddtwin.core.study.plates import plate_of
from oddtwin.core.study.printed import Run
from oddtwin.core.study.question import Response, Role
from oddtwin.core.study.whole import Study

TIMES: Final = 6.0
"""So many times as much, or as little: a slipped comma is ten times, grams for kilograms a thousand."""
NOMINAL: Final = 0.2
COMMANDED: Final = 1.05
_MEASURED: Final = (ResponseKind.QUANTITY, ResponseKind.SIZE, ResponseKind.COUNT)


def slip_words(
    study: Study, response: Response, run: Run, typed: Sequence[Typed], nominal: float | None
) -> str:
    """Return why readings look like a slip, as a sentence; empty where they do not.

    Parameters
    ----------
    study : Study
        With the readings of its other prints.
    response : Response
        What was read.
    run : Run
        Of which print.
    typed : sequence of Typed
        What was typed.
    nominal : float or None
        Of a size, in its unit.
    """
    if response.kind not in _MEASURED:
        return ""
    exact = [one.value for one in typed if one.bound is Bound.EXACT and one.value > 0]
    for value in exact:
        said = _said(value, response)
        if nominal and abs(value / nominal - 1) > NOMINAL:
            return tr(
                "{said} is more than 20 % off its nominal of {said2}.",
                said=said,
                said2=_said(nominal, response),
            )
        found = _against_others(study, response, run, value) or _against_piece(study, response, run, value)
        if found:
            return tr("{said} is {found}.", said=said, found=found)
    return ""


def _said(value: float, response: Response) -> str:
    return with_unit(format_number(value), response.unit)


def _against_others(study: Study, response: Response, run: Run, value: float) -> str:
    others = [
        one.value
        for one in study.readings
        if (one.response_id, one.bound) == (response.id, Bound.EXACT)
        and one.run_id != run.id
        and one.value > 0
    ]
    # Sizes have nominals, each of its own.
    if response.kind is ResponseKind.SIZE or not others:
        return ""
    usual = median(others)
    if usual / TIMES < value < usual * TIMES:
        return ""
    times = value / usual
    told = (
        tr("{times} times", times=format_number(times, 0))
        if times > 1
        else tr("a {times}th of", times=format_number(1 / times, 0))
    )
    return tr("{told} what other prints read ({said})", told=told, said=_said(usual, response))


def _against_piece(study: Study, response: Response, run: Run, value: float) -> str:
    """A part cannot weigh much more than the sliced file lays."""
    # Where the arm is not to be told, neither is what its file lays.
    if response.role is not Role.PART or run.arm_id not in {arm.id for arm in study.arms}:
        return ""
    file = study.file_for(run)
    # A file lays all that is on its plate, of which one print is only a part.
    if file is None or not file.mass_g or len(plate_of(study, run)) > 1:
        return ""
    wasted = file.waste_mm / file.filament_mm if file.waste_known and file.filament_mm else 0.0
    laid = file.mass_g * (1 - wasted)
    if value <= COMMANDED * laid:
        return ""
    return tr("more than 5 % over what its sliced file lays ({said})", said=_said(round(laid, 1), response))
