"""The timeline of a machine: a picture, and the same as a table."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QComboBox

from oddtwin.core.language import tr
from oddtwin.core.picture import Drawing, Happening, timeline
from oddtwin.core.study import Machine
from oddtwin.store import load_lived
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    DrawingView,
    choose,
    column_label,
    fill_table,
    heading,
    label,
    plain_table,
    row,
)
from oddtwin.ui.workbench import Workbench

NEWEST = 100


class LivedCard(Card):
    """Studies, changes and calibrations of one machine along the calendar."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._found: Sequence[Happening] = ()
        self._machine = QComboBox()
        self._machine.setObjectName("livedMachine")
        self._machine.setAccessibleName(tr("Machine whose timeline is shown"))
        self._machine.currentIndexChanged.connect(self._read)
        self._picture = DrawingView(theme, self._draw)
        self._table = plain_table("lived", (tr("From"), tr("To"), tr("What"), tr("In words")))
        self._table.setAccessibleName(tr("Timeline of the machine, newest first"))
        self._empty = label(tr("Nothing was printed on it or changed on it yet."), "quiet")
        self.add(
            heading(tr("Timeline")),
            row(column_label(tr("Machine")), self._machine, None),
            self._empty,
            self._picture,
            self._table,
        )

    def show_machines(self, machines: Sequence[Machine]) -> None:
        """Offer the machines, and read the chosen one's timeline anew."""
        self.setVisible(bool(machines))
        choose(self._machine, [(one.name, one.id) for one in machines], self._machine.currentData())
        self._read()

    def _read(self, *_: object) -> None:
        machine_id, book = self._machine.currentData(), self._workbench.book
        if machine_id is None:
            return

        def work(_: object) -> list[Happening]:
            with book.reading() as connection:
                return load_lived(connection, machine_id)

        self._workbench.figure(self, work, self._show)

    def _show(self, found: list[Happening]) -> None:
        self._found = found
        self._empty.setVisible(not found)
        for part in (self._picture, self._table):
            part.setVisible(bool(found))
        rows = [
            (f"{one.begin:%Y-%m-%d}", f"{one.end:%Y-%m-%d}", one.lane, one.text)
            for one in reversed(found[-NEWEST:])
        ]
        fill_table(self._table, rows, fit_height=True)
        self._picture.show_anew()

    def _draw(self, width: float) -> Drawing:
        return timeline(self._found, width)
