"""The demo's invented workshop: machines, pieces, and how its questions are asked."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from oddtwin import operations
from oddtwin.core.readings import ResponseKind
from oddtwin.store import LabBook, Record, load_study

_RING = ["Stringing", "Blobs", "Overhang droop", "Elephant’s foot", "Lifted corners"]
_CASE = ["Seam", "Ridges on top", "Tight or loose fit", "Layer splitting", "Seam visible"]
_TAG = ["Melted tips", "Colour bleed", "Rounded letters", "Soft edges"]
_DIVIDER = ["Ringing", "Ridges on the face", "Vertical banding", "Tight or loose fit"]

Numbers = tuple[tuple[str, str, str, float, float], ...]


@dataclass(frozen=True, slots=True)
class Question:
    """What one demo study asks.

    ``factor`` is kind, name, and its levels, the baseline's first; ``numbers`` are name, unit,
    direction, margin and instrument's step; ``grades`` are name and margin; ``others`` name, kind
    and words to choose from; ``margins`` those of the standing responses.
    """

    name: str
    question: str
    factor: tuple[str, ...]
    numbers: Numbers = ()
    grades: tuple[tuple[str, float], ...] = ()
    others: tuple[tuple[str, ResponseKind, tuple[str, ...]], ...] = ()
    primary: str = ""
    margins: Mapping[str, float] = field(default_factory=dict)


def furnish(book: LabBook) -> dict[str, int]:
    """Add machines and pieces; returns their ids by name."""
    ids = {}
    for machine, overhead_min, power_w in (("Marlow", 7.0, 130.0), ("Tessel", 9.0, 165.0)):
        ids[machine] = new_id(operations.add_machine(book, name=machine), "machine")
        operations.edit_machine(
            book,
            machine_id=ids[machine],
            name=machine,
            overhead_min=overhead_min,
            power_w=power_w,
            cost_per_h=0.35,
        )
    _stock(book)
    pieces = (
        ("Lamp ring", ["ribs", "rim", "underside"], 104.0, 38.0, 1.6, _RING),
        ("Spectacle case", ["lid", "hinge", "back", "base"], 171.0, 52.0, 2.3, _CASE),
        ("Key tag", ["face", "edge", "hole"], 19.0, 1.6, 1.2, _TAG),
        ("Drawer divider", ["face", "tongue", "top edge"], 88.0, 29.5, 1.1, _DIVIDER),
    )
    for name, zones, minutes, part_g, waste_g, faults in pieces:
        record = operations.add_piece(
            book, name=name, zones=zones, minutes=minutes, part_g=part_g, waste_g=waste_g, faults=faults
        )
        ids[name] = new_id(record, "piece")
    operations.edit_piece(
        book,
        piece_id=ids["Drawer divider"],
        name="Drawer divider",
        sizes=[{"name": "tongue", "mm": 3.2}, {"name": "length", "mm": 148.0}],
    )
    operations.set_estimate(
        book,
        piece_id=ids["Drawer divider"],
        machine_id=ids["Tessel"],
        name="Drawer divider",
        minutes=79.0,
    )
    operations.log_machine_change(
        book,
        machine_id=ids["Tessel"],
        kind="calibration",
        what="extruder steps",
        before="402 steps/mm",
        after="409.6 steps/mm",
        note="six strands of 100 mm, scatter 0.4 mm",
    )
    return ids


def _stock(book: LabBook) -> None:
    """Say what the workshop pays, and which spools it has."""
    operations.edit_rates(book, energy_per_kwh=0.31, labour_per_h=24.0)
    for spool, price, left_g in (
        ("PETG smoke grey, lot 7", 24.0, 610.0),
        ("PLA chalk white, lot 3", 21.5, 930.0),
        ("PLA slate blue, lot 12", 21.5, 240.0),
    ):
        record = operations.add_spool(book, name=spool)
        material = spool.split()[0]
        operations.edit_spool(
            book,
            spool_id=new_id(record, "spool"),
            name=spool,
            price_per_kg=price,
            left_g=left_g,
            material=material,
        )


def ask(book: LabBook, asked: Question) -> int:
    """Carry one question through Ask; returns the study's id."""
    study_id = new_id(operations.add_study(book, name=asked.name), "study")
    operations.edit_study(book, study_id=study_id, question=asked.question)
    kind, name, *levels = asked.factor
    operations.add_factor(book, study_id=study_id, kind=kind, name=name, levels=levels)
    for number, unit, better, margin, step in asked.numbers:
        record = operations.add_response(
            book, study_id=study_id, name=number, unit=unit, kind=ResponseKind.QUANTITY
        )
        operations.edit_response(
            book,
            response_id=new_id(record, "response"),
            name=number,
            better=better,
            target=0.0 if better == "target" else None,
            margin=margin,
            resolution=step,
        )
    for grade, margin in asked.grades:
        record = operations.add_response(
            book, study_id=study_id, name=grade, unit="", kind=ResponseKind.GRADE
        )
        operations.edit_response(book, response_id=new_id(record, "response"), name=grade, margin=margin)
    for other, kind_of, words in asked.others:
        operations.add_response(
            book, study_id=study_id, name=other, unit="", kind=kind_of, better="higher", words=words
        )
    _margins(book, study_id, asked)
    return study_id


def _margins(book: LabBook, study_id: int, asked: Question) -> None:
    with book.reading() as connection:
        responses = {item.name: item.id for item in load_study(connection, study_id).responses}
    for name, margin in asked.margins.items():
        operations.edit_response(book, response_id=responses[name], name=name, margin=margin)
    if asked.primary:
        operations.edit_response(book, response_id=responses[asked.primary], name=asked.primary, primary=True)


def new_id(record: Record | None, table: str) -> int:
    """Return the id of what an operation added; it is sure to have added something."""
    if record is None:
        raise RuntimeError(f"no {table} was added")
    return record.new_id(table)
