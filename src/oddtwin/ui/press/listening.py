"""A printer that tells of its print stamps the run that it was begun with."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple

from PySide6.QtCore import QObject

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_reading
from oddtwin.core.study import EventKind, Run, RunState
from oddtwin.devices import ListenedPrinter, PrinterEvent, PrinterSaid
from oddtwin.ui.instruments import instruments_of
from oddtwin.ui.workbench import Workbench

_KINDS = {kind.value: kind for kind in EventKind}


class _Begun(NamedTuple):
    folder: Path
    run_id: int
    code: str
    printer: ListenedPrinter


class PrinterStamps(QObject):
    """Start, first layer, end and faults of a listened print, put to the run in hand when it began.

    ``in_hand`` returns the run that is shown; None where none is.
    """

    def __init__(self, workbench: Workbench, in_hand: Callable[[], Run | None], parent: QObject) -> None:
        super().__init__(parent)
        self._workbench = workbench
        self._in_hand = in_hand
        # By port: the run that it prints. Another lab book has runs of the same numbers.
        self._begun: dict[str, _Begun] = {}
        instruments_of(workbench).told.connect(self._on_told)

    def height_of(self, run_id: int) -> float | None:
        """Return the height that a listened print has reached, mm; None where nobody tells."""
        return next((one.printer.z_mm for one in self._begun.values() if one.run_id == run_id), None)

    def _on_told(self, printer: ListenedPrinter, said: PrinterSaid) -> None:
        path = printer.setup.path
        if said.event is PrinterEvent.START:
            self._begun.pop(path, None)
            self._begin(printer, said.text)
            return
        begun = self._begun.get(path)
        if begun is None or not self._workbench.has_book or begun.folder != self._workbench.book.folder:
            return
        run = self._run(begun.run_id)
        # Of a study that is not in hand the lab book itself says whether the stamp can be.
        if run is not None and run.state is not RunState.PRINTING:
            return
        if said.event is PrinterEvent.LAYER and said.number == 2:
            noted = run is not None and any(one.kind is EventKind.FIRST_LAYER for one in run.plate.events)
            if not noted:
                self._note(begun, EventKind.FIRST_LAYER)
        elif said.event is PrinterEvent.FAULT:
            self._note_fault(begun, run, said.text, printer.z_mm)
        elif said.event is PrinterEvent.DONE:
            del self._begun[path]
            self._workbench.do(operations.finish_run, run_id=begun.run_id, code=begun.code)

    def _begin(self, printer: ListenedPrinter, name: str) -> None:
        run = self._in_hand()
        if run is None or run.state is not RunState.PLANNED:
            self._workbench.failed.emit(
                tr(
                    "The printer began “{name}”, and no run was in hand to be started: nothing was stamped.",
                    name=name,
                )
            )
            return
        if self._workbench.do(
            operations.start_run,
            run_id=run.id,
            code=run.code,
            room=instruments_of(self._workbench).room(),
        ):
            self._begun[printer.setup.path] = _Begun(self._workbench.book.folder, run.id, run.code, printer)

    def _run(self, run_id: int) -> Run | None:
        study = self._workbench.study
        return study.index.runs.get(run_id) if study is not None else None

    def _note(self, begun: _Begun, kind: EventKind, z_mm: float | None = None) -> None:
        self._workbench.do(operations.note_event, run_id=begun.run_id, code=begun.code, kind=kind, z_mm=z_mm)

    def _note_fault(self, begun: _Begun, run: Run | None, text: str, z_mm: float | None) -> None:
        kind = _KINDS.get(text.strip().casefold())
        if kind is not None:
            self._note(begun, kind, z_mm)
        elif run is not None:
            where = "" if z_mm is None else tr(" at {z_mm} mm", z_mm=format_reading(z_mm))
            note = tr(
                "{note}\nThe printer told: {text}{where}.", note=run.note, text=text, where=where
            ).strip()
            self._workbench.do(operations.edit_run, run_id=run.id, code=run.code, note=note)
