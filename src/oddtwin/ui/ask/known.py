"""What was already found about the question that is being asked."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QVBoxLayout

from oddtwin.core.known import Known, what_is_known
from oddtwin.core.language import tr
from oddtwin.core.outlook import floor_sentence
from oddtwin.core.picture import Branch, Drawing, forest
from oddtwin.core.study import Study
from oddtwin.store import LabBook, StoreError, load_known
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Card, DrawingView, clear, heading, label
from oddtwin.ui.workbench import Workbench

MOST = 6
"""Questions that are shown; further ones are counted."""


class KnownCard(Card):
    """A sentence and a forest for each question that this one asks again; hidden without any."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._asked: tuple[object, ...] = ()
        self._shown: list[Known] | None = None
        self._lines = QVBoxLayout()
        self._lines.setSpacing(8)
        self._floors = label("", "quiet")
        self._floors.setObjectName("knownFloors")
        self.add(
            heading(tr("What is known already")),
            label(
                tr("From settled studies of this lab book; those that ask the same stand together."),
                "quiet",
            ),
            self._lines,
            self._floors,
        )
        self.hide()

    def refresh(self, study: Study) -> None:
        """Look for what was found about the factors of a study, beside the window."""
        names = tuple(factor.name for factor in study.factors if factor.name.strip())
        judged = [item for item in study.judged if item.margin is not None]
        asked = (study.id, *names, *((item.id, item.margin, item.noise_sd) for item in judged))
        # Settled studies change seldom; what is typed of this one asks anew.
        self._asked = asked
        earlier = self._workbench.earlier_noise()

        def work(_: object) -> tuple[list[Known], list[str]]:
            told = [floor_sentence(study, item, earlier.get(item.id)) for item in judged]
            known = _found(self._workbench.book, study.id, names) if names else []
            return known, [text for text in told if text]

        self._workbench.figure(
            self, work, partial(self._on_found, asked), lambda error: isinstance(error, StoreError)
        )

    def _on_found(self, asked: tuple[object, ...], told: tuple[list[Known], list[str]]) -> None:
        known, sentences = told
        if asked != self._asked:
            return
        self._floors.setText("\n".join(sentences))
        self._floors.setVisible(bool(sentences))
        self.setVisible(bool(known or sentences))
        if known == self._shown:
            return
        self._shown = known
        clear(self._lines)
        for one in known[:MOST]:
            line = label(one.sentence)
            line.setObjectName(f"known-{one.effect.response}")
            self._lines.addWidget(line)
            if len(one.found) > 1:
                self._lines.addWidget(DrawingView(self._theme, partial(_forest, one)))
        if len(known) > MOST:
            self._lines.addWidget(
                label(tr("And {known} further responses.", known=len(known) - MOST), "quiet")
            )


def _found(book: LabBook, study_id: int, names: tuple[str, ...]) -> list[Known]:
    with book.reading() as connection:
        found = [one for one in load_known(connection) if one.study_id != study_id]
    return [known for name in names for known in what_is_known(found, name)]


def _forest(one: Known, width: float) -> Drawing:
    branches = []
    for item in one.found:
        effect = item.effect
        branches.append(
            Branch(_named(item.study, effect.machine), effect.estimate, (effect.low, effect.high))
        )
    # Grades are counted, and have no mean over studies.
    pooled = None if one.effect.graded else Branch(tr("Together"), one.together.estimate, one.together.ci95)
    prediction = None if one.effect.graded else one.together.prediction95
    return forest(branches, pooled, prediction, one.effect.unit, width)


def _named(study: str, machine: str) -> str:
    return f"{machine}: {study}" if machine else study
