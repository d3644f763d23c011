"""Edits of what is measured or graded."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Final, TypedDict, Unpack

from oddtwin.core.language import mark, shown, tr
from oddtwin.core.readings import Combine, ResponseKind
from oddtwin.core.study import LookAt, Role
from oddtwin.operations.checking import needs, next_position, own_name
from oddtwin.operations.settled import edit_open
from oddtwin.store import Edit, LabBook, Record, StoreError
from oddtwin.store.record import Row
from oddtwin.store.schema import LOOK, READING, RESPONSE, RESPONSE_PIECE

SMALLEST_FIGURE: Final = 1e-12

LARGEST_FIGURE: Final = 1e12
"""Margins, steps and scatter beyond these are slips of the keys."""


STANDING: Final[tuple[dict[str, Any], ...]] = (
    {
        "name": mark("Print time"),
        "unit": "min",
        "role": Role.TIME.value,
        "better": "lower",
        "subject": "plate",
    },
    {"name": mark("Part mass"), "unit": "g", "role": Role.PART.value, "better": ""},
    {
        "name": mark("Waste"),
        "unit": "g",
        "role": Role.WASTE.value,
        "better": "lower",
        "combine": "sum",
        "subject": "plate",
    },
)
"""Every new study asks for these: time, plastic in the part, plastic wasted."""

STANDING_NAMES: Final[dict[str, str]] = {one["role"]: one["name"] for one in STANDING}

FIGURES: Final = (
    ("margin", "margin"),
    ("resolution", mark("instrument’s step")),
    ("noise_sd", mark("standard deviation")),
    ("noise_df", mark("number of degrees of freedom")),
)
"""Figures of a response that are above zero, and what a person calls them."""

SAID: Final = {
    "noise_sd": mark("noise floor"),
    "noise_df": mark("noise floor"),
    "resolution": "step",
    "rename": "name",
    "primary": mark("what decides to"),
    "subject": mark("what is read"),
    "piece_ids": "pieces",
    "combine": mark("value of a print"),
    "onset": mark("grade of the onset"),
    "accept": "limit",
    "guard": mark("what is asked"),
    "percent": mark("unit of the margin"),
    "covariate": mark("what it is for"),
}
"""What a person calls a field that is edited."""


def add_response(
    book: LabBook,
    *,
    study_id: int,
    name: str,
    unit: str,
    kind: ResponseKind,
    better: str = "lower",
    words: Sequence[str] = (),
    margin: float | None = None,
) -> Record | None:
    """Add something to measure or grade; the first one that is added decides.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id : int
        Which study.
    name, unit : str
        What is measured, and in which unit; only what is measured has one.
    kind : ResponseKind
        What a reading is.
    better : str
        ``lower``, ``higher``, ``target`` or empty; words have no better.
    words : sequence of str
        Of a word: what can be chosen.
    margin : float, optional
        The smallest difference that matters, in the unit.

    Raises
    ------
    StoreError
        The name is missing or taken, or a word has fewer than two words to choose from.
    """
    needs(name, tr("a name"))
    listed = [word.strip() for word in words if word.strip()]
    few = len({word.casefold() for word in listed}) < 2
    if kind is ResponseKind.WORD and few:
        raise StoreError(
            tr("Please type the words to choose from, apart by commas, such as matt, satin, glossy.")
        )

    def change(edit: Edit) -> None:
        there = edit.rows(RESPONSE, "study_id", study_id)
        values: dict[str, Any] = {
            "name": _response_name(edit, study_id, name),
            "unit": unit.strip() if kind.has_unit else "",
            "kind": kind.value,
            "better": "" if kind is ResponseKind.WORD else better,
            "combine": _usual(kind).value,
            "words": listed if kind is ResponseKind.WORD else [],
        }
        values["primary"] = not any(row["primary"] for row in there)
        if margin is not None:
            values["margin"] = margin
        edit.insert(RESPONSE, **response_row(study_id, next_position(edit, RESPONSE, study_id), values))

    return edit_open(book, tr("add response {name}", name=name.strip()), change)


def add_standing_response(book: LabBook, *, study_id: int, name: str) -> Record | None:
    """Add one of the responses that every study begins with, which was taken out before.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id : int
        Which study.
    name : str
        Of the response: print time, part mass, waste.

    Raises
    ------
    StoreError
        No study begins with it, or the study has one of that name.
    """
    values = next((one for one in STANDING if name in (one["name"], shown(one["name"]))), None)
    if values is None:
        raise StoreError(tr("No study begins with “{name}”.", name=name))

    def change(edit: Edit) -> None:
        _response_name(edit, study_id, name)
        edit.insert(RESPONSE, **response_row(study_id, next_position(edit, RESPONSE, study_id), values))

    return edit_open(book, tr("add response {name}", name=name), change)


def _usual(kind: ResponseKind) -> Combine:
    """Return how the spots of a print usually become its value: of a fault, the worst is what is seen."""
    return {ResponseKind.COUNT: Combine.SUM, ResponseKind.GRADE: Combine.WORST}.get(kind, Combine.MEAN)


class ResponseParts(TypedDict, total=False):
    """What can be changed of a response; figures in its unit, None for none."""

    rename: str
    unit: str
    better: str
    target: float | None
    margin: float | None
    resolution: float | None
    primary: bool
    noise_sd: float | None
    noise_df: float | None
    subject: str
    combine: str
    onset: float | None
    accept: float | None
    guard: bool
    percent: bool
    instrument: str
    covariate: bool
    piece_ids: list[int]


def edit_response(
    book: LabBook, *, response_id: int, name: str, **values: Unpack[ResponseParts]
) -> Record | None:
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
        What is changed. A margin that is changed after the verdict was seen is marked as moved
        for good.

    Raises
    ------
    StoreError
        A margin or step that is not above zero, a name that is taken or empty, or another
        unit or subject for readings that are there already.
    """
    _check_figures(name, values)

    def change(edit: Edit) -> None:
        row = edit.get(RESPONSE, response_id)
        changed: Row = {**values}
        if "rename" in changed:
            changed["name"] = _response_name(edit, row["study_id"], changed.pop("rename"), response_id)
        _keep_what_was_read(edit, row, name, changed)
        if "covariate" in changed:
            changed["role"] = _covariate(row, name, changed.pop("covariate"))
        if "percent" in changed and changed["percent"] != row["percent"]:
            # What was a number of grams is no number of percent.
            changed |= {"margin": None, "noise_sd": None, "noise_df": None}
        seen = any(look["what"] != LookAt.ARMS for look in edit.rows(LOOK, "study_id", row["study_id"]))
        if seen and "margin" in changed and changed["margin"] != row["margin"]:
            changed["margin_moved"] = True
        if changed.get("primary") and row["role"] == Role.COVARIATE:
            raise StoreError(
                tr("{name} only goes along and is not judged; let it be judged first.", name=name)
            )
        if changed.get("primary"):
            for other in edit.ids(RESPONSE, "study_id", row["study_id"]):
                edit.update(RESPONSE, other, primary=False)
        if changed.get("better", row["better"]) != "target":
            changed["target"] = None
        if "piece_ids" in changed:
            _choose_pieces(edit, response_id, changed.pop("piece_ids"))
        edit.update(RESPONSE, response_id, **changed)

    told = ", ".join(shown(SAID.get(field, field)) for field in values)
    return edit_open(book, tr("edit {shown} of {name}", shown=told, name=name), change)


def _covariate(row: Row, name: str, covariate: bool) -> str:
    """Return the role of what is, or is no longer, a covariate."""
    if covariate and row["primary"]:
        raise StoreError(tr("{name} decides, so it is judged; mark another response first.", name=name))
    if covariate and row["role"] not in ("", Role.COVARIATE):
        raise StoreError(tr("{name} is what a print takes, and is judged.", name=name))
    if covariate and not ResponseKind(row["kind"]).measured:
        raise StoreError(
            tr("{name} is no measured figure; only a figure can be taken out of others.", name=name)
        )
    return Role.COVARIATE.value if covariate else ""


def _check_figures(name: str, values: Mapping[str, Any]) -> None:
    for field, word in FIGURES:
        figure = values.get(field)
        if figure is None:
            continue
        if not figure >= SMALLEST_FIGURE:
            raise StoreError(
                tr(
                    "The {word} of {name} must be above zero; leave it empty to have none.",
                    word=word,
                    name=name,
                )
            )
        if figure > LARGEST_FIGURE:
            raise StoreError(tr("The {word} of {name} is too large; check the unit.", word=word, name=name))


def _keep_what_was_read(edit: Edit, row: Row, name: str, changed: Mapping[str, Any]) -> None:
    """Refuse another meaning for readings that are there."""
    if not edit.ids(READING, "response_id", row["id"]):
        return
    if changed.get("unit", row["unit"]) != row["unit"]:
        raise StoreError(
            tr("{name} has readings in {row} already, so its unit stays.", name=name, row=row["unit"])
        )
    if changed.get("subject", row["subject"]) != row["subject"]:
        raise StoreError(
            tr(
                "{name} has readings of the {row} already, so what is read stays.",
                name=name,
                row=row["subject"],
            )
        )


def _choose_pieces(edit: Edit, response_id: int, piece_ids: Sequence[int]) -> None:
    for link in edit.ids(RESPONSE_PIECE, "response_id", response_id):
        edit.delete(RESPONSE_PIECE, link)
    edit.insert_all(RESPONSE_PIECE, [{"response_id": response_id, "piece_id": key} for key in piece_ids])


def _response_name(edit: Edit, study_id: int, wanted: str, own: int | None = None) -> str:
    """Return a name, typed, that no other response of the study has."""
    needs(wanted, tr("a name"))
    own_name(
        edit,
        RESPONSE,
        "study_id",
        study_id,
        "name",
        wanted,
        tr("There is a response called “{}” already"),
        own,
    )
    return wanted.strip()


def remove_response(book: LabBook, *, response_id: int, name: str) -> Record | None:
    """Stop measuring something; its readings go too, and undo brings them back."""
    return edit_open(
        book, tr("remove response {name}", name=name), lambda edit: edit.delete(RESPONSE, response_id)
    )


def response_row(study_id: int, position: int, values: dict[str, Any]) -> dict[str, Any]:
    """Return the columns of a new response."""
    kind = ResponseKind(values.get("kind", ResponseKind.QUANTITY))
    standard = {"kind": kind.value, "combine": _usual(kind).value, "primary": False}
    named = {"name": shown(values["name"])}
    return {"study_id": study_id, "position": position, **standard, **values, **named}
