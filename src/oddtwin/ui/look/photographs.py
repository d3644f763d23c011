"""The shot list, the photographs that fill it, and how they are taken."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Final

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.language import mark, tr, trn
from oddtwin.core.standing import Stage
from oddtwin.core.study import Photograph, wanted_shots
from oddtwin.devices import PHOTOGRAPHS, WatchedFolder
from oddtwin.ui.going import go_button
from oddtwin.ui.instruments import instruments_of
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.look.filed import FiledCard
from oddtwin.ui.look.rig import FaultsCard, RigCard
from oddtwin.ui.look.shot_table import ShotTable
from oddtwin.ui.look.views import ViewsCard
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Card, LineField, ProgressRow, button, column_label, heading, label, row
from oddtwin.work.shots import Arrived, keep_shots

_LIST_SAID: Final = mark(
    "Drop photographs here, or choose them: the QR label in the picture names the print, else they "
    "fill the list in turn. What came to the wrong place is dragged to the right one."
)

KINDS: Final = tr(
    "Photographs ({PHOTOGRAPHS});;All files (*)", PHOTOGRAPHS=" ".join(f"*{ending}" for ending in PHOTOGRAPHS)
)
WATCH_MS: Final = 2000
"""A watched folder is looked at so often."""


class PhotographsPanel(QWidget):
    """What to photograph next; files are dropped, chosen, or come from a watched folder."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self.setAcceptDrops(True)
        self._code = label("", "code", wrap=False)
        self._code.setObjectName("nextCode")
        self._next = label("", "lead")
        self._go = go_button(desk.workbench, Stage.PLAN)
        self._next.setObjectName("nextShot")
        self._told = label("", "quiet")
        self._told.setObjectName("shotsTold")
        self._told.hide()
        self._choose = button(
            tr("Choose photographs…"), self._on_choose_clicked, main=True, name="chooseShots"
        )
        self._watch = LineField("watchFolder", tr("folder that the camera or phone writes to"), width=420)
        self._watch.committed.connect(self._on_watch_committed)
        self._progress = ProgressRow("shotsProgress", lambda: desk.workbench.lanes.cancel(self))
        self._table = ShotTable(desk)
        self._table.moved.connect(self._on_moved)
        self._table.chosen.connect(self._on_chosen)
        self._filed = FiledCard(desk, theme)
        self._views = ViewsCard(desk, theme)
        beside = QHBoxLayout()
        beside.setSpacing(18)
        beside.addWidget(self._table, 1, Qt.AlignmentFlag.AlignTop)
        beside.addWidget(self._filed, 1, Qt.AlignmentFlag.AlignTop)
        self._list = Card(
            heading(tr("Shot list")),
            row(self._code, 12, self._next, self._go, None),
            label(tr(_LIST_SAID), "quiet"),
            row(self._choose, 12, column_label(tr("Watch")), self._watch, None),
            self._progress,
            self._told,
            beside,
        )
        self._sides = (RigCard(desk), FaultsCard(desk, theme))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        for part in (self._list, self._views, *self._sides):
            layout.addWidget(part)
        self._timer = QTimer(self)
        self._timer.setInterval(WATCH_MS)
        self._timer.timeout.connect(self._on_watched)
        self._camera: WatchedFolder | None = None
        self._instruments = instruments_of(desk.workbench)
        self._instruments.changed.connect(self._show_watched)
        self.first = self._choose
        self._show_watched()

    def refresh(self) -> None:
        """Show the study in hand."""
        study = self._desk.study
        planned = study.plan.piece_ids if study.plan else ()
        views = any(study.pieces[key].views for key in planned)
        wanted = wanted_shots(study)
        self._go.setVisible(not planned)
        if not planned:
            self._next.setText(tr("Draw the order under Plan first; every print has its code then."))
        elif not views:
            self._next.setText(tr("Say first which faces of the piece are photographed, under Views."))
        elif wanted:
            run, view = wanted[0]
            self._next.setText(tr("Next: {run_code} – {view}", run_code=run.code, view=view.name))
        elif study.photographs:
            self._next.setText(tr("All prints that are made are photographed."))
        else:
            self._next.setText(tr("The first print to be made is photographed first."))
        # Large, to be read from where the camera stands.
        self._code.setText(wanted[0].run.code if views and wanted else "")
        self._code.setVisible(bool(views and wanted))
        self._choose.setEnabled(self._desk.can_edit and views)
        self._watch.setEnabled(self._desk.can_edit and views)
        self._table.show_study(study)
        self._filed.show_photograph(self._table.photograph())
        self._views.refresh()
        for card in self._sides:
            card.refresh()

    # ------------------------------------------------------------ files that come

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls() and self._choose.isEnabled():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        paths = [Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()]
        if paths:
            event.acceptProposedAction()
            self.take(paths)

    def _say(self, text: str) -> None:
        self._told.setText(text)
        self._told.setVisible(bool(text))

    def take(self, paths: Sequence[Path], to: tuple[int, int] | None = None) -> None:
        """Read photographs and file them; what has no place is told."""
        if not self._desk.can_edit:
            self._say(tr("The study is settled, or the lab book only read: nothing is filed."))
            return
        study, book = self._desk.study, self._desk.workbench.book
        noun = trn("photograph", "photographs", len(paths))
        self._say(tr("Reading {paths} {noun} …", paths=len(paths), noun=noun))
        running = self._desk.workbench.figure(
            self, lambda job: keep_shots(book, study, sorted(paths), to=to, job=job), self._on_arrived
        )
        self._progress.follow(running)

    def _on_arrived(self, arrived: Arrived) -> None:
        told = list(arrived.apart)
        if arrived.filed:
            record = self._desk.workbench.do(operations.add_photographs, filed=arrived.filed)
            runs = self._desk.study.index.runs
            if record is not None:
                told.insert(
                    0, tr("Filed: {filed}.", filed=", ".join(runs[one.run_id].code for one in arrived.filed))
                )
        self._say(" ".join(told))

    def _on_choose_clicked(self) -> None:
        paths, _ = QFileDialog.getOpenFileNames(self, tr("Photographs"), str(Path.home()), KINDS)
        if paths:
            self.take([Path(path) for path in paths])

    def _on_watch_committed(self, text: str) -> None:
        self._timer.stop()
        try:
            self._instruments.watch(text)
        except NotADirectoryError as error:
            self._watch.show_error(f"{error}")
        self._show_watched()

    def _show_watched(self) -> None:
        """Show the folder that is watched, wherever it was chosen."""
        camera = self._instruments.camera
        if not self._watch.wrong:
            self._watch.show_text(str(camera.path) if camera is not None else "")
        if camera is not self._camera:
            self._camera = camera
            self._say(camera.words if camera is not None else "")
        if camera is None:
            self._timer.stop()
        else:
            self._timer.start()

    def _on_watched(self) -> None:
        camera = self._camera
        if camera is None or not self._desk.can_edit or not self.isVisible():
            return
        was_gone = camera.gone
        ready = camera.poll()
        if camera.gone:
            # Whoever photographs on must not believe it is filed.
            self._say(camera.words)
        elif was_gone:
            self._say(tr("Watching {path} again: what came meanwhile is filed too.", path=camera.path))
        if ready:
            self.take(ready)

    # ------------------------------------------------------------ the list

    def _on_moved(self, photograph: Photograph, run_id: int, view_id: int) -> None:
        code = self._desk.study.index.runs[run_id].code
        self._desk.workbench.do(
            operations.move_photograph,
            photograph_id=photograph.id,
            run_id=run_id,
            view_id=view_id,
            code=code,
        )

    def _on_chosen(self) -> None:
        self._filed.show_photograph(self._table.photograph())
