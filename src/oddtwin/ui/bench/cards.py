"""Question cards: begin a study from a kind of question."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSize, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout

from oddtwin.core.customs import CARDS, QuestionCard
from oddtwin.core.design import EXPLAINED
from oddtwin.core.language import shown, tr
from oddtwin.core.picture import design_picture
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Card, DrawingView, button, heading, label

_COLUMNS = 2


class QuestionCards(Card):
    """All kinds of question; ``chosen`` is emitted with the card to begin from."""

    chosen = Signal(object)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.setObjectName("questionCards")
        grid = QGridLayout()
        grid.setSpacing(10)
        for place, card in enumerate(CARDS):
            view = QuestionCardView(card, theme)
            view.chosen.connect(partial(self.chosen.emit, card))
            grid.addWidget(view, place // _COLUMNS, place % _COLUMNS)
        for column in range(_COLUMNS):
            grid.setColumnStretch(column, 1)
        self.add(
            heading(tr("Which kind of question is it?")),
            label(
                tr(
                    "A card fills in what differs, what to watch, what must stay the same and a "
                    "design; everything can be changed afterwards."
                ),
                "quiet",
            ),
            grid,
        )


class QuestionCardView(Card):
    """One kind of question: what differs, what it watches, and the design it begins with."""

    chosen = Signal()

    def __init__(self, card: QuestionCard, theme: Theme) -> None:
        super().__init__()
        self.body.setContentsMargins(12, 10, 12, 10)
        watched = ", ".join(item.name.lower() for item in card.responses)
        text = QVBoxLayout()
        text.setSpacing(3)
        text.addWidget(heading(card.title))
        text.addWidget(label(tr("Differs: {differs}.", differs=card.differs), "quiet"))
        text.addWidget(
            label(tr("Watch: {watched}. Piece: {piece}.", watched=watched, piece=card.piece), "quiet")
        )
        text.addStretch(1)
        side = QVBoxLayout()
        picture = design_picture(card.design)
        side.addWidget(
            DrawingView(theme, lambda _: picture, QSize(round(picture.width), round(picture.height)))
        )
        begin = button(tr("Begin"), self.chosen.emit, name=f"begin-{card.title}")
        begin.setToolTip(tr("Begins with: {title}", title=shown(EXPLAINED[card.design.kind].title)))
        side.addWidget(begin)
        layout = QHBoxLayout()
        layout.addLayout(text, 1)
        layout.addSpacing(8)
        layout.addLayout(side)
        self.add(layout)
