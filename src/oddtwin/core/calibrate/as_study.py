"""The prints that found a fault as a study: every suspect a factor, every combination an arm."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime
from typing import Final

from oddtwin.core.calibrate.result import CalibrationError
from oddtwin.core.calibrate.rows import Row
from oddtwin.core.calibrate.suspects import came_out_bad, noted
from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.language import mark, shown, tr
from oddtwin.core.readings import Better, Reading, ResponseKind
from oddtwin.core.study import Study, study_from_readings

CAME_OUT: Final = mark("Came out good")
KINDS: Final = {
    "machine": ChangeKind.MACHINE,
    "filament": ChangeKind.FILAMENT,
    "colour": ChangeKind.FILAMENT,
    "part": ChangeKind.PART,
}
"""What each suspect is as a factor; a setting otherwise."""


def fault_study(rows: Sequence[Row], found: str, at: datetime) -> Study:
    """Return the prints of *Finding the fault* as a study, so that it is kept beside the others.

    Parameters
    ----------
    rows : sequence of Row
        As for `find_the_fault`.
    found : str
        What was found, which is written to the question.
    at : datetime
        When it is written down; the prints tell no moments of their own.

    Returns
    -------
    Study
        The baseline is the first combination that came out good, or else the first.

    Raises
    ------
    CalibrationError
        A row lacks something, or all prints were made alike.
    """
    suspects, settings, _ = noted(rows)
    if not suspects:
        raise CalibrationError(tr("All prints were made alike: there is nothing to compare yet."))
    readings = [
        Reading(
            arm=", ".join(setting),
            value=0.0 if came_out_bad(row) else 1.0,
            response=shown(CAME_OUT),
            run=f"P{number}",
            kind=ResponseKind.YES_NO,
            # One suspect alone makes plain arms; several are crossed.
            factors=tuple(zip(suspects, setting, strict=True)),
            machine=setting[suspects.index("machine")] if "machine" in suspects else "",
            order=float(number),
        )
        for number, (row, setting) in enumerate(zip(rows, settings, strict=True), 1)
    ]
    # What is known to be good is what the others are held against.
    baseline = next((one.arm for one in readings if one.value), readings[0].arm)
    study = study_from_readings(readings, tr("Why does it print badly? {at:%Y-%m-%d}", at=at), baseline, at)
    return replace(
        study,
        question=tr(
            "Which of {suspects} is to blame? {found}", suspects=", ".join(suspects), found=found
        ).strip(),
        factors=tuple(
            replace(factor, kind=KINDS.get(factor.name, ChangeKind.SETTING)) for factor in study.factors
        ),
        responses=tuple(replace(one, better=Better.HIGHER) for one in study.responses),
    )
