"""Edits of the question: arms, factors, responses, and what must stay the same."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

from sqlalchemy import Table

from oddtwin.core import customs
from oddtwin.core.customs import QuestionCard
from oddtwin.core.design import ORDER_VERSION, SeededOrder
from oddtwin.core.quantities import now, write_moment
from oddtwin.core.readings import Combine, ResponseType
from oddtwin.core.study import ArmRole, LookAt, Plan, Role
from oddtwin.operations.plans import insert_plan
from oddtwin.operations.settled import edit_open
from oddtwin.operations.workshop import check_figures
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.record import Row
from oddtwin.store.schema import ARM, FACTOR, HELD, LEVEL, LOOK, READING, RESPONSE, RUN, STUDY

SMALLEST_FIGURE, LARGEST_FIGURE = 1e-12, 1e12
"""Margins, steps and scatter beyond these are slips of the keys."""

STANDING: Final[tuple[dict[str, Any], ...]] = (
    {"name": "Print time", "unit": "min", "role": Role.TIME.value, "better": "lower"},
    {"name": "Part mass", "unit": "g", "role": Role.PART.value, "better": ""},
    {"name": "Waste", "unit": "g", "role": Role.WASTE.value, "better": "lower", "combine": "sum"},
)
"""Every new study asks for these: time, plastic in the part, plastic wasted."""


def add_study(book: LabBook, *, name: str, card: QuestionCard | None = None) -> Record | None:
    """Begin a study with two arms, the standing responses and the usual checklist.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    name : str
        Of the study.
    card : QuestionCard, optional
        Kind of question; its factors, responses and held items are filled in, all of it
        editable afterwards.
    """
    _needs(name, "a name")

    def change(edit: Edit) -> None:
        created = write_moment(now())
        study = edit.insert(STUDY, name=name.strip(), created=created)
        edit.insert(ARM, study_id=study, name="Baseline", is_baseline=True)
        edit.insert(ARM, study_id=study, name="Change", is_baseline=False)
        if card is not None:
            _fill_from_card(edit, study, card)
            return
        for position, values in enumerate(STANDING):
            edit.insert(RESPONSE, **_response(study, position, values))
        for position, text in enumerate(customs.HELD_CONSTANT):
            edit.insert(HELD, study_id=study, position=position, text=text)

    return book.edit(f"new study {name.strip()}", change)


def _fill_from_card(edit: Edit, study: int, card: QuestionCard) -> None:
    edit.update(STUDY, study, question=card.question)
    for factor in card.factors:
        insert_factor(edit, study, factor.kind, factor.name, factor.levels)
    if card.control:
        edit.insert(ARM, study_id=study, name=card.control, is_baseline=False, role=ArmRole.CONTROL.value)
    asked = [
        {
            "name": item.name,
            "unit": item.unit,
            "better": item.better,
            "target": 0.0 if item.better == "target" else None,
            "type": (ResponseType.GRADE if item.graded else ResponseType.NUMBER).value,
        }
        for item in card.responses
    ]
    rows = [*STANDING, *asked]
    for position, values in enumerate(rows):
        primary = values["name"] == card.responses[0].name if card.responses else position == 0
        edit.insert(RESPONSE, **_response(study, position, {**values, "primary": primary}))
    for position, text in enumerate((*customs.HELD_CONSTANT, *card.held)):
        edit.insert(HELD, study_id=study, position=position, text=text)
    seed = SeededOrder(study).below(1_000_000)
    insert_plan(edit, study, Plan(card.repeats, card.twins, seed, ORDER_VERSION, (), (), card.design))


def edit_study(book: LabBook, *, study_id: int, **values: str) -> Record | None:
    """Change the ``name`` or the ``question`` of a study."""
    if "name" in values:
        _needs(values["name"], "a name")
    return edit_open(
        book, f"edit the {' and '.join(values)}", lambda edit: edit.update(STUDY, study_id, **values)
    )


def remove_study(book: LabBook, *, study_id: int, name: str) -> Record | None:
    """Take a whole study out of the lab book; undo brings it back."""
    return book.edit(f"remove study {name}", lambda edit: edit.delete(STUDY, study_id))


def rename_arm(book: LabBook, *, arm_id: int, name: str) -> Record | None:
    """Rename an arm; two arms of a study cannot share a name."""
    _needs(name, "a name")

    def change(edit: Edit) -> None:
        study = edit.get(ARM, arm_id)["study_id"]
        if any(arm["id"] != arm_id and arm["name"] == name for arm in edit.rows(ARM, "study_id", study)):
            raise StoreError(f"Two arms would be called “{name}”; give each its own name.")
        edit.update(ARM, arm_id, name=name)

    return edit_open(book, f"name an arm {name}", change)


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
    """
    _needs(name, "a name for what differs")

    def change(edit: Edit) -> None:
        insert_factor(edit, study_id, kind, name.strip(), levels, disturbs)

    return edit_open(book, f"add what differs: {name.strip()}", change)


def insert_factor(
    edit: Edit, study_id: int, kind: str, name: str, levels: Sequence[str], disturbs: str = ""
) -> None:
    """Add a factor with its levels inside a larger edit."""
    # Its levels would belong to no arm that is printed.
    _keeps_arms(edit, study_id)
    _own_name(edit, FACTOR, "study_id", study_id, "name", name, "Something called “{}” differs already")
    if len({level.strip().casefold() for level in levels if level.strip()}) < sum(
        map(bool, map(str.strip, levels))
    ):
        raise StoreError(f"Two levels of {name} would be the same; give each a value of its own.")
    factor = edit.insert(
        FACTOR,
        study_id=study_id,
        position=_next(edit, FACTOR, study_id),
        kind=kind,
        name=name,
        disturbs=disturbs or customs.usually_disturbs(kind, name),
        disturbs_by_hand=bool(disturbs),
    )
    values = [*levels, "", ""][: max(2, len(levels))]
    rows = [
        {"factor_id": factor, "position": place, "value": value.strip()} for place, value in enumerate(values)
    ]
    edit.insert_all(LEVEL, rows)


def edit_factor(book: LabBook, *, factor_id: int, **values: Any) -> Record | None:
    """Change ``kind``, ``name`` or ``disturbs``.

    What a change disturbs follows from its kind and name, until it is set by hand.
    """
    if "name" in values:
        _needs(values["name"], "a name for what differs")

    def change(edit: Edit) -> None:
        if "name" in values:
            study = edit.get(FACTOR, factor_id)["study_id"]
            taken = "Something called “{}” differs already"
            _own_name(edit, FACTOR, "study_id", study, "name", values["name"], taken, factor_id)
            values["name"] = values["name"].strip()
        row = {**edit.get(FACTOR, factor_id), **values}
        if "disturbs" in values:
            values["disturbs_by_hand"] = True
        elif not row["disturbs_by_hand"]:
            values["disturbs"] = customs.usually_disturbs(row["kind"], row["name"])
        edit.update(FACTOR, factor_id, **values)

    return edit_open(book, "edit what differs", change)


def remove_factor(book: LabBook, *, factor_id: int, name: str) -> Record | None:
    """Take something out of what differs."""

    def change(edit: Edit) -> None:
        _keeps_arms(edit, edit.get(FACTOR, factor_id)["study_id"])
        edit.delete(FACTOR, factor_id)

    return edit_open(book, f"remove what differs: {name}", change)


def add_level(book: LabBook, *, factor_id: int, value: str) -> Record | None:
    """Add a level after the others."""
    _needs(value, "a value for the level")

    def change(edit: Edit) -> None:
        there = edit.rows(LEVEL, "factor_id", factor_id)
        _own_name(edit, LEVEL, "factor_id", factor_id, "value", value, "There is a level “{}” already")
        _keeps_arms(edit, edit.get(FACTOR, factor_id)["study_id"])
        empty = next((row for row in there if not row["value"]), None)
        if empty is not None:
            edit.update(LEVEL, empty["id"], value=value.strip())
            return
        position = max((row["position"] for row in there), default=-1) + 1
        edit.insert(LEVEL, factor_id=factor_id, position=position, value=value.strip())

    return edit_open(book, f"add level {value.strip()}", change)


def edit_level(book: LabBook, *, level_id: int, value: str, **values: Any) -> Record | None:
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
        ``how``, ``way_back``, ``minutes`` (to switch to it), ``cost``, ``mass_g``.

    Raises
    ------
    StoreError
        Minutes or a cost below zero, or a figure that is too large.
    """
    check_figures(value or "The level", {**values, "mass_g": abs(values.get("mass_g", 0.0))})

    def change(edit: Edit) -> None:
        row = edit.get(LEVEL, level_id)
        for other in edit.rows(LEVEL, "factor_id", row["factor_id"]):
            same = other["value"].strip().casefold() == value.strip().casefold()
            if value.strip() and same and other["id"] != level_id:
                edit.update(LEVEL, other["id"], value=row["value"])
        edit.update(LEVEL, level_id, value=value.strip(), **values)

    return edit_open(book, f"edit level {value}", change)


def move_level(book: LabBook, *, level_id: int, value: str, by: int) -> Record | None:
    """Move a level up (``by`` below zero) or down among those of its factor; the first is the baseline's.

    Raises
    ------
    StoreError
        Runs were started, so that the levels behind them stay.
    """

    def change(edit: Edit) -> None:
        factor = edit.get(LEVEL, level_id)["factor_id"]
        _keeps_arms(edit, edit.get(FACTOR, factor)["study_id"])
        order = sorted(edit.rows(LEVEL, "factor_id", factor), key=lambda row: (row["position"], row["id"]))
        ids = [int(row["id"]) for row in order]
        place = ids.index(level_id)
        ids.insert(max(0, min(len(ids) - 1, place + by)), ids.pop(place))
        for position, key in enumerate(ids):
            edit.update(LEVEL, key, position=position)

    return edit_open(book, f"move level {value}", change)


def remove_level(book: LabBook, *, level_id: int, value: str) -> Record | None:
    """Take a level out; two always stay."""

    def change(edit: Edit) -> None:
        factor = edit.get(LEVEL, level_id)["factor_id"]
        if len(edit.rows(LEVEL, "factor_id", factor)) <= 2:
            raise StoreError("A factor needs two levels; remove the whole factor instead.")
        _keeps_arms(edit, edit.get(FACTOR, factor)["study_id"])
        edit.delete(LEVEL, level_id)

    return edit_open(book, f"remove level {value}", change)


def set_control(book: LabBook, *, study_id: int, name: str, of_change: bool | None = None) -> Record | None:
    """Ask for a control arm, or for none with an empty name.

    A control arm has the baseline's levels and what its name says, such as the new part's
    mass taped to the old part; with ``of_change`` it has those of the change, such as the new
    part with the old weight. It is printed once in every block.
    """

    def change(edit: Edit) -> None:
        own = next(
            (row["id"] for row in edit.rows(ARM, "study_id", study_id) if row["role"] == "control"), None
        )
        _own_name(edit, ARM, "study_id", study_id, "name", name, "There is an arm “{}” already", own)
        controls = [row for row in edit.rows(ARM, "study_id", study_id) if row["role"] == ArmRole.CONTROL]
        if not controls and name.strip():
            edit.insert(
                ARM,
                study_id=study_id,
                name=name.strip(),
                is_baseline=False,
                role=ArmRole.CONTROL.value,
                of_change=bool(of_change),
            )
        for row in controls:
            if name.strip():
                side = row["of_change"] if of_change is None else of_change
                if side != row["of_change"]:
                    _keeps_arms(edit, study_id)
                edit.update(ARM, row["id"], name=name.strip(), of_change=side)
            elif edit.ids(RUN, "arm_id", row["id"]):
                raise StoreError("The control arm has runs already; draw the order anew without it first.")
            else:
                edit.delete(ARM, row["id"])

    return edit_open(book, "control arm" if name.strip() else "no control arm", change)


def _keeps_arms(edit: Edit, study_id: int) -> None:
    """Once runs were started, the levels behind them stay."""
    if any(row["started"] or row["set_aside"] for row in edit.rows(RUN, "study_id", study_id)):
        raise StoreError("Runs were started already, so the levels behind them stay.")


def add_response(
    book: LabBook, *, study_id: int, name: str, unit: str, type: ResponseType, better: str = "lower"
) -> Record | None:
    """Add something to measure or grade; the first one that is added decides."""
    _needs(name, "a name")

    def change(edit: Edit) -> None:
        there = edit.rows(RESPONSE, "study_id", study_id)
        values: dict[str, Any] = {
            "name": _free_name(edit, {"id": None, "study_id": study_id}, name),
            "unit": unit.strip(),
            "type": type.value,
            "better": better,
        }
        values["primary"] = not any(row["primary"] for row in there)
        edit.insert(RESPONSE, **_response(study_id, _next(edit, RESPONSE, study_id), values))

    return edit_open(book, f"add response {name.strip()}", change)


def edit_response(book: LabBook, *, response_id: int, name: str, **values: Any) -> Record | None:
    """Change a response.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    response_id : int
        Which one.
    name : str
        Its name now, for the title of the edit.
    **values
        ``rename`` (a new name), ``unit``, ``better``, ``target``, ``margin``, ``resolution`` or
        ``primary``, ``noise_sd`` or ``noise_df``. A margin that is changed after the
        verdict was seen is marked as moved for good.

    Raises
    ------
    StoreError
        A margin or step that is not above zero, a name that is taken or empty, or another
        unit for readings that are there already.
    """
    for field, word in (
        ("margin", "margin"),
        ("resolution", "instrument’s step"),
        ("noise_sd", "standard deviation"),
        ("noise_df", "number of degrees of freedom"),
    ):
        if values.get(field) is None:
            continue
        if not values[field] >= SMALLEST_FIGURE:
            raise StoreError(f"The {word} of {name} must be above zero; leave it empty to have none.")
        if values[field] > LARGEST_FIGURE:
            raise StoreError(f"The {word} of {name} is too large; check the unit.")

    def change(edit: Edit) -> None:
        row = edit.get(RESPONSE, response_id)
        if "rename" in values:
            values["name"] = _free_name(edit, row, values.pop("rename"))
        if values.get("unit", row["unit"]) != row["unit"] and edit.ids(READING, "response_id", response_id):
            raise StoreError(f"{name} has readings in {row['unit']} already, so its unit stays.")
        seen = any(look["what"] != LookAt.ARMS for look in edit.rows(LOOK, "study_id", row["study_id"]))
        if seen and "margin" in values and values["margin"] != row["margin"]:
            values["margin_moved"] = True
        if values.get("primary"):
            for other in edit.ids(RESPONSE, "study_id", row["study_id"]):
                edit.update(RESPONSE, other, primary=False)
        if values.get("better", row["better"]) != "target":
            values["target"] = None
        edit.update(RESPONSE, response_id, **values)

    words = {
        "noise_sd": "noise floor",
        "noise_df": "noise floor",
        "resolution": "step",
        "rename": "name",
        "primary": "what decides to",
    }
    shown = ", ".join(words.get(field, field) for field in values)
    return edit_open(book, f"edit {shown} of {name}", change)


def _free_name(edit: Edit, row: Row, wanted: str) -> str:
    _needs(wanted, "a name")
    for other in edit.rows(RESPONSE, "study_id", row["study_id"]):
        if other["id"] != row["id"] and other["name"].casefold() == wanted.strip().casefold():
            raise StoreError(f"There is a response called “{wanted.strip()}” already; choose another name.")
    return wanted.strip()


def remove_response(book: LabBook, *, response_id: int, name: str) -> Record | None:
    """Stop measuring something; its readings go too, and undo brings them back."""
    return edit_open(book, f"remove response {name}", lambda edit: edit.delete(RESPONSE, response_id))


def add_held(book: LabBook, *, study_id: int, text: str) -> Record | None:
    """Add to what must stay the same."""
    _needs(text, "what must stay the same")

    def change(edit: Edit) -> None:
        position = _next(edit, HELD, study_id)
        edit.insert(HELD, study_id=study_id, position=position, text=text.strip())

    return edit_open(book, "add to what must stay the same", change)


def edit_held(book: LabBook, *, held_id: int, text: str) -> Record | None:
    """Reword a line of what must stay the same."""
    _needs(text, "what must stay the same")
    return edit_open(
        book, "reword what must stay the same", lambda edit: edit.update(HELD, held_id, text=text)
    )


def remove_held(book: LabBook, *, held_id: int) -> Record | None:
    """Take a line out of what must stay the same."""
    return edit_open(book, "remove from what must stay the same", lambda edit: edit.delete(HELD, held_id))


def _response(study_id: int, position: int, values: dict[str, Any]) -> dict[str, Any]:
    standard = {"type": ResponseType.NUMBER.value, "combine": Combine.MEAN.value, "primary": False}
    return {"study_id": study_id, "position": position, **standard, **values}


def _next(edit: Edit, table: Table, study_id: int) -> int:
    return max((row["position"] for row in edit.rows(table, "study_id", study_id)), default=-1) + 1


def _own_name(
    edit: Edit,
    table: Table,
    parent: str,
    parent_id: int,
    column: str,
    wanted: str,
    taken: str,
    own: int | None = None,
) -> None:
    """Refuse a name that another row of the same parent has; empty ones may repeat."""
    for row in edit.rows(table, parent, parent_id):
        same = row[column].strip().casefold() == wanted.strip().casefold()
        if wanted.strip() and same and row["id"] != own:
            raise StoreError(f"{taken.format(wanted.strip())}; choose another name.")


def _needs(text: str, what: str) -> None:
    if not text.strip():
        raise StoreError(f"Please type {what} first.")
