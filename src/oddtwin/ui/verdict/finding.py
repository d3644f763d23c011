"""One response on the verdict screen: its verdict as a row, and the rest below it when it is opened."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from oddtwin.core.decide import Finding, aside_words, cell_sentence, detail_lines, prints_line
from oddtwin.core.language import tr
from oddtwin.core.picture import difference_ruler, has_ruler, ruler_legend, twin_mark
from oddtwin.core.threat import Threat
from oddtwin.ui.theme import Theme
from oddtwin.ui.verdict.cells import CellMapView
from oddtwin.ui.widgets import Card, DrawingView, button, label

MARK = 34
STATISTICS = (tr("Noise floor:"), tr("Cliff’s delta"), tr("Of all "))
"""What lines begin with that only who knows the terms can read; they are shown when asked for."""


class FindingCard(Card):
    """Mark and sentence; opened, the cells, the ruler with its legend, and what else is worth saying.

    ``folded`` tells whether it is open, when a person has opened or folded it.
    """

    folded = Signal(bool)

    def __init__(
        self,
        finding: Finding,
        theme: Theme,
        void: Threat | None = None,
        decides: bool = False,
        aside_said: bool = False,
    ) -> None:
        super().__init__()
        about = f"-{finding.about}" if finding.about else ""
        name = f"{finding.comparison.response}{about}"
        self.setObjectName(f"finding-{name}")
        self.body.setContentsMargins(14, 8, 12, 8)
        self._finding = finding
        self._shown = finding
        self._theme = theme
        self._inside: QWidget | None = None
        self._fold = button("", self._on_fold_clicked, name=f"fold-{name}")
        self._statistics = label("", "quiet")
        self._statistics.setObjectName(f"statistics-{name}")
        self._statistics.hide()
        self._shows = button(tr("Statistics"), self._on_statistics_clicked, name=f"showStatistics-{name}")
        self._shows.setAccessibleName(tr("Statistics of {response}", response=finding.comparison.response))
        aside = aside_words(finding.comparison) if aside_said else ""
        # The arms stand above all rows; the sentence that decides names them once more, for it is quoted.
        said = finding.sentence if decides else finding.below_heading
        said = f"{said.removesuffix(f'{aside}.')}." if aside else said
        self.add(self._head(finding, said, void, decides))
        if void is not None:
            why = label(
                tr("This cannot stand. {sentence} {remedy}", sentence=void.sentence, remedy=void.remedy)
            )
            why.setObjectName("void")
            self.add(why)
        self._of_cell = label("", "quiet")
        self._of_cell.setObjectName(f"cell-{name}")
        self.set_open(False)

    def _head(self, finding: Finding, said: str, void: Threat | None, decides: bool) -> QHBoxLayout:
        mark = DrawingView(self._theme, lambda _: twin_mark(finding.verdict, MARK), QSize(2 * MARK, MARK))
        sentence = label(said, "lead" if decides else "")
        sentence.setObjectName("sentence")
        sentence.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        if void is not None:
            struck = sentence.font()
            struck.setStrikeOut(True)
            sentence.setFont(struck)
            sentence.setAccessibleName(
                tr("Struck out, it cannot stand: {sentence}", sentence=finding.sentence)
            )
        head = QHBoxLayout()
        head.addWidget(mark, 0, Qt.AlignmentFlag.AlignVCenter)
        head.addSpacing(6)
        head.addWidget(sentence, 1)
        if decides:
            decided = label(tr("decides"), "chip", wrap=False)
            decided.setToolTip(
                tr("The deciding response: named beforehand, and not picked by what was found")
            )
            head.addWidget(decided, 0, Qt.AlignmentFlag.AlignVCenter)
        head.addWidget(self._shows, 0, Qt.AlignmentFlag.AlignVCenter)
        head.addWidget(self._fold, 0, Qt.AlignmentFlag.AlignVCenter)
        return head

    @property
    def is_open(self) -> bool:
        """Whether more than the row is shown."""
        return self._inside is not None and not self._inside.isHidden()

    def set_open(self, is_open: bool) -> None:
        """Show all of it, or the row alone."""
        if is_open and self._inside is None:
            # Rulers of forty comparisons take a while; each is made when it is looked at.
            self._inside = self._opened()
            self.add(self._inside)
        if self._inside is not None:
            self._inside.setVisible(is_open)
        self._shows.setVisible(is_open and bool(self._statistics.text()))
        self._fold.setText(tr("Less") if is_open else tr("More"))
        said = tr("Fold") if is_open else tr("Show cells, ruler and figures of")
        self._fold.setAccessibleName(f"{said} {self._finding.comparison.response}")

    def _opened(self) -> QWidget:
        inside = QWidget()
        layout = QVBoxLayout(inside)
        layout.setContentsMargins(0, 4, 0, 4)
        layout.setSpacing(8)
        if self._finding.cellwise is not None:
            cells = CellMapView(self._finding, self._theme)
            cells.chosen.connect(self._on_cell_chosen)
            layout.addWidget(cells)
        self._of_cell.hide()
        layout.addWidget(self._of_cell)
        if has_ruler(self._finding):
            self._ruler = DrawingView(self._theme, lambda width: difference_ruler(self._shown, width))
            layout.addWidget(self._ruler)
            layout.addWidget(self._legend())
        lines = detail_lines(self._finding)
        spoken = [line for line in lines if not line.startswith(STATISTICS)]
        for line in spoken:
            layout.addWidget(label(line, "quiet"))
        folded = "\n".join(line for line in lines if line not in spoken)
        self._statistics.setText(folded)
        layout.addWidget(self._statistics)
        return inside

    def _legend(self) -> DrawingView:
        return DrawingView(self._theme, lambda width: ruler_legend(self._finding, width), flows=True)

    def _on_statistics_clicked(self) -> None:
        self._statistics.setVisible(self._statistics.isHidden())

    def _on_fold_clicked(self) -> None:
        self.set_open(not self.is_open)
        self.folded.emit(self.is_open)

    def _on_cell_chosen(self, number: int) -> None:
        """Show the ruler and the prints of one cell, or of all."""
        cellwise = self._finding.cellwise
        if cellwise is None or number < 0:
            self._shown = self._finding
            self._of_cell.hide()
        else:
            one = cellwise.cells[number]
            self._shown = self._finding.of_cell(one)
            self._of_cell.setText(
                f"{cell_sentence(one, self._finding.comparison)} {prints_line(self._shown.comparison)}"
            )
            self._of_cell.show()
        self._ruler.show_anew()
