"""Keys and words, for F1."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QGridLayout

from oddtwin.core.language import tr
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Card, Page, button, heading, label, row
from oddtwin.ui.workbench import Workbench

_KEYS = (
    (tr("Ctrl+Enter"), tr("go to the next step")),
    (tr("Alt+1 … Alt+7"), tr("go to a stage")),
    ("Alt+Home", tr("all studies")),
    (tr("Ctrl+O"), tr("make or open another lab book")),
    (tr("Enter"), tr("start, finish, take the reading and go on")),
    ("0 1 2 3 4", tr("grade a fault: none, trace, clear, bad, ruined")),
    (tr("Ctrl+Z, Ctrl+Shift+Z"), tr("undo, redo: every edit, on every screen")),
    (tr("← →, Alt+← Alt+→"), tr("in the timetable: choose a run, move it by a quarter of an hour")),
    (tr("↑ ↓, PgUp PgDn, 0"), tr("in the layer view: next layer, ten layers on, show all")),
    (tr("Ctrl + and −, Ctrl+0"), tr("larger, smaller, as usual")),
    ("F1", tr("this sheet, and back")),
    ("F8", tr("stopwatch beside the readings")),
    ("1 … 7", tr("while a plate prints: what happens to it")),
    ("Escape", tr("take back what was typed; leave this sheet")),
    ("F10", tr("menu")),
)
_WORDS = (
    (tr("level, arm"), tr("a value of what differs; one combination of levels")),
    (tr("block, pair"), tr("prints made alike in all but the arm; a pair is one print of each of two arms")),
    (tr("control arm"), tr("the old part with the side effect of the new one, to tell the two apart")),
    (tr("whole plot"), tr("prints between two switches of a part that is hard to change")),
    (tr("alias"), tr("an effect that a fraction cannot tell apart from another")),
    (tr("twins"), tr("two prints of the same arm in the same pair: they differ in nothing")),
    (
        tr("noise floor"),
        tr("standard deviation between twins: how much prints differ when nothing was changed"),
    ),
    (tr("margin"), tr("the smallest difference that would matter to you")),
    (tr("odd"), tr("the difference lies wholly beyond the margin")),
    (tr("twin"), tr("the difference lies wholly inside the margin")),
    (tr("leaning"), tr("it differs; whether enough to matter is open")),
    (tr("match"), tr("proof from the sliced files that the twins differ only in what was meant")),
    (tr("limits of agreement"), tr("between them lie 19 of 20 differences of measured from predicted")),
    (tr("threat"), tr("something that can make the conclusion wrong, with what to do about it")),
)


class HelpView(Page):
    """Two lists; the user guide in docs/ tells the rest. ``left`` is emitted to go back to where one was."""

    left = Signal()

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        back = button(tr("Back"), self.left.emit, name="helpBack", tip=tr("To where you were (Escape)"))
        # Only here: in a field Escape takes back what was typed.
        QShortcut(
            QKeySequence("Escape"),
            self,
            self.left.emit,
            context=Qt.ShortcutContext.WidgetWithChildrenShortcut,
        )
        self.first = back
        self.body.addLayout(row(back, None))
        for title, lines in ((tr("Keys"), _KEYS), (tr("Words"), _WORDS)):
            grid = QGridLayout()
            grid.setHorizontalSpacing(24)
            grid.setColumnStretch(1, 1)
            for place, (left, right) in enumerate(lines):
                grid.addWidget(label(left, "heading", wrap=False), place, 0)
                grid.addWidget(label(right), place, 1)
            self.body.addWidget(Card(heading(title), grid))
        self.body.addStretch(1)

    def refresh(self) -> None:
        """Nothing here changes."""
