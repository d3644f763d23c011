"""Three studies of the demo that go on from one another, as far as a third that waits to be planned."""

from __future__ import annotations

from typing import Final

import numpy as np

from oddtwin import operations
from oddtwin.core.judgement import analyse
from oddtwin.core.quantities import read_moment
from oddtwin.core.study import DecisionKind, FollowUp, LookAt
from oddtwin.demo.prints import Effect, Printing
from oddtwin.demo.workshop import Question, ask, new_id
from oddtwin.store import LabBook, known_noise, load_study

SEED: Final = 20260118
SPOOL: Final = "PLA slate blue, lot 12"
_EFFECTS: Final = {
    "Print time": Effect(88.0, 0.9, change=-13.5),
    "Part mass": Effect(29.5, 0.15, change=-3.4),
    "Waste": Effect(1.1, 0.06),
    "Force at 2 mm bend": Effect(14.2, 0.5, change=-0.9),
}


def tell_chain(book: LabBook, shop: dict[str, int]) -> None:
    """Less infill: weighed up and adopted, tried on the next machine, then narrowed down.

    Parameters
    ----------
    book : LabBook
        The demo.
    shop : dict of str to int
        Ids of its machines and pieces.
    """
    rng = np.random.default_rng(SEED)
    first = ask(
        book,
        Question(
            name="Less infill in the drawer divider",
            question="How much stiffness does the drawer divider lose with 15 % infill, and what does "
            "it save?",
            factor=("slicer setting", "infill", "30 %", "15 %"),
            numbers=(("Force at 2 mm bend", "N", "higher", 2.0, 0.1),),
            primary="Force at 2 mm bend",
            margins={"Print time": 5.0, "Part mass": 1.0, "Waste": 0.5},
        ),
    )
    _draw(book, first, [shop["Marlow"]], shop["Drawer divider"], seed=5021)
    Printing(book, first, rng, SPOOL, "2026-01-19").make(_EFFECTS)
    adopt_seen(
        book,
        first,
        "A tenth of the plastic and a quarter of an hour, and it bends no further than matters.",
        condition="only for dividers under 200 mm",
        verify_weeks=6.0,
        at="2026-01-24T20:10:00",
    )
    second = new_id(operations.go_on(book, study_id=first, kind=FollowUp.NEXT_MACHINE), "study")
    _draw(book, second, [shop["Tessel"]], shop["Drawer divider"], seed=5022)
    Printing(book, second, rng, SPOOL, "2026-01-26").make(_EFFECTS)
    adopt_seen(book, second, "The same on the second machine.", at="2026-01-31T20:40:00")
    operations.go_on(book, study_id=second, kind=FollowUp.MIDDLE)


def _draw(book: LabBook, study: int, machines: list[int], piece: int, seed: int) -> None:
    operations.draw_runs(
        book,
        study_id=study,
        repeats=5,
        twins=3,
        seed=seed,
        machine_ids=machines,
        piece_ids=[piece],
        spools=[SPOOL],
    )


def adopt_seen(
    book: LabBook, study_id: int, reason: str, condition: str = "", verify_weeks: float = 0.0, at: str = ""
) -> None:
    """Adopt a change as a person does: after a look at what was found, which is remembered with it.

    Parameters
    ----------
    book : LabBook
        The demo.
    study_id : int
        Printed and measured.
    reason, condition : str
        Why, and where it holds.
    verify_weeks : float
        After so many the baseline is due again; 0 for never.
    at : str
        When, as ISO 8601; now where it is empty.
    """
    operations.reveal(book, study_id=study_id, what=LookAt.VERDICT, who="Ada")
    with book.reading() as connection:
        study = load_study(connection, study_id)
        lent = known_noise(connection, study)
    operations.settle(
        book,
        study_id=study_id,
        kind=DecisionKind.ADOPT,
        reason=reason,
        condition=condition,
        verify_weeks=verify_weeks,
        analysis=analyse(study, lent.get),
        at=read_moment(at) if at else None,
    )
