"""What a calibration is good for next: a share of a file above it, or a study of its prints."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QWidget

from oddtwin import operations
from oddtwin.core.calibrate import CalibrationError, CalibrationJob, Result, fault_study, read_rows
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_list, format_number, now
from oddtwin.core.readings import TableError
from oddtwin.core.study import Machine
from oddtwin.store import StoreError, load_sliced_names
from oddtwin.ui.widgets import Card, button, choose, column_label, heading, label, row
from oddtwin.ui.workbench import Workbench
from oddtwin.work import shares_above


class FlowShareCard(Card):
    """The share of a sliced file that lies above the flow ceilings that were found."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._ceilings: list[tuple[str, float]] = []
        self._machine: Machine | None = None
        self._files = QComboBox()
        self._files.setObjectName("ceilingFile")
        self._files.setAccessibleName(tr("Sliced file"))
        self._files.currentIndexChanged.connect(self._reckon)
        self._told = label("")
        self._told.setObjectName("shareAbove")
        self.add(
            heading(tr("A file against the ceiling")),
            row(column_label(tr("Sliced file")), self._files, None),
            self._told,
        )

    def show_result(self, job: CalibrationJob, result: Result | None, machine: Machine | None) -> None:
        """Show the files that the lab book keeps; hidden where there is no ceiling, or no file."""
        table = result.table if result is not None and job.name == "flow-ceiling" else ()
        found = [
            (str(line["setup"]), float(line["ceiling"])) for line in table if math.isfinite(line["ceiling"])
        ]
        with self._workbench.book.reading() as connection:
            names = load_sliced_names(connection) if found else []
        self.setVisible(bool(found and names))
        if not found or not names:
            return
        # Reading a file takes seconds: not again at every key that changes nothing in the ceilings.
        anew = (found, machine) != (self._ceilings, self._machine)
        self._ceilings, self._machine = found, machine
        before = self._files.currentData()
        choose(self._files, [(tr("choose one"), ""), *names], before)
        if anew or self._files.currentData() != before:
            self._reckon()

    def _reckon(self, *_: object) -> None:
        sha256 = self._files.currentData()
        self._told.setVisible(bool(sha256))
        if not sha256:
            return
        self._told.setText(tr("Reading the file…"))
        book, machine = self._workbench.book, self._machine
        flows = [flow for _, flow in self._ceilings]
        self._workbench.figure(
            self,
            lambda job: shares_above(book, sha256, machine, flows, job),
            partial(self._on_read, list(self._ceilings)),
            self._on_refused,
        )

    def _on_read(self, ceilings: Sequence[tuple[str, float]], shares: Sequence[float]) -> None:
        told = []
        for (name, flow), share in zip(ceilings, shares, strict=True):
            of = tr(", the ceiling of {name}", name=name) if name else ""
            told.append(
                tr(
                    "{share:.0f} % above {flow} mm³/s{of}",
                    share=100 * share,
                    flow=format_number(flow, 1),
                    of=of,
                )
            )
        more = tr(" What lies above comes out thin: slow it down, or heat more.") if max(shares) > 0 else ""
        self._told.setText(tr("Of its printing time {told}.{more}", told=format_list(told, "; "), more=more))

    def _on_refused(self, error: BaseException) -> bool:
        if not isinstance(error, ValueError | StoreError):
            return False
        self._told.setText(f"{error}")
        return True


class StudyRow(QWidget):
    """One key that writes the prints of a found fault as a study; ``written`` gives its id."""

    written = Signal(int)

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._job: CalibrationJob | None = None
        self._readings, self._found = "", ""
        write = button(tr("Write it as a study"), self._on_write_clicked, name="faultStudy")
        line = row(write, label(tr("Its prints then stand beside the others."), "quiet"), None)
        line.setContentsMargins(0, 0, 0, 0)
        self.setLayout(line)

    def show_result(self, job: CalibrationJob, result: Result | None, readings: str) -> None:
        """Show the key where a fault was looked for."""
        self._job, self._readings = job, readings
        self._found = result.sentence if result is not None else ""
        self.setVisible(job.name == "fault" and result is not None)
        self.setEnabled(self._workbench.can_edit)

    def _on_write_clicked(self) -> None:
        if self._job is None:
            return
        try:
            study = fault_study(read_rows(self._readings, self._job.columns), self._found, now())
        except (CalibrationError, TableError, ValueError) as error:
            self._workbench.failed.emit(f"{error}")
            return
        record = self._workbench.do(operations.add_whole_study, study=study)
        if record is not None:
            self.written.emit(record.new_id("study"))
