"""Edits at the end: having seen the verdict, and settling the study."""

from __future__ import annotations

from datetime import datetime

from oddtwin.core.study import DecisionKind
from oddtwin.operations.workshop import insert_machine_change
from oddtwin.store import Edit, Kind, LabBook, Record, StoreError
from oddtwin.store.schema import FACTOR, MACHINE_CHANGE, PLAN, STUDY


def see_verdict(book: LabBook, *, study_id: int) -> Record | None:
    """Mark when the verdict was first looked at; margins moved later are shown as moved."""

    def change(edit: Edit) -> None:
        if not edit.get(STUDY, study_id)["verdict_seen"]:
            edit.update(STUDY, study_id, verdict_seen=datetime.now().isoformat(timespec="seconds"))

    return book.edit("see the verdict", change, Kind.MARK)


def settle(book: LabBook, *, study_id: int, kind: DecisionKind, reason: str) -> Record | None:
    """Settle a study.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id : int
        Which study.
    kind : DecisionKind
        Adoption is also written to the change log of every machine of the plan; what an
        earlier adoption of this study wrote there is taken out first.
    reason : str
        In the user's own words; needed.

    Raises
    ------
    StoreError
        The reason is missing.
    """
    if not reason.strip():
        raise StoreError("Please write down the reason; in a year nobody will remember it.")

    def change(edit: Edit) -> None:
        for row in edit.ids(MACHINE_CHANGE, "study_id", study_id):
            edit.delete(MACHINE_CHANGE, row)
        if kind is DecisionKind.ADOPT:
            _log_adoption(edit, study_id, reason.strip())
        edit.update(
            STUDY,
            study_id,
            decision=kind.value,
            decision_reason=reason.strip(),
            decided=datetime.now().isoformat(timespec="seconds"),
        )

    return book.edit(f"settle: {kind.value}", change)


def reopen(book: LabBook, *, study_id: int) -> Record | None:
    """Take a decision back, with what it wrote to the machines' change logs."""

    def change(edit: Edit) -> None:
        for row in edit.ids(MACHINE_CHANGE, "study_id", study_id):
            edit.delete(MACHINE_CHANGE, row)
        edit.update(STUDY, study_id, decision="", decision_reason="", decided="")

    return book.edit("reopen the study", change)


def _log_adoption(edit: Edit, study_id: int, reason: str) -> None:
    name = edit.get(STUDY, study_id)["name"]
    machines = [machine for plan in edit.rows(PLAN, "study_id", study_id) for machine in plan["machine_ids"]]
    for machine in machines:
        for factor in edit.rows(FACTOR, "study_id", study_id):
            insert_machine_change(
                edit,
                machine,
                factor["kind"],
                factor["name"],
                factor["baseline_level"],
                factor["change_level"],
                f"Study “{name}”: {reason}",
                study_id,
            )
