"""Prints down, views across: which photographs there are; one that lies wrong is dragged."""

from __future__ import annotations

from typing import Final

from PySide6.QtCore import QMimeData, Qt, Signal
from PySide6.QtGui import QDrag, QDragEnterEvent, QDragMoveEvent, QDropEvent
from PySide6.QtWidgets import QAbstractItemView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from oddtwin.core.language import tr, trn
from oddtwin.core.study import Photograph, RunState, Study, printed_order, views_of_run
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.widgets import plain_table, plain_tip

MIME: Final = "application/x-odd-twin-photograph"
TALLEST: Final = 330


class ShotTable(QWidget):
    """``chosen`` is emitted when another cell is chosen, ``moved`` with a photograph, run id and view id."""

    chosen = Signal()
    moved = Signal(object, int, int)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._cells: dict[tuple[int, int], tuple[int, int, tuple[Photograph, ...]]] = {}
        self._shown: object = None
        self._table: QTableWidget = _Table(self)
        self._table.currentCellChanged.connect(lambda *_: self.chosen.emit())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._table)

    def show_study(self, study: Study) -> None:
        """Show all prints that are made, and what else was photographed, in printed order."""
        seen = {item.run_id for item in study.photographs}
        runs = [run for run in study.runs if run.state is RunState.PRINTED or run.id in seen]
        runs.sort(key=printed_order)
        names = list(dict.fromkeys(view.name for run in runs for view in views_of_run(study, run)))
        self._table.setVisible(bool(runs and names))
        # Thousands of cells are not filled again after every edit.
        shown = (tuple(run.id for run in runs), tuple(names), study.photographs, study.marks)
        if shown == self._shown:
            return
        self._shown = shown
        here = (self._table.currentRow(), self._table.currentColumn())
        self._table.blockSignals(True)
        self._cells.clear()
        self._table.setColumnCount(len(names) + 1)
        self._table.setHorizontalHeaderLabels([tr("Print"), *names])
        self._table.setRowCount(len(runs))
        for line, run in enumerate(runs):
            self._put(line, 0, self._desk.label(run), "")
            own = {view.name: view for view in views_of_run(study, run)}
            for column, name in enumerate(names, 1):
                view = own.get(name)
                shots = tuple(
                    item for item in study.index.photographs[run.id] if view and item.view_id == view.id
                )
                if view is not None:
                    self._cells[line, column] = (run.id, view.id, shots)
                self._put(line, column, _told(study, run.id, shots, view is not None), _tip(shots))
        self._table.blockSignals(False)
        self._table.resizeColumnsToContents()
        height = self._table.horizontalHeader().height() + 4 + 30 * len(runs)
        self._table.setFixedHeight(min(TALLEST, height))
        if here[0] >= 0:
            self._table.setCurrentCell(*here)

    def photograph(self) -> Photograph | None:
        """The photograph of the cell in hand; the last retake, where there are several."""
        cell = self._cells.get((self._table.currentRow(), self._table.currentColumn()))
        return cell[2][-1] if cell and cell[2] else None

    def move_to(self, photograph: Photograph, line: int, column: int) -> None:
        """Ask for a photograph to belong to the cell of a line and column."""
        cell = self._cells.get((line, column))
        if cell is not None:
            self.moved.emit(photograph, cell[0], cell[1])

    def _put(self, line: int, column: int, text: str, tip: str) -> None:
        item = QTableWidgetItem(text)
        item.setToolTip(plain_tip(tip))
        self._table.setItem(line, column, item)


class _Table(QTableWidget):
    """A table whose cells are dragged onto one another."""

    def __init__(self, owner: ShotTable) -> None:
        super().__init__(0, 1)
        self._owner = owner
        like = plain_table("shotTable", (tr("Print"),))
        self.setObjectName("shotTable")
        self.setAccessibleName(tr("Photographs by print and view"))
        self.setEditTriggers(like.editTriggers())
        self.setShowGrid(True)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(30)
        self.horizontalHeader().setDefaultAlignment(
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        )
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setTabKeyNavigation(False)
        self.setDragEnabled(True)
        self.setAcceptDrops(True)
        like.deleteLater()

    def startDrag(self, _: Qt.DropAction) -> None:
        photograph = self._owner.photograph()
        if photograph is None:
            return
        drag, data = QDrag(self), QMimeData()
        data.setData(MIME, str(photograph.id).encode())
        drag.setMimeData(data)
        self._dragged = photograph
        drag.exec(Qt.DropAction.MoveAction)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasFormat(MIME):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        if event.mimeData().hasFormat(MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        index = self.indexAt(event.position().toPoint())
        event.acceptProposedAction()
        self._owner.move_to(self._dragged, index.row(), index.column())


def _told(study: Study, run_id: int, shots: tuple[Photograph, ...], has_view: bool) -> str:
    if not has_view:
        return ""
    if not shots:
        return tr("○  to take")
    marks = sum(mark.photograph_id in {shot.id for shot in shots} for mark in study.index.marks[run_id])
    told = "●" if len(shots) == 1 else tr("●  {shots} takes", shots=len(shots))
    return f"{told}  {marks} {trn('mark', 'marks', marks)}" if marks else told


def _tip(shots: tuple[Photograph, ...]) -> str:
    return "\n".join(shot.name for shot in shots)
