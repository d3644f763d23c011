"""Edits of the logs of machines: what was altered, put back, and tried in rounds of tuning."""

from __future__ import annotations

from collections.abc import Collection
from datetime import datetime
from typing import Any, TypedDict, Unpack

from oddtwin.core.customs import ChangeKind
from oddtwin.core.language import mark, tr
from oddtwin.core.quantities import capitalized, now, read_moment, write_moment
from oddtwin.core.runlist import disturbed_by
from oddtwin.core.study import MachineChange, Round, is_frozen, rounds_of
from oddtwin.operations.workshop import named
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.codec import value_of
from oddtwin.store.schema import MACHINE_CHANGE


class ChangeDetails(TypedDict, total=False):
    """What else is told of an alteration; ``mass_g`` is added to what moves with ``axis``.

    ``fitting`` tells what did not fit, and what was bent or bought; ``checked`` what was checked again
    already of all that it disturbs.
    """

    note: str
    minutes: float
    cost: float
    mass_g: float
    axis: str
    way_back: str
    fitting: str
    checked: list[str]


def log_machine_change(
    book: LabBook,
    *,
    machine_id: int,
    kind: str,
    what: str,
    before: str,
    after: str,
    at: datetime | None = None,
    **more: Unpack[ChangeDetails],
) -> Record | None:
    """Write one alteration into a machine's change log, now or as of when it was made.

    Raises
    ------
    StoreError
        What was changed is missing, or it lies in the future.
    """
    cleaned = named(what, mark("change"))
    if at is not None and at > now():
        raise StoreError(tr("That is in the future; log a change once it is made."))
    when = {} if at is None else {"at": write_moment(at)}

    def change(edit: Edit) -> None:
        insert_machine_change(
            edit, machine_id=machine_id, kind=kind, what=cleaned, before=before, after=after, **more, **when
        )

    return book.edit(tr("log {cleaned}", cleaned=cleaned), change)


def insert_machine_change(edit: Edit, **values: Any) -> None:
    """Add a line to a machine's change log inside a larger edit, dated now where it is not told when."""
    edit.insert(MACHINE_CHANGE, **{"at": write_moment(now()), **values})


def check_change(book: LabBook, *, change_id: int, checked: Collection[str]) -> Record | None:
    """Say what was checked again, since a change was made, of all that it disturbs.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    change_id : int
        Of the line in the log.
    checked : collection of str
        All that was, in place of what was said before.
    """

    def change(edit: Edit) -> None:
        due = disturbed_by(value_of(MachineChange, edit.get(MACHINE_CHANGE, change_id)))
        edit.update(MACHINE_CHANGE, change_id, checked=[text for text in due if text in checked])

    return book.edit(tr("say what was checked after a change"), change)


def put_back(book: LabBook, *, change_id: int) -> Record | None:
    """Log that a change was put back: what it was before is what it is now.

    Raises
    ------
    StoreError
        Nobody wrote what it was before, or it was changed again since.
    """

    def change(edit: Edit) -> None:
        old = edit.get(MACHINE_CHANGE, change_id)
        if not old["before"].strip():
            raise StoreError(
                tr("Nobody wrote what {old} was before; log by hand what it is now.", old=old["what"])
            )
        log = edit.rows(MACHINE_CHANGE, "machine_id", old["machine_id"])
        # By the name that the make-up goes by.
        key = old["kind"], old["what"].casefold()
        of_it = [row for row in log if (row["kind"], row["what"].casefold()) == key]
        newest = max(of_it, key=lambda row: (read_moment(row["at"]), row["id"]))
        if newest["id"] != change_id:
            raise StoreError(tr("{old} was changed again since; put that back first.", old=old["what"]))
        insert_machine_change(
            edit,
            machine_id=old["machine_id"],
            kind=old["kind"],
            what=old["what"],
            before=old["after"],
            after=old["before"],
            mass_g=-old["mass_g"],
            axis=old["axis"],
            note=tr("put back as of {old}", old=old["at"][:10]),
        )

    return book.edit(tr("put a change back"), change)


def log_round(book: LabBook, *, machine_id: int, profile: str, what: str) -> Record | None:
    """Begin a numbered trial of a profile on a machine.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    machine_id : int
        That it is tried on.
    profile : str
        As the user calls it.
    what : str
        What changed in it since the round before.

    Raises
    ------
    StoreError
        A name is missing, the last round is still open, or the profile is frozen.
    """
    name, changed = named(profile, mark("profile")), named(what, mark("change"))

    def change(edit: Edit) -> None:
        there = _rounds(edit, machine_id, name)
        _refuse_open(there)
        if is_frozen(there):
            raise StoreError(
                tr(
                    "{name} is frozen since {at:%Y-%m-%d}: thaw it first, and print the baseline again.",
                    name=name,
                    at=there[-1].at,
                )
            )
        tried = [one for one in there if one.round in (Round.TRIAL, Round.KEPT, Round.THROWN_AWAY)]
        # A round builds on what was kept, not on what was thrown away.
        kept = [one for one in tried if one.round is Round.KEPT]
        _insert_round(
            edit,
            machine_id,
            name,
            Round.TRIAL,
            before=kept[-1].after if kept else "",
            after=tr("round {tried}: {changed}", tried=len(tried) + 1, changed=changed),
        )

    return book.edit(tr("try {name} anew", name=name), change)


def end_round(book: LabBook, *, change_id: int, kept: bool, why: str) -> Record | None:
    """Keep the open trial of a profile, or throw it away, and say why.

    Raises
    ------
    StoreError
        The reason is missing, or the round was ended already.
    """
    reason = why.strip()
    if not reason:
        raise StoreError(tr("Please say why, so that nobody tries it again."))

    def change(edit: Edit) -> None:
        row = edit.get(MACHINE_CHANGE, change_id)
        if row["round"] != Round.TRIAL:
            raise StoreError(tr("That round was ended already."))
        ended = Round.KEPT if kept else Round.THROWN_AWAY
        edit.update(MACHINE_CHANGE, change_id, round=ended.value, note=reason)

    return book.edit(tr("keep a round") if kept else tr("throw a round away"), change)


def freeze_profile(book: LabBook, *, machine_id: int, profile: str) -> Record | None:
    """Say that a profile stays as it is from here on, before a comparison starts.

    Raises
    ------
    StoreError
        It was never tried, is frozen already, or its last round is still open.
    """

    def change(edit: Edit) -> None:
        there = _rounds(edit, machine_id, profile)
        _refuse_open(there)
        if not there or is_frozen(there):
            raise StoreError(
                tr("{profile} is frozen already.", profile=profile)
                if there
                else tr("{profile} was never tried here.", profile=profile)
            )
        kept = [one for one in there if one.round is Round.KEPT]
        after = tr("frozen as of {after}", after=kept[-1].after) if kept else tr("frozen as it was")
        _insert_round(edit, machine_id, there[0].what, Round.FROZEN, before="", after=after)

    return book.edit(tr("freeze {profile}", profile=profile), change)


def thaw_profile(book: LabBook, *, machine_id: int, profile: str) -> Record | None:
    """Open a frozen profile to further rounds; the log keeps both.

    Raises
    ------
    StoreError
        It is not frozen.
    """

    def change(edit: Edit) -> None:
        there = _rounds(edit, machine_id, profile)
        if not is_frozen(there):
            raise StoreError(tr("{profile} is not frozen.", profile=profile))
        _insert_round(edit, machine_id, there[0].what, Round.THAWED, before="", after="thawed")

    return book.edit(tr("thaw {profile}", profile=profile), change)


def _insert_round(edit: Edit, machine_id: int, profile: str, what: Round, *, before: str, after: str) -> None:
    insert_machine_change(
        edit,
        machine_id=machine_id,
        kind=ChangeKind.SETTING.value,
        what=profile,
        before=before,
        after=after,
        round=what.value,
    )


def _rounds(edit: Edit, machine_id: int, profile: str) -> list[MachineChange]:
    rows = edit.rows(MACHINE_CHANGE, "machine_id", machine_id)
    return rounds_of([value_of(MachineChange, row) for row in rows], machine_id, profile)


def _refuse_open(rounds: list[MachineChange]) -> None:
    if rounds and rounds[-1].round is Round.TRIAL:
        name = rounds[-1].after.partition(":")[0]
        raise StoreError(
            tr("{profile} is still open: keep it or throw it away first.", profile=capitalized(name))
        )
