"""The list of studies, and beginning or importing one."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial
from math import inf
from typing import TYPE_CHECKING

from PySide6.QtCore import QSize, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QKeySequence, QMouseEvent, QShortcut
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from oddtwin.core.decide import Verdict
from oddtwin.core.language import tr
from oddtwin.core.picture import twin_mark
from oddtwin.core.quantities import capitalized
from oddtwin.store import StudyFilter, StudySummary
from oddtwin.ui.bench.finding import FindPanel
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Card, DrawingView, IconButton, LineField, button, heading, label, row
from oddtwin.ui.widgets.roles import Role, speak_as
from oddtwin.ui.workbench import Workbench

if TYPE_CHECKING:
    from oddtwin.core.customs import QuestionCard
    from oddtwin.ui.bench.importing import ImportCard

AT_ONCE = 10
"""Lines laid out at a time; more follow while the window is idle."""


class StudiesPanel(QWidget):
    """A line for each study; ``chosen`` is emitted with the id of one to open."""

    chosen = Signal(int)

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._oldest: int | None = None
        self._more = QTimer(self)
        self._more.setInterval(15)
        self._more.timeout.connect(self._on_idle)
        self._name = LineField("newStudyName", tr("Name of a new study, such as “Dry the spool overnight”"))
        self._add = button(tr("Begin the study"), self._on_add_clicked, main=True, name="addStudy")
        self._name.entered.connect(self._on_add_clicked)
        self._import_button = button(tr("Import…"), self._on_import_clicked, name="importFile")
        self._cards_button = button(tr("Question cards…"), self._on_cards_clicked, name="questionCardsButton")
        self._cards: QWidget | None = None
        self._import: ImportCard | None = None
        self._empty = Card(
            heading(tr("No study yet")),
            label(
                tr(
                    "A study is one question: what does this change do? Type a name above, say "
                    "what differs and what would matter, and print the pairs that the plan asks "
                    "for. Or import readings that you have already, as CSV."
                )
            ),
        )
        self._lines: dict[int, StudyLine] = {}
        self._list = QVBoxLayout()
        self._list.setSpacing(8)
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(12)
        top = row(self._name, self._add, self._cards_button, self._import_button)
        top.setStretch(0, 1)
        self._layout.addLayout(top)
        self._find = FindPanel(workbench)
        self._find.chosen.connect(self.chosen)
        self._find.kept.connect(lambda _: self.refresh())
        self._layout.addWidget(self._find)
        self._none = label(tr("No study is as asked for; list all studies to see them again."), "quiet")
        self._none.setObjectName("noneListed")
        self._layout.addWidget(self._none)
        self._layout.addWidget(self._empty)
        self._layout.addLayout(self._list)
        self._layout.addStretch(1)
        QShortcut(
            QKeySequence("Escape"),
            self,
            self._on_escaped,
            context=Qt.ShortcutContext.WidgetWithChildrenShortcut,
        )

    def _on_escaped(self) -> None:
        """Close what was opened beside the list."""
        for part in (self._cards, self._import):
            if part is not None and part.isVisible():
                part.hide()
                self._name.setFocus()

    def refresh(self) -> None:
        """Show the studies of the lab book that are to be listed."""
        self._oldest = None
        self._find.show_tags(self._workbench.tags())
        self._on_idle()
        filtered = self._find.filter != StudyFilter()
        self._none.setVisible(filtered and self._oldest is None)
        self._empty.setVisible(not filtered and self._oldest is None)
        for part in (self._name, self._add, self._cards_button, self._import_button):
            part.setEnabled(self._workbench.can_edit)

    def _on_idle(self) -> None:
        """Lay out the next lines; the timer calls again while there are more."""
        if not self._workbench.has_book:
            self._more.stop()
            return
        page = self._workbench.summaries(self._oldest, AT_ONCE, self._find.filter)
        before = self._oldest
        for summary in page:
            self._show_line(summary)
            self._oldest = summary.id
        more = len(page) == AT_ONCE
        # The newest come first: what the page passed over is not to be listed any more.
        until, since = page[-1].id if more else 0, before or inf
        self._drop({one for one in self._lines if until < one < since} - {summary.id for summary in page})
        if more:
            self._more.start()
        else:
            self._more.stop()

    def _show_line(self, summary: StudySummary) -> None:
        """Show a study in its line; one that tells the same as before stays as it is."""
        line, can_edit = self._lines.get(summary.id), self._workbench.can_edit
        if line is not None and line.tells == (summary, can_edit):
            return
        self._drop([summary.id])
        line = self._lines[summary.id] = StudyLine(summary, self._theme, can_edit)
        line.chosen.connect(partial(self.chosen.emit, summary.id))
        line.removed.connect(partial(self._on_remove_clicked, summary))
        self._list.insertWidget(sum(one > summary.id for one in self._lines), line)

    def _drop(self, studies: Iterable[int]) -> None:
        for line in [self._lines.pop(one) for one in list(studies) if one in self._lines]:
            self._list.removeWidget(line)
            line.hide()
            line.deleteLater()

    def _on_add_clicked(self) -> None:
        from oddtwin import operations

        if not self._name.text().strip():
            self._name.show_error(tr("Please type a name for the study first."))
            return
        record = self._workbench.do(operations.add_study, name=self._name.text())
        if record is not None:
            self._name.clear()
            self.chosen.emit(record.new_id("study"))

    def _on_cards_clicked(self) -> None:
        if self._cards is None:
            from oddtwin.ui.bench.cards import QuestionCards

            self._cards = QuestionCards(self._theme)
            self._cards.chosen.connect(self._on_card_chosen)
            self._layout.insertWidget(2, self._cards)
        else:
            self._cards.setVisible(not self._cards.isVisible())

    def _on_card_chosen(self, card: QuestionCard) -> None:
        from oddtwin import operations

        name = self._name.text().strip() or card.title
        record = self._workbench.do(operations.add_study, name=name, card=card)
        if record is not None:
            self._name.clear()
            if self._cards is not None:
                self._cards.hide()
            self.chosen.emit(record.new_id("study"))

    def _on_remove_clicked(self, summary: StudySummary) -> None:
        from oddtwin import operations

        self._workbench.do(operations.remove_study, study_id=summary.id, name=summary.name)

    def _on_import_clicked(self) -> None:
        if self._import is None:
            from oddtwin.ui.bench.importing import ImportCard

            self._import = ImportCard(self._workbench)
            self._import.imported.connect(self.chosen)
            self._layout.insertWidget(1, self._import)
        else:
            self._import.setVisible(not self._import.isVisible())
        if self._import.isVisible():
            self._import.take_focus()


class StudyLine(Card):
    """One study as a line to be opened with Enter or a click."""

    chosen = Signal()
    removed = Signal()

    def __init__(self, summary: StudySummary, theme: Theme, can_edit: bool) -> None:
        super().__init__()
        self.tells = (summary, can_edit)
        self.setObjectName(f"study-{summary.id}")
        speak_as(self, Role.ListItem)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(summary.name)
        mark = DrawingView(theme, lambda _: twin_mark(_mark(summary), 34), QSize(68, 34))
        name = label(summary.name, "heading")
        question = label(summary.question or tr("No question written down yet"), "quiet")
        text = QVBoxLayout()
        text.setSpacing(2)
        text.addWidget(name)
        text.addWidget(question)
        if summary.tags:
            text.addWidget(label(summary.tags, "quiet"))
        self.body.setContentsMargins(14, 10, 12, 10)
        layout = QHBoxLayout()
        self.add(layout)
        layout.addWidget(mark)
        layout.addSpacing(6)
        layout.addLayout(text, 1)
        stands = label(_stands(summary), wrap=False)
        stands.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        layout.addWidget(stands)
        layout.addWidget(button(tr("Open"), self.chosen.emit, name=f"open-{summary.id}"))
        remove = IconButton(
            theme,
            "remove",
            tr("Remove {summary} (Ctrl+Z brings it back)", summary=summary.name),
            self.removed.emit,
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
    """The verdict of the deciding response, once the study is settled: before it may still be sealed."""
    try:
        return Verdict(summary.verdict)
    except ValueError:
        return None


def _stands(summary: StudySummary) -> str:
    if summary.decision:
        settled = {
            "adopt": tr("Settled: adopted"),
            "keep the baseline": tr("Settled: baseline kept"),
            "undecided": tr("Closed as undecided"),
        }
        if summary.decision in settled:
            mark = _mark(summary)
            found = f"{capitalized(mark.words)}\n" if mark else ""
            again = tr("; baseline due again") if summary.due else ""
            return found + settled[summary.decision] + again
    if not summary.runs:
        return tr("To be planned")
    counting = summary.runs - summary.set_aside
    if summary.finished == counting:
        return tr("All {counting} runs printed", counting=counting)
    return tr("{finished} of {counting} runs printed", finished=summary.finished, counting=counting)
