"""The demo's plate that is in the machine: several key tags, and a clock that runs."""

from __future__ import annotations

from datetime import timedelta
from typing import Final

from oddtwin import operations
from oddtwin.core.design import Design
from oddtwin.core.quantities import now
from oddtwin.core.study import EventKind
from oddtwin.demo.workshop import Question, ask
from oddtwin.store import LabBook, load_study

NAME: Final = "A sock on the heater block, four tags on a plate"
COPIES: Final = 4


def plan_plates(book: LabBook, shop: dict[str, int]) -> None:
    """Plan plates of four key tags each; nothing of them is printed yet."""
    study = ask(
        book,
        Question(
            name=NAME,
            question="Does a sock on the heater block leave the edges of the key tag softer?",
            factor=("part", "sock on the heater block", "none", "silicone"),
            grades=(("Soft edges", 1.0),),
            primary="Soft edges",
            margins={"Print time": 3.0, "Waste": 0.5},
        ),
    )
    operations.draw_runs(
        book,
        study_id=study,
        repeats=3,
        twins=0,
        seed=612,
        machine_ids=[shop["Marlow"]],
        piece_ids=[shop["Key tag"]],
        design=Design(copies=COPIES),
    )
    operations.put_container(book, name="small bowl", tare_g=21.4)


def begin_plate(book: LabBook) -> None:
    """Start the first of those plates, with what happened meanwhile; a fresh copy moves its clock.

    Parameters
    ----------
    book : LabBook
        The demo, with its plates planned.
    """
    study_id = next(item.id for item in book.summaries() if item.name == NAME)
    with book.reading() as connection:
        run = load_study(connection, study_id).runs[0]
    begun, run_id, code = now() - timedelta(hours=1), run.id, run.code
    operations.edit_run(book, run_id=run_id, code=code, spool="PETG smoke grey, lot 7", operator="Ines")
    operations.edit_plate(book, run_id=run_id, code=code, bed_cleaned=True)
    room = operations.Room(21.6, 43.0)
    operations.start_run(book, run_id=run_id, code=code, at=begun, room=room)
    for kind, minutes, z_mm in ((EventKind.FIRST_LAYER, 6, None), (EventKind.NOISE, 31, 1.4)):
        at = begun + timedelta(minutes=minutes)
        operations.note_event(book, run_id=run_id, code=code, kind=kind, at=at, z_mm=z_mm)
