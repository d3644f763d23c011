"""A first study to be walked through in the demo: one pair, played, and judged by what is known of twins."""

from __future__ import annotations

from datetime import timedelta
from typing import Final

import numpy as np

from oddtwin import operations
from oddtwin.core.customs import ChangeKind
from oddtwin.core.quantities import now
from oddtwin.core.study import Role, RunState, Study
from oddtwin.store import LabBook, load_machines, load_pieces, load_study

NAME: Final = "Your first study: thicker layers for the lamp ring"
QUESTION: Final = "Do layers of 0.28 mm print the lamp ring sooner, by enough to matter?"
_LEVELS: Final = ("0.20 mm", "0.28 mm")
_MINUTES: Final = (104.0, 79.0)
_GRAMS: Final = (38.0, 38.4)
_WASTE_G: Final = 1.6
_SCATTER: Final = 0.004
"""Share that two prints of one arm differ by."""
_MARGIN_MIN: Final = 5.0
_LATER: Final = timedelta(minutes=20)


def begin_guided(book: LabBook) -> int:
    """Add the study with its question, and return its id; nothing of it is drawn yet.

    Parameters
    ----------
    book : LabBook
        The demo, open for writing.
    """
    record = operations.add_study(book, name=NAME)
    assert record is not None
    study_id = record.new_id("study")
    operations.edit_study(book, study_id=study_id, question=QUESTION)
    operations.add_factor(
        book, study_id=study_id, kind=ChangeKind.SETTING, name="layer height", levels=_LEVELS
    )
    timed = next(one for one in _study(book, study_id).responses if one.role is Role.TIME)
    operations.edit_response(book, response_id=timed.id, name=timed.name, margin=_MARGIN_MIN, primary=True)
    return study_id


def draw_guided(book: LabBook, study_id: int) -> None:
    """Draw one pair of it, on a machine and with a piece whose noise floor the demo knows."""
    with book.reading() as connection:
        machine = next(one.id for one in load_machines(connection) if one.name == "Marlow")
        piece = next(one.id for one in load_pieces(connection) if one.name == "Lamp ring")
    operations.draw_runs(
        book, study_id=study_id, repeats=1, twins=0, seed=7, machine_ids=[machine], piece_ids=[piece]
    )


def play_next(book: LabBook, study_id: int, seed: int) -> str:
    """Print and measure the next run by simulated machine and scale; returns its code, or nothing.

    Parameters
    ----------
    book : LabBook
        Open for writing.
    study_id : int
        Which study.
    seed : int
        Of the scatter.
    """
    study = _study(book, study_id)
    waiting = [run for run in study.runs if run.state is RunState.PLANNED]
    if not waiting:
        return ""
    run = min(waiting, key=lambda one: one.position)
    rng = np.random.default_rng([seed, run.position])
    change = int(not study.arm_of(run).is_baseline)
    minutes = _MINUTES[change] * (1 + _SCATTER * float(rng.normal()))
    # As if they had been printed one after the other, and the last one was done a while ago.
    begun = now() - len(waiting) * (timedelta(minutes=max(_MINUTES)) + _LATER)
    operations.start_run(book, run_id=run.id, code=run.code, at=begun)
    operations.finish_run(book, run_id=run.id, code=run.code, at=begun + timedelta(minutes=minutes))
    read = {
        Role.TIME: minutes,
        Role.PART: _GRAMS[change] * (1 + _SCATTER * float(rng.normal())),
        Role.WASTE: _WASTE_G + 0.1 * float(rng.integers(-1, 2)),
    }
    for response in study.responses:
        if response.role in read:
            operations.enter_readings(
                book,
                run_id=run.id,
                response_id=response.id,
                values=[round(read[response.role], 1)],
                title=f"{response.name} of run {run.code}",
            )
    return run.code


def _study(book: LabBook, study_id: int) -> Study:
    with book.reading() as connection:
        return load_study(connection, study_id)
