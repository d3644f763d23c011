"""The screen of the stage Look."""

from __future__ import annotations

from typing import Final

from PySide6.QtWidgets import QComboBox, QWidget

from oddtwin.core.language import mark, tr
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import TabbedPage, at_least, choose, column_label, row
from oddtwin.ui.workbench import Workbench

TABS: Final = (
    mark("Photographs"),
    mark("Compare"),
    mark("Measure"),
    mark("Contact sheet"),
    mark("Judge blind"),
    mark("Eyes"),
)
OF_VIEWS: Final = frozenset(TABS[1:4])


class LookView(TabbedPage):
    """Tabs around the photographs of one piece, and around the eyes that look at them."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__(TABS, "look", theme)
        self._workbench = workbench
        self._desk = Desk(workbench)
        self._judging = False
        self._piece, self._view = QComboBox(), QComboBox()
        for box, name in ((self._piece, "lookPiece"), (self._view, "lookView")):
            box.setObjectName(name)
            at_least(box, width=190)
        self._piece.setAccessibleName(tr("Piece"))
        self._view.setAccessibleName(tr("View"))
        self._piece.currentIndexChanged.connect(self._on_piece_chosen)
        self._view.currentIndexChanged.connect(self._on_view_chosen)
        self._desk.stepped.connect(self._on_view_stepped)
        self._desk.judging.connect(self._on_judging)
        self._choice = QWidget()
        self._piece_label = column_label(tr("Piece"))
        line = row(self._piece_label, self._piece, 12, column_label(tr("View")), self._view, None)
        line.setContentsMargins(0, 0, 0, 0)
        self._choice.setLayout(line)
        self.body.insertWidget(1, self._choice)

    def refresh(self) -> None:
        """Show the study in hand."""
        study = self._workbench.seen
        if study is None:
            return
        # Another study begins at its own photographs, whatever tab was open.
        self.begin(study.id)
        pieces = [(study.pieces[key].name, key) for key in study.plan.piece_ids] if study.plan else []
        choose(self._piece, pieces, self._piece.currentData())
        piece = study.pieces.get(self._piece.currentData() or 0)
        views = piece.views if piece else ()
        choose(self._view, [(view.name, view.id) for view in views], self._view.currentData())
        self._desk.take(study, self._piece.currentData(), self._view.currentData())
        super().refresh()
        self._show_choice()

    def show_tab(self, name: str) -> None:
        """Show one of the tabs; the view is chosen where a tab is about one."""
        super().show_tab(name)
        self._show_tabs(name)
        self._show_choice()

    def make_tab(self, name: str) -> QWidget:
        """Make a tab; its modules are loaded only now."""
        if name == TABS[1]:
            from oddtwin.ui.look.compare import ComparePanel

            return ComparePanel(self._desk, self._theme)
        if name == TABS[2]:
            from oddtwin.ui.look.measure import MeasurePanel

            return MeasurePanel(self._desk, self._theme)
        if name == TABS[3]:
            from oddtwin.ui.look.contact import ContactPanel

            return ContactPanel(self._desk, self._theme)
        if name == TABS[4]:
            from oddtwin.ui.look.judging import JudgingPanel

            return JudgingPanel(self._desk, self._theme)
        if name == TABS[5]:
            from oddtwin.ui.look.eyes import EyesPanel

            return EyesPanel(self._desk, self._theme)
        from oddtwin.ui.look.photographs import PhotographsPanel

        return PhotographsPanel(self._desk, self._theme)

    def _show_choice(self) -> None:
        several = self._piece.count() > 1
        self._piece.setVisible(several)
        self._piece_label.setVisible(several)
        shown = next((name for name, tab in self._buttons.items() if tab.isChecked()), TABS[0])
        self._choice.setVisible(shown in OF_VIEWS and self._view.count() > 0)

    def _on_piece_chosen(self) -> None:
        self.refresh()

    def _on_view_chosen(self) -> None:
        self.refresh()

    def _on_judging(self, judging: bool) -> None:
        """Show a judge nothing but the trial."""
        self._judging = judging
        self._show_tabs(TABS[4])
        self.verticalScrollBar().setValue(0)

    def _show_tabs(self, name: str) -> None:
        for tab in self._buttons.values():
            tab.setVisible(not (self._judging and name == TABS[4]))

    def _on_view_stepped(self, by: int) -> None:
        if self._view.count():
            self._view.setCurrentIndex((self._view.currentIndex() + by) % self._view.count())
