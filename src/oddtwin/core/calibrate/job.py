"""One calibration: what is typed, what must be known besides, and how it is reckoned."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from oddtwin.core.calibrate.result import CalibrationError, Result, said
from oddtwin.core.calibrate.rows import Column, Row, read_rows
from oddtwin.core.language import tr
from oddtwin.core.quantities import capitalized, format_number

ABOVE_ZERO: Final = 1e-9


@dataclass(frozen=True, slots=True)
class Option:
    """What a calibration must know besides its readings.

    Parameters
    ----------
    name, unit, says : str
    usual : float or None
        Where nobody says; None where it may stay unknown.
    needed : bool
        Whether it must be said.
    least, most : float
        What it may be.
    lasts : bool
        Whether it is the same the next time; what the calibration itself changes is not.
    """

    name: str
    unit: str
    says: str
    usual: float | None = None
    needed: bool = False
    least: float = ABOVE_ZERO
    most: float = 1e9
    lasts: bool = True


@dataclass(frozen=True, slots=True)
class CalibrationJob:
    """One calibration.

    Parameters
    ----------
    name : str
        On the command line.
    title : str
        In the window.
    do : str
        What to do, in sentences.
    columns : tuple of Column
        Of its readings.
    options : tuple of Option
    cautions : tuple of str
    reckon : callable
        Takes rows and options and returns a `Result`.
    logs : str
        What is logged on the machine; empty where nothing is set.
    of_instrument : bool
        Whether it is of an instrument, and not of a machine.
    """

    name: str
    title: str
    do: str
    columns: tuple[Column, ...]
    options: tuple[Option, ...]
    cautions: tuple[str, ...]
    reckon: Callable[[Sequence[Row], Mapping[str, float]], Result]
    logs: str = ""
    of_instrument: bool = False


def calibration(job: CalibrationJob, text: str, given: Mapping[str, float]) -> Result:
    """Reckon a calibration from its readings.

    Parameters
    ----------
    job : CalibrationJob
        Which.
    text : str
        Readings as CSV.
    given : mapping of str to float
        Options by name.

    Raises
    ------
    CalibrationError
        An option is missing or cannot be, or the readings tell nothing.
    TableError
        With line and column.
    """
    options = _options(job, given)
    return job.reckon(read_rows(text, job.columns), options)


def _options(job: CalibrationJob, given: Mapping[str, float]) -> dict[str, float]:
    known = {option.name: option for option in job.options}
    for name in given:
        if name not in known:
            listed = ", ".join(known) or tr("none")
            raise CalibrationError(
                tr(
                    "{title} does not ask for “{name}”; it knows: {listed}.",
                    title=job.title,
                    name=name,
                    listed=listed,
                )
            )
    # What is left out and may stay unknown is not there at all: zero would be taken for a figure.
    found = {}
    for option in job.options:
        value = given.get(option.name, option.usual)
        if value is None:
            if option.needed:
                raise CalibrationError(
                    tr(
                        "{title} needs {says} ({option}, {unit}).",
                        title=job.title,
                        says=option.says,
                        option=option.name,
                        unit=option.unit,
                    )
                )
            continue
        if not option.least <= value <= option.most:
            what, most = capitalized(option.says), said(option.most, option.unit)
            if option.least == ABOVE_ZERO:
                raise CalibrationError(
                    tr("{what}: give a number above zero, {most} at most.", what=what, most=most)
                )
            least = format_number(option.least)
            raise CalibrationError(tr("{what}: give {least} to {most}.", what=what, least=least, most=most))
        found[option.name] = float(value)
    return found
