"""Edits at the end: settling a study, and reopening it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Final

from oddtwin.core.judgement import Analysis, analyse
from oddtwin.core.known import effect_values, effects_of
from oddtwin.core.language import tr
from oddtwin.core.quantities import now, write_moment
from oddtwin.core.study import DecisionKind, RunState
from oddtwin.core.tradeoff import prices_of, prices_values
from oddtwin.operations.machine_log import insert_machine_change
from oddtwin.store import Edit, LabBook, Record, StoreError, load_study
from oddtwin.store.record import Row
from oddtwin.store.schema import MACHINE_CHANGE, STUDY

MOST_WEEKS: Final = 520
MOST_HOURS: Final = 100_000
_OPEN: Final[Row] = {
    "decision": "",
    "decision_reason": "",
    "decided": "",
    "prices": {},
    "condition": "",
    "verify_at": "",
    "verify_hours": 0.0,
    "found": [],
}


def settle(
    book: LabBook,
    *,
    study_id: int,
    kind: DecisionKind,
    reason: str,
    arm_id: int | None = None,
    machine_ids: Sequence[int] | None = None,
    condition: str = "",
    verify_weeks: float = 0.0,
    verify_hours: float = 0.0,
    analysis: Analysis | None = None,
    at: datetime | None = None,
) -> Record | None:
    """Settle a study.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id : int
        Which study.
    kind : DecisionKind
        What is done to machines by an adoption (parts, settings, adjustments, places; not which
        machine or spool is chosen) is also written to their change logs; what an earlier
        adoption of this study wrote there is taken out first.
    reason : str
        In the user's own words; needed.
    arm_id : int, optional
        Which arm is adopted; the change by default.
    machine_ids : sequence of int, optional
        On which machines; those of the plan by default.
    condition : str
        Where it holds, such as “only above 1600 mm/s²”; it goes into the make-up with what is adopted.
    verify_weeks : float
        After so many weeks the baseline is to be printed again; 0 for never.
    verify_hours : float
        After so many hours of printing on its machines, too; 0 for never.
    analysis : Analysis, optional
        Of the study as it is, where it is known: what was found is remembered.
    at : datetime, optional
        When it was decided; now by default.

    Raises
    ------
    StoreError
        The reason is missing, or nothing that could be adopted was printed.
    """
    if not reason.strip():
        raise StoreError(tr("Please write down the reason; in a year nobody will remember it."))
    if not 0 <= verify_weeks <= MOST_WEEKS:
        raise StoreError(tr("Verify it within 0 to {MOST_WEEKS} weeks.", MOST_WEEKS=MOST_WEEKS))
    if not 0 <= verify_hours <= MOST_HOURS:
        raise StoreError(tr("Verify it within 0 to {MOST_HOURS} hours of printing.", MOST_HOURS=MOST_HOURS))
    holds, decided = condition.strip(), at or now()

    def change(edit: Edit) -> None:
        for row in edit.ids(MACHINE_CHANGE, "study_id", study_id):
            edit.delete(MACHINE_CHANGE, row)
        if kind is DecisionKind.ADOPT:
            _log_adoption(edit, study_id, arm_id, machine_ids, reason.strip(), holds, decided)
        study = load_study(edit.connection, study_id)
        priced = prices_of(replace(study, decision=None))
        # Remembered with the decision, so that what is known is there without judging every study anew.
        found = effects_of(study, analysis or analyse(study)) if kind.settles else []
        later = decided + timedelta(weeks=verify_weeks) if kind.settles and verify_weeks > 0 else None
        edit.update(
            STUDY,
            study_id,
            decision=kind.value,
            decision_reason=reason.strip(),
            decided=write_moment(decided),
            prices=prices_values(priced) if kind.settles and priced.known else {},
            condition=holds,
            found=effect_values(found),
            verify_at=write_moment(later) if later else "",
            verify_hours=float(verify_hours) if kind.settles else 0.0,
        )

    return book.edit(tr("settle: {kind}", kind=kind), change)


def reopen(book: LabBook, *, study_id: int) -> Record | None:
    """Take a decision back, with what it wrote to the machines' change logs."""

    def change(edit: Edit) -> None:
        for row in edit.ids(MACHINE_CHANGE, "study_id", study_id):
            edit.delete(MACHINE_CHANGE, row)
        edit.update(STUDY, study_id, **_OPEN)

    return book.edit(tr("reopen the study"), change)


def _log_adoption(
    edit: Edit,
    study_id: int,
    arm_id: int | None,
    machine_ids: Sequence[int] | None,
    reason: str,
    condition: str,
    at: datetime,
) -> None:
    study = load_study(edit.connection, study_id)
    if not any(run.state is RunState.PRINTED for run in study.runs):
        raise StoreError(tr("No print of this study counts yet, so there is nothing to adopt."))
    arm = next((item for item in study.arms if item.id == arm_id), study.change)
    before = {factor.id: level for factor, level in study.levels_of(study.baseline)}
    after = study.levels_of(arm) if arm.level_ids else [(f, f.levels[-1]) for f in study.factors]
    ticked = (study.plan.machine_ids if study.plan else ()) if machine_ids is None else machine_ids
    for machine_id in ticked:
        for factor, level in after:
            if level != before[factor.id] and not factor.kind.chosen:
                insert_machine_change(
                    edit,
                    machine_id=machine_id,
                    kind=factor.kind,
                    what=factor.name,
                    before=before[factor.id].value,
                    after=f"{level.value}, {condition}" if condition else level.value,
                    note=tr("Study “{study}”: {reason}", study=study.name, reason=reason),
                    study_id=study_id,
                    minutes=level.minutes,
                    cost=level.cost,
                    mass_g=level.mass_g,
                    way_back=level.way_back,
                    at=write_moment(at),
                )
