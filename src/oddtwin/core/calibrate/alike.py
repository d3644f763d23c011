"""What calibrations share: cautions, ladders that are graded, and limits that are climbed to."""

from __future__ import annotations

from functools import partial
from typing import Final

from oddtwin.core.calibrate.job import CalibrationJob, Option
from oddtwin.core.calibrate.ladders import MARGIN, least_level
from oddtwin.core.calibrate.limits import highest_that_holds
from oddtwin.core.calibrate.rows import Column, Kind
from oddtwin.core.language import mark

HOT: Final = mark(
    "Hot end and plate burn; keep hands away while it moves, and follow the maker’s instructions."
)


EYES: Final = mark("Wear eye protection: pieces fly when they break.")


BELTS: Final = mark("Stay within the maker’s limit: an over-tightened belt breaks bearings, and may snap.")


RATINGS: Final = mark(
    "Stay within the maker’s ratings of motor, driver and heater; mains wiring is for a qualified person."
)


DUST: Final = mark("Abrasive fillings make dust: ventilate, and wear a mask where you cut or sand.")


WORSE: Final = Option(
    "margin",
    mark("grade steps"),
    mark("how much worse still counts as good"),
    MARGIN,
    least=0.0,
    most=4.0,
)


def graded(name: str, title: str, do: str, unit: str, what: str, cautions: tuple[str, ...]) -> CalibrationJob:
    """Return a calibration that grades levels which rise: its columns and options are alike for all."""
    return CalibrationJob(
        name,
        title,
        do,
        (
            Column("level", unit, says=mark("as set")),
            Column("grade", kind=Kind.GRADE, says=mark("0 none to 4 ruined")),
        ),
        (WORSE,),
        cautions,
        partial(least_level, unit=unit, what=what),
        what,
    )


def climbed(
    name: str, title: str, do: str, unit: str, what: str, cautions: tuple[str, ...]
) -> CalibrationJob:
    """Return a calibration that climbs to where a thing begins to fail."""
    return CalibrationJob(
        name,
        title,
        do,
        (
            Column("level", unit, says=mark("as set")),
            Column("held", kind=Kind.YES, says=mark("whether it held")),
        ),
        (
            Option("most", unit, mark("the maker’s rating")),
            Option("falling", "", mark("1 where low levels fail"), 0.0, least=0.0, most=1.0),
        ),
        cautions,
        partial(highest_that_holds, unit=unit, what=what),
        what,
    )
