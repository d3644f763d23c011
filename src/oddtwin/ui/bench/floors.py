"""The noise floors of the workshop, as a table."""

from __future__ import annotations

from oddtwin.core.job import Job
from oddtwin.core.known import FLOOR_HEAD, KeptFloor, floor_row, noise_floors
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import now
from oddtwin.store import LabBook, load_twins
from oddtwin.ui.widgets import Card, fill_table, heading, label, plain_table
from oddtwin.ui.workbench import Workbench


class FloorsCard(Card):
    """What twins differ, by response, machine and piece: how old it is, and whether it moves."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._said = label("", "quiet")
        self._said.setObjectName("floorsSaid")
        self._table = plain_table("noiseFloors", FLOOR_HEAD)
        self._table.setAccessibleName(tr("Noise floors of the workshop"))
        self.add(heading(tr("Noise floors")), self._said, self._table)

    def refresh(self) -> None:
        """Read them beside the window."""
        book = self._workbench.book
        self._workbench.figure(self, lambda job: _read(book, job), self._show)

    def _show(self, floors: list[KeptFloor]) -> None:
        moved = sum(one.moved for one in floors)
        if not floors:
            said = tr(
                "No twins were measured yet. Plan a study with true twins: what they differ is the floor."
            )
        else:
            said = tr(
                "What two prints of the same make-up differ. A study without enough twins of "
                "its own borrows the floor of its machine and piece."
            )
            if moved:
                said += tr(" {moved} of them {part}.", moved=moved, part=trn("moves", "move", moved))
        self._said.setText(said)
        self._table.setVisible(bool(floors))
        fill_table(self._table, [floor_row(one, now()) for one in floors], fit_height=True)


def _read(book: LabBook, job: Job) -> list[KeptFloor]:
    with book.reading() as connection:
        seen = load_twins(connection)
    job.check()
    return noise_floors(seen)
