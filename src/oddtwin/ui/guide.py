"""A guided first study: a line above the screens says what to do, and a button does it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Final, NamedTuple

from oddtwin.core.language import mark, tr
from oddtwin.core.standing import Stage
from oddtwin.ui.header import Bar
from oddtwin.ui.widgets import button, label
from oddtwin.ui.workbench import Workbench

if TYPE_CHECKING:
    from oddtwin.core.study import Study

_ONE_QUESTION: Final = mark(
    "1 of 5 · A study is one question. Here it says what differs (layer height), what is measured, and "
    "the margin: how many minutes would matter to you."
)
_IN_DRAWN_ORDER: Final = mark(
    "2 of 5 · One print of each arm, in an order that is drawn: what comes first must not be your choice."
)
_BOTH_MEASURED: Final = mark(
    "4 of 5 · Both are measured. The verdict holds the difference against your margin and against what "
    "two like prints differ anyway."
)
_DECIDE: Final = mark(
    "5 of 5 · The ring is the baseline, the disc the change, the band your margin. Decide: adopt it, "
    "or keep the baseline, with your reason."
)


class Step(NamedTuple):
    """Where one is, what is said, what the button says, and what it does."""

    stage: Stage
    said: str
    does: str
    act: Callable[[], None]


class GuideBar(Bar):
    """Follows one study from its question to its decision; hidden where nobody is guided."""

    def __init__(self, workbench: Workbench, go: Callable[[Stage], None]) -> None:
        super().__init__("guide", 0)
        self._workbench = workbench
        self._go = go
        self._study_id: int | None = None
        self._asked = False
        self._said = label("")
        self._said.setObjectName("guideSaid")
        self._act = button("", self._on_act_clicked, main=True, name="guideAct")
        self.line.addWidget(self._said, 1)
        self.line.addWidget(self._act)
        self.line.addWidget(button(tr("Leave the guide"), self.leave, name="guideLeave"))
        workbench.guide_wanted.connect(self.begin)
        workbench.study_changed.connect(lambda _: self.follow())
        self.hide()

    def begin(self, study_id: int) -> None:
        """Guide through a study of the lab book."""
        self._study_id, self._asked = study_id, False
        self.follow()

    def leave(self) -> None:
        """Stop guiding; the study stays as it is."""
        self._study_id = None
        self.hide()

    def follow(self) -> None:
        """Say the step that the study in hand is at."""
        study = self._workbench.study
        there = study is not None and study.id == self._study_id
        self.setVisible(there)
        if study is not None and there:
            step = self._step(study)
            self._said.setText(step.said)
            self._act.setText(step.does)

    def _on_act_clicked(self) -> None:
        study = self._workbench.study
        if study is not None:
            step = self._step(study)
            step.act()
            self.follow()

    def _step(self, study: Study) -> Step:
        # Loaded with the first study, not with the first screen.
        from oddtwin.core.study import revealed

        printed = sum(run.finished is not None for run in study.runs)
        if not study.runs and not self._asked:
            return Step(
                Stage.ASK,
                tr(_ONE_QUESTION),
                tr("On to the plan"),
                self._on_asked,
            )
        if not study.runs:
            return Step(
                Stage.PLAN,
                tr(_IN_DRAWN_ORDER),
                tr("Draw the order"),
                self._on_draw,
            )
        if printed < len(study.runs):
            return Step(
                Stage.PRINT,
                tr(
                    "3 of 5 · Print {printed} of {runs}. At a real printer you set up what the "
                    "card says, press Start and Done, and measure by the code. Here a simulated "
                    "machine and scale do it.",
                    printed=printed + 1, runs=len(study.runs),
                ),
                tr("Play this print"),
                self._on_play,
            )  # fmt: skip
        if not revealed(study):
            return Step(
                Stage.VERDICT,
                tr(_BOTH_MEASURED),
                tr("Show the verdict"),
                self._on_verdict,
            )
        if study.decision is None:
            return Step(
                Stage.SETTLE,
                tr(_DECIDE),
                tr("On to the decision"),
                lambda: self._go(Stage.SETTLE),
            )
        return Step(
            Stage.SETTLE, tr("That was a whole study. Yours begins at the bench."), tr("Done"), self.leave
        )

    def _on_asked(self) -> None:
        self._asked = True
        self._go(Stage.PLAN)

    def _on_draw(self) -> None:
        from oddtwin.demo.guided import draw_guided

        if self._study_id is not None:
            draw_guided(self._workbench.book, self._study_id)
            self._again(Stage.PRINT)

    def _on_play(self) -> None:
        from oddtwin.demo.guided import play_next

        if self._study_id is not None:
            play_next(self._workbench.book, self._study_id, seed=3)
            self._again(Stage.PRINT)

    def _on_verdict(self) -> None:
        from oddtwin.core.study import LookAt

        self._workbench.reveal(LookAt.VERDICT)
        self._go(Stage.VERDICT)

    def _again(self, stage: Stage) -> None:
        """Show what was done to the study beside the window's own edits."""
        if self._study_id is not None:
            self._workbench.open_study(self._study_id)
            self._go(stage)
