"""Where an adoption holds: everywhere, above or below a level, on one piece, or in words."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from oddtwin.core.language import tr
from oddtwin.core.study import Study
from oddtwin.ui.widgets import LineField, choose, column_label, row
from oddtwin.ui.widgets.place import typed_quantity

ABOVE, BELOW, PIECE, WORDS = "above", "below", "piece", "words"
_CHOICES = (
    (tr("everywhere"), ""),
    (tr("only above"), ABOVE),
    (tr("only below"), BELOW),
    (tr("only for the piece"), PIECE),
    (tr("in my own words"), WORDS),
)


class WhereRow(QWidget):
    """A choice, and what goes with it."""

    def __init__(self) -> None:
        super().__init__()
        self._kind, self._piece = QComboBox(), QComboBox()
        for box, name, said in (
            (self._kind, "whereKind", tr("Where it holds")),
            (self._piece, "wherePiece", tr("Piece that it holds for")),
        ):
            box.setObjectName(name)
            box.setAccessibleName(said)
        choose(self._kind, _CHOICES, "")
        self._level = LineField("whereLevel", tr("level with its unit, such as 1600 mm/s²"), 230)
        self._level.edit.setAccessibleName(tr("Level with its unit"))
        self._of = LineField("whereOf", tr("of what, such as acceleration"), 230)
        self._of.edit.setAccessibleName(tr("What the level is of"))
        self._words = LineField("condition", tr("Only where it holds, such as “only above 1600 mm/s²”"))
        self._kind.currentIndexChanged.connect(self._show)
        line = row(
            column_label(tr("It holds")), self._kind, self._level, self._of, self._piece, self._words, None
        )
        line.setContentsMargins(0, 0, 0, 0)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(line)
        self._show()

    def show_study(self, study: Study) -> None:
        """Offer the pieces of a study."""
        pieces = [study.pieces[key].name for key in (study.plan.piece_ids if study.plan else ())]
        choose(self._piece, [(name, name) for name in pieces], self._piece.currentData())

    def condition(self) -> str:
        """Return what was chosen in words; empty for everywhere.

        Raises
        ------
        ValueError
            What goes with the choice is missing, or a level is no number with its unit.
        """
        kind = self._kind.currentData()
        if kind == WORDS:
            return self._words.text()
        if kind == PIECE:
            if not self._piece.currentData():
                raise ValueError(tr("The plan names no piece; say in your own words where it holds."))
            return tr("only for the piece {currentData}", currentData=self._piece.currentData())
        if not kind:
            return ""
        number, _, unit = self._level.text().strip().partition(" ")
        try:
            typed_quantity(number, "")
        except ValueError:
            raise ValueError(
                tr("Give the level that it holds from as a number with its unit, such as 1600 mm/s².")
            ) from None
        if not unit.strip():
            raise ValueError(
                tr("Give the unit of {number} too, so that a year from now it is still clear.", number=number)
            )
        of = tr(" of {text}", text=self._of.text().strip()) if self._of.text().strip() else ""
        return tr("only {kind} {number} {unit}{of}", kind=kind, number=number, unit=unit.strip(), of=of)

    def _show(self, *_: object) -> None:
        kind = self._kind.currentData()
        for part in (self._level, self._of):
            part.setVisible(kind in (ABOVE, BELOW))
        self._piece.setVisible(kind == PIECE)
        self._words.setVisible(kind == WORDS)
