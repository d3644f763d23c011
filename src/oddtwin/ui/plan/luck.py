"""How far luck goes in blind judging."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox

from oddtwin.core.judge import BlindTest, luck
from oddtwin.core.language import tr
from oddtwin.core.study import Study
from oddtwin.ui.widgets import Card, choose, column_label, heading, label, row, spin_box

_WORDS = {
    BlindTest.TRIANGLE: tr("triangle: find the odd one of three"),
    BlindTest.PAIR: tr("pair: say which of two is the change"),
    BlindTest.DUO_TRIO: tr("duo-trio: say which of two is like the sample"),
    BlindTest.MATCHING: tr("sort all prints back to their arms"),
}


class LuckCard(Card):
    """A test, trials and right answers; a sentence says what pure guessing would do."""

    def __init__(self) -> None:
        super().__init__()
        self._test = QComboBox()
        self._test.setObjectName("blindTest")
        choose(self._test, [(words, test) for test, words in _WORDS.items()], BlindTest.TRIANGLE)
        self._trials, self._correct = spin_box("blindTrials", 1, 500), spin_box("blindCorrect", 0, 500)
        self._trials.setValue(12)
        # Empty until somebody counted: what nobody typed is no result.
        self._correct.setRange(-1, 500)
        self._correct.setSpecialValueText(tr("not counted"))
        self._correct.setValue(-1)
        self._needs, self._sentence = label(""), label("", "quiet")
        self._needs.setObjectName("luckNeeds")
        self._sentence.setObjectName("luckSentence")
        self._test.currentIndexChanged.connect(self._show)
        self._trials.valueChanged.connect(self._show)
        self._correct.valueChanged.connect(self._show)
        self.add(
            heading(tr("Luck in blind judging")),
            row(
                self._test,
                12,
                column_label(tr("Trials")),
                self._trials,
                12,
                column_label(tr("Right")),
                self._correct,
                None,
            ),
            self._needs,
            self._sentence,
        )
        self._show()

    def refresh(self, study: Study) -> None:
        """Nothing of a study shows here; the card is the same for all."""

    def _show(self) -> None:
        self._correct.setMaximum(self._trials.value())
        correct = self._correct.value()
        found = luck(BlindTest(self._test.currentData()), self._trials.value(), max(correct, 0))
        noun = tr("prints") if found.test is BlindTest.MATCHING else tr("trials")
        self._needs.setText(
            tr(
                "With {trials} {noun}, {fewest_correct} right or more is beyond luck at 5 %.",
                trials=found.trials,
                noun=noun,
                fewest_correct=found.fewest_correct,
            )
            if found.fewest_correct is not None
            else tr(
                "With {trials} {noun} luck cannot be ruled out at 5 %; plan more.",
                trials=found.trials,
                noun=noun,
            )
        )
        self._sentence.setText(found.sentence if correct >= 0 else "")
