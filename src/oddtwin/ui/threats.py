"""The threats found so far, always beside the stage."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QScrollArea, QVBoxLayout, QWidget

from oddtwin.core.language import tr, trn
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import IconButton, clear, explained, fix, label, row

if TYPE_CHECKING:
    from oddtwin.core.threat import Threat

_WIDTH, _NARROW = 292, 46


class ThreatPanel(QFrame):
    """Lists threats with what to do about each; folds to a strip that keeps the count."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("threats")
        self._folded = False
        self._title = label("", "heading", wrap=False)
        self._title.setObjectName("threatTitle")
        self._fold = IconButton(
            theme, "threat", tr("Fold or unfold the threats"), self._on_fold_clicked, "foldThreats"
        )
        self._count = label("", "heading", wrap=False)
        self._count.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._list = QVBoxLayout()
        self._list.setContentsMargins(0, 0, 6, 0)
        self._list.setSpacing(8)
        content = QWidget()
        content.setLayout(self._list)
        self._scroll = QScrollArea()
        self._scroll.setAccessibleName(tr("Threats"))
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QFrame.Shape.NoFrame)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setWidget(content)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 12, 6, 8)
        self._word = explained(theme, "threat")
        layout.addLayout(row(self._fold, self._title, None, self._word))
        layout.addWidget(self._count, 0, Qt.AlignmentFlag.AlignTop)
        layout.addWidget(self._scroll, 1)
        self._show_folded()

    def show_threats(self, threats: Sequence[Threat]) -> None:
        """Show threats, or that there are none."""
        clear(self._list)
        count = len(threats)
        self._title.setText(f"{count} {trn('threat', 'threats', count)}" if count else tr("No threat found"))
        self._count.setText(str(count))
        self._word.setVisible(not self._folded and count > 0)
        for threat in threats:
            self._list.addWidget(_threat_card(threat))
        if not threats:
            self._list.addWidget(
                label(tr("Nothing found so far that could make the conclusion wrong."), "quiet")
            )
        self._list.addStretch(1)

    def set_folded(self, folded: bool) -> None:
        """Fold to a strip, or unfold."""
        self._folded = folded
        self._show_folded()

    def _on_fold_clicked(self) -> None:
        self.set_folded(not self._folded)

    def _show_folded(self) -> None:
        fix(self, width=_NARROW if self._folded else _WIDTH)
        self._scroll.setVisible(not self._folded)
        self._title.setVisible(not self._folded)
        self._word.setVisible(not self._folded and self._count.text() != "0")
        self._count.setVisible(self._folded)


def _threat_card(threat: Threat) -> QFrame:
    frame = QFrame()
    frame.setObjectName(f"threat-{threat.code}")
    frame.setProperty("weight", threat.weight.value)
    frame.setProperty("threat", True)
    layout = QVBoxLayout(frame)
    layout.setContentsMargins(12, 8, 10, 9)
    layout.setSpacing(4)
    if threat.weight.caption:
        layout.addWidget(label(threat.weight.caption, "column"))
    layout.addWidget(label(threat.line))
    layout.addWidget(label(threat.remedy, "quiet"))
    return frame
