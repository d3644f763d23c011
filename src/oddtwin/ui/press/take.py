"""What a calibration came to, as the reading of the print that it was made on."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox

from oddtwin import operations
from oddtwin.core.calibrate import JOBS
from oddtwin.core.language import shown, tr
from oddtwin.core.quantities import convert, format_number, with_unit
from oddtwin.core.readings import ResponseKind
from oddtwin.core.study import KeptCalibration, Response, Run, Study
from oddtwin.store import load_calibrations
from oddtwin.ui.widgets import Card, button, choose, column_label, heading, label, row
from oddtwin.ui.workbench import Workbench

NEWEST = 12
_TITLES = {job.name: job.title for job in JOBS}


class TakeCard(Card):
    """The newest figures of the bench whose unit fits a response; hidden where none does."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._run: Run | None = None
        self._figure, self._response = QComboBox(), QComboBox()
        for box, name, said in (
            (self._figure, "takeFigure", tr("Calibration")),
            (self._response, "takeResponse", tr("Response that it is a reading of")),
        ):
            box.setObjectName(name)
            box.setAccessibleName(said)
        self._fits: dict[int, list[Response]] = {}
        self._figure.currentIndexChanged.connect(self._show_responses)
        self.add(
            heading(tr("A calibration as the reading")),
            label(tr("Its figure is entered with its uncertainty, and which calibration it was."), "quiet"),
            row(
                self._figure, column_label(tr("is")), self._response,
                button(tr("Enter it"), self._on_take_clicked, name="takeReading"), None,
            ),
        )  # fmt: skip

    def show_run(self, study: Study, run: Run) -> None:
        """Show the figures that could be readings of a run; hidden where none could, or it is not made."""
        self._run = run
        made = bool(run.finished) and not run.set_aside
        measured = [one for one in study.responses if one.kind is ResponseKind.QUANTITY]
        # Only where something could be taken: most studies have no response in such a unit.
        with self._workbench.book.reading() as connection:
            kept = load_calibrations(connection) if made and measured else ()
        known = [one for one in reversed(kept) if one.at is not None and one.value is not None]
        self._fits = {
            one.id: fits
            for one in known[:NEWEST]
            for fits in [[response for response in measured if _goes(one.unit, response.unit)]]
            if fits
        }
        self.setVisible(bool(self._fits))
        if self._fits:
            listed = [(_told(one, study), one.id) for one in known if one.id in self._fits]
            choose(self._figure, listed, self._figure.currentData())
            self._show_responses()

    def _show_responses(self, *_: object) -> None:
        fits = self._fits.get(self._figure.currentData() or 0, [])
        choose(self._response, [(one.name, one.id) for one in fits], self._response.currentData())

    def _on_take_clicked(self) -> None:
        if self._run is not None:
            self._workbench.do(
                operations.take_calibration,
                calibration_id=self._figure.currentData(),
                run_id=self._run.id,
                response_id=self._response.currentData(),
                code=self._run.code,
            )


def _told(one: KeptCalibration, study: Study) -> str:
    machine = study.machines.get(one.machine_id or 0)
    of = one.instrument or (machine.name if machine else "")
    figure = with_unit(format_number(one.value or 0.0), one.unit)
    at = f", {one.at:%Y-%m-%d %H:%M}" if one.at else ""
    return f"{shown(_TITLES.get(one.job, one.job))}{(tr(' of {of}', of=of) if of else '')}{at}: {figure}"


def _goes(unit: str, wanted: str) -> bool:
    """Whether a figure can be a reading; what has no unit is a figure of anything, and fits nothing."""
    try:
        convert(1.0, unit, wanted)
    except ValueError:
        return False
    return bool(unit)
