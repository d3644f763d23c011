"""Edits of what is varied: factors, levels and arms."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypedDict, Unpack

from oddtwin.core import customs
from oddtwin.core.language import tr
from oddtwin.core.study import ArmRole
from oddtwin.operations.checking import needs, next_position, own_name
from oddtwin.operations.settled import edit_open
from oddtwin.operations.workshop import check_figures
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.record import Row
from oddtwin.store.schema import ARM, FACTOR, LEVEL, PLATE, RUN


def rename_arm(book: LabBook, *, arm_id: int, name: str) -> Record | None:
    """Rename an arm; two arms of a study cannot share a name.

    Raises
    ------
    StoreError
        The name is missing, or another arm has it.
    """
    needs(name, tr("a name"))

    def change(edit: Edit) -> None:
        study = edit.get(ARM, arm_id)["study_id"]
        if any(arm["id"] != arm_id and arm["name"] == name for arm in edit.rows(ARM, "study_id", study)):
            raise StoreError(tr("Two arms would be called “{name}”; give each its own name.", name=name))
        edit.update(ARM, arm_id, name=name)

    return edit_open(book, tr("name an arm {name}", name=name), change)


def add_factor(
    book: LabBook, *, study_id: int, kind: str, name: str, levels: Sequence[str] = (), disturbs: str = ""
) -> Record | None:
    """Say what is varied: its kind, name, and levels, the baseline's first.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id : int
        Which study.
    kind, name : str
        Kind of change, and what the user calls it.
    levels : sequence of str
        Values; where fewer than two are given, empty ones are added.
    disturbs : str
        Line of the recalibration table; the usual one of the kind where it is empty.

    Raises
    ------
    StoreError
        The name is missing or taken, the kind is not known, or runs were started.
    """
    needs(name, tr("a name for what differs"))

    def change(edit: Edit) -> None:
        insert_factor(edit, study_id, kind, name.strip(), levels, disturbs)

    return edit_open(book, tr("add what differs: {name}", name=name.strip()), change)


def insert_factor(
    edit: Edit, study_id: int, kind: str, name: str, levels: Sequence[str], disturbs: str = ""
) -> None:
    """Add a factor with its levels inside a larger edit.

    Raises
    ------
    StoreError
        The name is taken, the kind is not known, or runs were started.
    """
    # Its levels would belong to no arm that is printed.
    keeps_arms(edit, study_id)
    own_name(edit, FACTOR, "study_id", study_id, "name", name, tr("Something called “{}” differs already"))
    if len({level.strip().casefold() for level in levels if level.strip()}) < sum(
        map(bool, map(str.strip, levels))
    ):
        raise StoreError(
            tr("Two levels of {name} would be the same; give each a value of its own.", name=name)
        )
    factor = edit.insert(
        FACTOR,
        study_id=study_id,
        position=next_position(edit, FACTOR, study_id),
        kind=_known_kind(kind).value,
        name=name,
        disturbs=disturbs or customs.usually_disturbs(kind, name),
        disturbs_by_hand=bool(disturbs),
    )
    values = [*levels, "", ""][: max(2, len(levels))]
    rows = [
        {"factor_id": factor, "position": place, "value": value.strip()} for place, value in enumerate(values)
    ]
    edit.insert_all(LEVEL, rows)


class FactorParts(TypedDict, total=False):
    """Kind and name of what differs, and what it disturbs."""

    kind: str
    name: str
    disturbs: str


class LevelDetails(TypedDict, total=False):
    """How to get to a level and back; minutes, money and grams (on the moving axis) that it takes."""

    how: str
    way_back: str
    minutes: float
    cost: float
    mass_g: float


def edit_factor(book: LabBook, *, factor_id: int, **values: Unpack[FactorParts]) -> Record | None:
    """Change what differs.

    What a change disturbs follows from its kind and name, until it is set by hand.

    Raises
    ------
    StoreError
        The name is missing or taken, or the kind is not known.
    """
    changed: Row = {**values}
    if "name" in values:
        needs(values["name"], tr("a name for what differs"))
        changed["name"] = values["name"].strip()
    if "kind" in values:
        changed["kind"] = _known_kind(values["kind"]).value

    def change(edit: Edit) -> None:
        there = edit.get(FACTOR, factor_id)
        if "name" in values:
            taken = tr("Something called “{}” differs already")
            own_name(edit, FACTOR, "study_id", there["study_id"], "name", values["name"], taken, factor_id)
        row = {**there, **changed}
        follows = {"disturbs": customs.usually_disturbs(row["kind"], row["name"])}
        if "disturbs" in values:
            edit.update(FACTOR, factor_id, **changed, disturbs_by_hand=True)
        else:
            edit.update(FACTOR, factor_id, **changed, **({} if row["disturbs_by_hand"] else follows))

    return edit_open(book, tr("edit what differs"), change)


def remove_factor(book: LabBook, *, factor_id: int, name: str) -> Record | None:
    """Take something out of what differs.

    Raises
    ------
    StoreError
        Runs were started.
    """

    def change(edit: Edit) -> None:
        keeps_arms(edit, edit.get(FACTOR, factor_id)["study_id"])
        edit.delete(FACTOR, factor_id)

    return edit_open(book, tr("remove what differs: {name}", name=name), change)


def add_level(book: LabBook, *, factor_id: int, value: str) -> Record | None:
    """Add a level after the others.

    Raises
    ------
    StoreError
        The value is missing or taken, or runs were started.
    """
    needs(value, tr("a value for the level"))

    def change(edit: Edit) -> None:
        there = edit.rows(LEVEL, "factor_id", factor_id)
        own_name(edit, LEVEL, "factor_id", factor_id, "value", value, tr("There is a level “{}” already"))
        keeps_arms(edit, edit.get(FACTOR, factor_id)["study_id"])
        empty = next((row for row in there if not row["value"]), None)
        if empty is not None:
            edit.update(LEVEL, empty["id"], value=value.strip())
            return
        position = max((row["position"] for row in there), default=-1) + 1
        edit.insert(LEVEL, factor_id=factor_id, position=position, value=value.strip())

    return edit_open(book, tr("add level {value}", value=value.strip()), change)


def edit_level(book: LabBook, *, level_id: int, value: str, **values: Unpack[LevelDetails]) -> Record | None:
    """Change a level.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    level_id : int
        Which one.
    value : str
        Its value, new or as it is, for the title of the edit. Where another level of the
        factor has it, the two swap their values.
    **values
        What is told of it.

    Raises
    ------
    StoreError
        Minutes or a cost below zero, or a figure that is too large.
    """
    check_figures(value or tr("The level"), {**values, "mass_g": abs(values.get("mass_g", 0.0))})

    def change(edit: Edit) -> None:
        row = edit.get(LEVEL, level_id)
        for other in edit.rows(LEVEL, "factor_id", row["factor_id"]):
            same = other["value"].strip().casefold() == value.strip().casefold()
            if value.strip() and same and other["id"] != level_id:
                edit.update(LEVEL, other["id"], value=row["value"])
        edit.update(LEVEL, level_id, value=value.strip(), **values)

    return edit_open(book, tr("edit level {value}", value=value), change)


def move_level(book: LabBook, *, level_id: int, value: str, by: int) -> Record | None:
    """Move a level up (``by`` below zero) or down among those of its factor; the first is the baseline's.

    Raises
    ------
    StoreError
        Runs were started, so that the levels behind them stay.
    """

    def change(edit: Edit) -> None:
        factor = edit.get(LEVEL, level_id)["factor_id"]
        keeps_arms(edit, edit.get(FACTOR, factor)["study_id"])
        order = sorted(edit.rows(LEVEL, "factor_id", factor), key=lambda row: (row["position"], row["id"]))
        ids = [int(row["id"]) for row in order]
        place = ids.index(level_id)
        ids.insert(max(0, min(len(ids) - 1, place + by)), ids.pop(place))
        for position, key in enumerate(ids):
            edit.update(LEVEL, key, position=position)

    return edit_open(book, tr("move level {value}", value=value), change)


def remove_level(book: LabBook, *, level_id: int, value: str) -> Record | None:
    """Take a level out; two always stay.

    Raises
    ------
    StoreError
        Only two levels are left, or runs were started.
    """

    def change(edit: Edit) -> None:
        factor = edit.get(LEVEL, level_id)["factor_id"]
        if len(edit.rows(LEVEL, "factor_id", factor)) <= 2:
            raise StoreError(tr("A factor needs two levels; remove the whole factor instead."))
        keeps_arms(edit, edit.get(FACTOR, factor)["study_id"])
        edit.delete(LEVEL, level_id)

    return edit_open(book, tr("remove level {value}", value=value), change)


def set_control(
    book: LabBook,
    *,
    study_id: int,
    name: str,
    of_change: bool | None = None,
    positive: bool | None = None,
) -> Record | None:
    """Ask for a control arm, or for none with an empty name.

    A control arm has the baseline's levels and what its name says, such as the new part's
    mass taped to the old part; with ``of_change`` it has those of the change, such as the new
    part with the old weight. A ``positive`` one is made bad on purpose: it shows that this piece and these
    eyes can show a difference. It is printed once in every block.

    Raises
    ------
    StoreError
        The name is taken, or runs were started.
    """

    def change(edit: Edit) -> None:
        controls = [
            row
            for row in edit.rows(ARM, "study_id", study_id)
            if row["role"] in (ArmRole.CONTROL, ArmRole.POSITIVE)
        ]
        own = controls[0]["id"] if controls else None
        role = ArmRole.POSITIVE if positive else ArmRole.CONTROL
        own_name(edit, ARM, "study_id", study_id, "name", name, tr("There is an arm “{}” already"), own)
        if not controls and name.strip():
            edit.insert(
                ARM,
                study_id=study_id,
                name=name.strip(),
                is_baseline=False,
                role=role.value,
                of_change=bool(of_change),
            )
        for row in controls:
            if name.strip():
                side = row["of_change"] if of_change is None else of_change
                if side != row["of_change"]:
                    keeps_arms(edit, study_id)
                kept = row["role"] if positive is None else role.value
                if kept != row["role"]:
                    keeps_arms(edit, study_id)
                edit.update(ARM, row["id"], name=name.strip(), of_change=side, role=kept)
            elif edit.ids(RUN, "arm_id", row["id"]):
                raise StoreError(
                    tr("The control arm has runs already; draw the order anew without it first.")
                )
            else:
                edit.delete(ARM, row["id"])

    return edit_open(book, tr("control arm") if name.strip() else tr("no control arm"), change)


def keeps_arms(edit: Edit, study_id: int) -> None:
    """Once runs were started, the levels behind them stay.

    Raises
    ------
    StoreError
        Runs were started.
    """
    begun = any(row["started"] for row in edit.rows(PLATE, "study_id", study_id))
    if begun or any(row["set_aside"] for row in edit.rows(RUN, "study_id", study_id)):
        raise StoreError(tr("Runs were started already, so the levels behind them stay."))


def _known_kind(kind: str) -> customs.ChangeKind:
    try:
        return customs.ChangeKind(kind)
    except ValueError:
        raise StoreError(
            tr(
                "“{kind}” is no kind of change; choose {ChangeKind}.",
                kind=kind,
                ChangeKind=", ".join(customs.ChangeKind),
            )
        ) from None
