"""The bench: all studies with where they stand, the machines, and the history."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.decide import Verdict
from oddtwin.core.picture import twin_mark
from oddtwin.store import StudySummary, load_log, load_summaries
from oddtwin.ui.bench.importing import ImportCard
from oddtwin.ui.bench.machines import MachinesPanel
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    DrawingView,
    LineField,
    Page,
    button,
    card,
    clear,
    fill_table,
    heading,
    icon_button,
    label,
    plain_table,
    row,
)
from oddtwin.ui.workbench import Workbench

TABS = ("Studies", "Machines", "History")


class BenchView(Page):
    """Lists the studies of the lab book; ``study_chosen`` is emitted with an id."""

    study_chosen = Signal(int)

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._tabs = QStackedWidget()
        self._buttons = []
        tabs = QHBoxLayout()
        for index, name in enumerate(TABS):
            tab = button(name, partial(self._show_tab, index), name=f"tab{name}")
            tab.setProperty("tab", True)
            tab.setCheckable(True)
            self._buttons.append(tab)
            tabs.addWidget(tab)
        tabs.addStretch(1)
        self._machines = MachinesPanel(workbench)
        self._history = plain_table("history", ("When", "What", "Kind"))
        for panel in (self._studies_panel(), self._machines, self._history):
            self._tabs.addWidget(panel)
        self.body.addLayout(tabs)
        self.body.addWidget(self._tabs, 1)
        self._show_tab(0)

    def refresh(self) -> None:
        """Show the lab book as it is now."""
        with self._workbench.book.reading() as connection:
            summaries = load_summaries(connection)
            log = load_log(connection) if self._tabs.currentIndex() == 2 else []
        self._show_studies(summaries)
        self._machines.refresh()
        fill_table(self._history, [(at.replace("T", " "), title, kind) for at, kind, title in log])
        for part in (self._name, self._add, self._import_button):
            part.setEnabled(self._workbench.can_edit)

    def _studies_panel(self) -> QWidget:
        self._name = LineField("newStudyName", "Name of a new study, such as “Dry the spool overnight”")
        self._add = button("Begin the study", self._on_add_clicked, main=True, name="addStudy")
        self._name.entered.connect(self._on_add_clicked)
        self._import_button = button("Import…", self._on_import_clicked, name="importFile")
        self._import = ImportCard(self._workbench)
        self._import.hide()
        self._import.imported.connect(self.study_chosen)
        self._empty = card(
            heading("No study yet"),
            label(
                "A study is one question: what does this change do? Type a name above, say what differs "
                "and what would matter, and print the pairs that the plan asks for. Or import readings "
                "that you have already, as CSV."
            ),
        )
        self._list = QVBoxLayout()
        self._list.setSpacing(8)
        panel = QWidget()
        layout = QVBoxLayout(panel)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        top = row(self._name, self._add, self._import_button)
        top.setStretch(0, 1)
        layout.addLayout(top)
        layout.addWidget(self._import)
        layout.addWidget(self._empty)
        layout.addLayout(self._list)
        layout.addStretch(1)
        return panel

    def _show_studies(self, summaries: list[StudySummary]) -> None:
        clear(self._list)
        self._empty.setVisible(not summaries)
        for summary in summaries:
            line = StudyLine(summary, self._theme, self._workbench.can_edit)
            line.chosen.connect(lambda summary=summary: self.study_chosen.emit(summary.id))
            line.removed.connect(
                lambda summary=summary: self._workbench.do(
                    operations.remove_study, study_id=summary.id, name=summary.name
                )
            )
            self._list.addWidget(line)

    def _show_tab(self, index: int) -> None:
        self._tabs.setCurrentIndex(index)
        for number, tab in enumerate(self._buttons):
            tab.setChecked(number == index)
        if self._workbench.has_book:
            self.refresh()

    def _on_add_clicked(self) -> None:
        if not self._name.text().strip():
            self._name.show_error("Please type a name for the study first.")
            return
        record = self._workbench.do(operations.add_study, name=self._name.text())
        if record is not None:
            self._name.edit.clear()
            self._name.show_text("")
            self.study_chosen.emit(record.new_id("study"))

    def _on_import_clicked(self) -> None:
        self._import.setVisible(not self._import.isVisible())
        if self._import.isVisible():
            self._import.setFocus()


class StudyLine(QFrame):
    """One study as a line to be opened with Enter or a click."""

    chosen = Signal()
    removed = Signal()

    def __init__(self, summary: StudySummary, theme: Theme, can_edit: bool) -> None:
        super().__init__()
        self.setProperty("card", True)
        self.setObjectName(f"study-{summary.id}")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(summary.name)
        mark = DrawingView(theme, lambda _: twin_mark(_mark(summary), 34), QSize(68, 34))
        name = label(summary.name, "heading")
        question = label(summary.question or "No question written down yet", "quiet")
        text = QVBoxLayout()
        text.setSpacing(2)
        text.addWidget(name)
        text.addWidget(question)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 10, 12, 10)
        layout.addWidget(mark)
        layout.addSpacing(6)
        layout.addLayout(text, 1)
        stands = label(_stands(summary), wrap=False)
        stands.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        layout.addWidget(stands)
        layout.addWidget(button("Open", self.chosen.emit, name=f"open-{summary.id}"))
        remove = icon_button(
            theme, "remove", f"Remove {summary.name} (Ctrl+Z brings it back)", self.removed.emit
        )
        remove.setEnabled(can_edit)
        layout.addWidget(remove)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.rect().contains(event.position().toPoint()):
            self.chosen.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.chosen.emit()
        else:
            super().keyPressEvent(event)


def _mark(summary: StudySummary) -> Verdict | None:
    """The mark tells how far a study is; what it found stands on its verdict screen."""
    if summary.decision == "adopt":
        return Verdict.ODD
    if summary.decision == "keep the baseline":
        return Verdict.TWIN
    return Verdict.UNDECIDED if summary.finished else None


def _stands(summary: StudySummary) -> str:
    if summary.decision:
        settled = {"adopt": "Settled: adopted", "keep the baseline": "Settled: baseline kept"}
        if summary.decision in settled:
            return settled[summary.decision]
    if not summary.runs:
        return "To be planned"
    counting = summary.runs - summary.set_aside
    if summary.finished == counting:
        return f"All {counting} runs printed"
    return f"{summary.finished} of {counting} runs printed"
