"""The two prints that a verdict speaks of, as photographed."""

from __future__ import annotations

from oddtwin.core.language import tr
from oddtwin.core.study import Study
from oddtwin.ui.widgets import Card, heading, label
from oddtwin.ui.widgets.sheet import SheetView
from oddtwin.ui.workbench import Workbench
from oddtwin.work.contact import Cell, small_cells
from oddtwin.work.looked_at import shown_prints


class PrintsCard(Card):
    """Of each view a print of the baseline and one of the change; hidden where nothing was photographed."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self.setObjectName("prints")
        self._workbench = workbench
        self._key: object = None
        self._sheet = SheetView()
        self._told = label(tr("Flick between them under Look."), "quiet")
        self.add(heading(tr("The prints")), self._sheet, self._told)
        self.hide()

    def show_study(self, study: Study | None) -> None:
        """Show the prints of a study whose arms may be told; none hides the card."""
        asked = [] if study is None else _asked(study)
        self.setVisible(bool(asked))
        # The verdict is shown anew after every edit; its pictures stay.
        if asked == self._key:
            return
        self._key = asked
        self._sheet.show_cells([])
        if not asked:
            return
        book = self._workbench.book

        def done(found: tuple[list[Cell], list[str]]) -> None:
            if self._key is asked:
                self._sheet.show_cells(found[0])
                self._told.setText(" ".join(found[1]) or tr("Flick between them under Look."))

        self._workbench.figure(self, lambda job: small_cells(book, asked, job), done)


def _asked(study: Study) -> list[tuple[str, str]]:
    """Label and hash of every photograph that is shown."""
    return [
        (f"{run.code} – {study.arm_of(run).name}, {view.name}", shot.sha256)
        for view, shots in shown_prints(study)
        for run, shot in shots
    ]
