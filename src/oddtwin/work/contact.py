"""A contact sheet: all prints in one view, as one page without a network."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.photo import Picture
from oddtwin.store import LabBook, filled_page
from oddtwin.work.derived import small_copy
from oddtwin.work.photos import PhotoError, encoded


class Cell(NamedTuple):
    """One photograph of a contact sheet, and what stands below it."""

    label: str
    picture: Picture


def contact_page(title: str, cells: Sequence[Cell]) -> str:
    """Return a contact sheet as HTML, with its pictures inside and nothing of the camera beside them.

    Parameters
    ----------
    title : str
        Above the pictures.
    cells : sequence of Cell
        In the order in which they are shown.
    """
    told = [{"label": cell.label, "picture": encoded(cell.picture)} for cell in cells]
    return filled_page(Path(__file__).with_name("contact.html"), title=title, cells=told)


def small_cells(
    book: LabBook, asked: Sequence[tuple[str, str]], job: Job = UNWATCHED
) -> tuple[list[Cell], list[str]]:
    """Return small copies of photographs with their labels, and a sentence for each that is gone.

    Parameters
    ----------
    book : LabBook
        That keeps them.
    asked : sequence of (str, str)
        Label and hash of each.
    job : Job
        Told the share that is read; stops the work between photographs.

    Raises
    ------
    CancelledError
        Nobody wants them any more.
    """
    cells, missing = [], []
    for number, (text, sha256) in enumerate(asked):
        job.check()
        job.tell(number / len(asked))
        try:
            cells.append(Cell(text, small_copy(book, sha256)))
        except PhotoError as error:
            missing.append(f"{text}: {error}.")
    return cells, missing
