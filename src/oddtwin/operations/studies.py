"""Edits of the question: arms, factors, responses, and what must stay the same."""

from __future__ import annotations

from typing import TypedDict, Unpack

from oddtwin.core import customs
from oddtwin.core.customs import QuestionCard
from oddtwin.core.design import ORDER_VERSION, SeededOrder
from oddtwin.core.language import shown, tr
from oddtwin.core.quantities import now, write_moment
from oddtwin.core.readings import ResponseKind
from oddtwin.core.study import ArmRole, Plan, tidy_tags
from oddtwin.operations.checking import needs, next_position
from oddtwin.operations.factors import insert_factor
from oddtwin.operations.plans import insert_plan
from oddtwin.operations.responses import STANDING, response_row
from oddtwin.operations.settled import edit_open
from oddtwin.store import Edit, LabBook, Record
from oddtwin.store.schema import ARM, HELD, RESPONSE, STUDY


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

    Raises
    ------
    StoreError
        The name is missing.
    """
    needs(name, tr("a name"))

    def change(edit: Edit) -> None:
        created = write_moment(now())
        study = edit.insert(STUDY, name=name.strip(), created=created)
        edit.insert(ARM, study_id=study, name=tr("Baseline"), is_baseline=True)
        edit.insert(ARM, study_id=study, name=tr("Change"), is_baseline=False)
        if card is not None:
            _fill_from_card(edit, study, card)
            return
        for position, values in enumerate(STANDING):
            edit.insert(RESPONSE, **response_row(study, position, values))
        for position, text in enumerate(customs.HELD_CONSTANT):
            edit.insert(HELD, study_id=study, position=position, text=shown(text))

    return book.edit(tr("new study {name}", name=name.strip()), change)


def _fill_from_card(edit: Edit, study: int, card: QuestionCard) -> None:
    edit.update(STUDY, study, question=shown(card.question))
    for factor in card.factors:
        insert_factor(edit, study, factor.kind, shown(factor.name), tuple(map(shown, factor.levels)))
    if card.control:
        edit.insert(
            ARM, study_id=study, name=shown(card.control), is_baseline=False, role=ArmRole.CONTROL.value
        )
    asked = [
        {
            "name": shown(item.name),
            "unit": item.unit,
            "better": item.better,
            "target": 0.0 if item.better == "target" else None,
            "kind": (ResponseKind.GRADE if item.graded else ResponseKind.QUANTITY).value,
        }
        for item in card.responses
    ]
    rows = [*STANDING, *asked]
    for position, values in enumerate(rows):
        primary = values["name"] == shown(card.responses[0].name) if card.responses else position == 0
        edit.insert(RESPONSE, **response_row(study, position, {**values, "primary": primary}))
    for position, text in enumerate((*customs.HELD_CONSTANT, *card.held)):
        edit.insert(HELD, study_id=study, position=position, text=shown(text))
    seed = SeededOrder(study).below(1_000_000)
    insert_plan(edit, study, Plan(card.repeats, card.twins, seed, ORDER_VERSION, (), (), card.design))


class StudyWords(TypedDict, total=False):
    """Name and question of a study."""

    name: str
    question: str


def edit_study(book: LabBook, *, study_id: int, **values: Unpack[StudyWords]) -> Record | None:
    """Change the words of a study; an empty name is refused.

    Raises
    ------
    StoreError
        The name is missing.
    """
    if "name" in values:
        needs(values["name"], tr("a name"))
    return edit_open(
        book,
        tr("edit the {values}", values=tr(" and ").join(values)),
        lambda edit: edit.update(STUDY, study_id, **values),
    )


def tag_study(book: LabBook, *, study_id: int, text: str) -> Record | None:
    """File a study under some tags, also one that is settled.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id : int
        Which study.
    text : str
        Apart by commas; empty for none.
    """
    tags = ", ".join(tidy_tags(text))
    return book.edit(tr("file a study under tags"), lambda edit: edit.update(STUDY, study_id, tags=tags))


def remove_study(book: LabBook, *, study_id: int, name: str) -> Record | None:
    """Take a whole study out of the lab book; undo brings it back."""
    return book.edit(tr("remove study {name}", name=name), lambda edit: edit.delete(STUDY, study_id))


def add_held(book: LabBook, *, study_id: int, text: str) -> Record | None:
    """Add to what must stay the same.

    Raises
    ------
    StoreError
        The text is missing.
    """
    needs(text, tr("what must stay the same"))

    def change(edit: Edit) -> None:
        position = next_position(edit, HELD, study_id)
        edit.insert(HELD, study_id=study_id, position=position, text=text.strip())

    return edit_open(book, tr("add to what must stay the same"), change)


def edit_held(book: LabBook, *, held_id: int, text: str) -> Record | None:
    """Reword a line of what must stay the same.

    Raises
    ------
    StoreError
        The text is missing.
    """
    needs(text, tr("what must stay the same"))
    return edit_open(
        book, tr("reword what must stay the same"), lambda edit: edit.update(HELD, held_id, text=text)
    )


def remove_held(book: LabBook, *, held_id: int) -> Record | None:
    """Take a line out of what must stay the same."""
    return edit_open(book, tr("remove from what must stay the same"), lambda edit: edit.delete(HELD, held_id))
