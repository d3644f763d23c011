"""Instruments that are plugged in: connected once, listened to all the time, taken from by Enter."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import asdict
from datetime import date
from functools import partial
from pathlib import Path
from typing import Final
from weakref import WeakKeyDictionary

from PySide6.QtCore import QObject, QSettings, QTimer, Signal
from PySide6.QtWidgets import QComboBox, QLabel, QVBoxLayout, QWidget

from oddtwin.core.language import mark, tr
from oddtwin.core.quantities import convert
from oddtwin.devices import (
    KINDS,
    PRINTER,
    Instrument,
    ListenedPrinter,
    Plugged,
    PrinterSaid,
    Sample,
    Setup,
    Stopwatch,
    WatchedFolder,
    found_ports,
)
from oddtwin.operations import Room
from oddtwin.ui.widgets import (
    Card,
    LineField,
    at_least,
    button,
    choose,
    clear,
    column_label,
    heading,
    label,
    row,
)
from oddtwin.ui.widgets.fields import NothingToTakeError
from oddtwin.ui.workbench import Workbench

POLL_MS: Final = 100
KEPT: Final = "instruments"
WATCHED: Final = "watched"
CAMERA: Final = mark("camera")
UNITS: Final = {"scale": "g", "calliper": "mm", "sound level": "dB", "force": "N", "stopwatch": "s"}
RATES: Final = (9600, 1200, 2400, 4800, 19200, 38400, 57600, 115200)


class Instruments(QObject):
    """All that are connected; ``heard`` is emitted as often as they are listened to.

    ``told`` is emitted with a printer and what it told.
    """

    heard = Signal()
    changed = Signal()
    told = Signal(ListenedPrinter, PrinterSaid)

    def __init__(self, workbench: Workbench) -> None:
        super().__init__(workbench)
        self._workbench = workbench
        self.connected: list[Plugged] = []
        self._timer = QTimer(self)
        self._timer.setInterval(POLL_MS)
        self._timer.timeout.connect(self._on_timer)
        workbench.book_changed.connect(self._on_book_changed)
        workbench.ended.connect(self.fall_silent)
        self.camera: WatchedFolder | None = None
        self.stopwatch = Stopwatch()
        self._restore()

    def watch(self, text: str) -> None:
        """Watch the folder that a camera or phone writes to; an empty text watches none.

        Raises
        ------
        NotADirectoryError
            It is no folder; none is watched.
        """
        self.camera = None
        path = Path(text.strip()).expanduser() if text.strip() else None
        there = path is None or path.is_dir()
        if path is not None and there:
            self.camera = WatchedFolder(path)
        # The same camera writes to the same folder tomorrow.
        QSettings().setValue(WATCHED, text.strip() if there else "")
        self.changed.emit()
        if not there:
            raise NotADirectoryError(tr("{path} is no folder.", path=path))

    def _restore(self) -> None:
        """Take up what was connected the last time; what is gone is told by its health."""
        watched = str(QSettings().value(WATCHED) or "")
        self.camera = WatchedFolder(Path(watched).expanduser()) if watched else None
        try:
            setups = [Setup(**one) for one in json.loads(str(QSettings().value(KEPT) or "[]"))]
        except (ValueError, TypeError):
            return
        for setup in setups:
            self._listen(setup)

    def _listen(self, setup: Setup) -> None:
        name = f"{setup.kind.replace(' ', '-')}-{date.today():%Y-%m-%d}.txt"
        raw = self._workbench.book.folder / "streams" / name if self._workbench.has_book else None
        kind = ListenedPrinter if setup.kind == PRINTER else Instrument
        self.connected.append(kind(setup, raw))
        self._timer.start()

    def connect_to(self, setup: Setup) -> None:
        """Listen to an instrument, in place of one at the same port."""
        for one in [one for one in self.connected if one.setup.path == setup.path]:
            self.let_go(one)
        self._listen(setup)
        self._keep()

    def let_go(self, instrument: Plugged) -> None:
        """Listen to an instrument no more."""
        instrument.close()
        self.connected.remove(instrument)
        if not self.connected:
            self._timer.stop()
        self._keep()

    def _on_book_changed(self) -> None:
        """Keep what is sent from now on in the lab book that is open now."""
        setups = [one.setup for one in self.connected]
        self.fall_silent()
        for setup in setups:
            self._listen(setup)
        self.changed.emit()

    def fall_silent(self) -> None:
        """Let go of every port as the window closes; the next one takes them up again."""
        self._timer.stop()
        while self.connected:
            self.connected.pop().close()

    def _keep(self) -> None:
        setups = [asdict(one.setup) for one in self.connected]
        QSettings().setValue(KEPT, json.dumps(setups))
        self.changed.emit()

    def _on_timer(self) -> None:
        for one in list(self.connected):
            for said in one.poll():
                if isinstance(one, ListenedPrinter):
                    self.told.emit(one, said)
        self.heard.emit()

    def take(self, unit: str) -> Sample | None:
        """Return what the instrument of a unit shows, in that unit; None where none is connected.

        Raises
        ------
        NothingToTakeError
            It moves, is overloaded, or is gone.
        """
        stood, times = self.stopwatch.sample(), _times("s", unit)
        if self.stopwatch.runs and times is not None:
            raise NothingToTakeError(tr("The stopwatch still runs; stop it first."))
        if stood is not None and times is not None:
            # Taken once: the next print is timed anew.
            self.stopwatch.clear()
            return Sample(times * stood.value, unit, True, stood.bound, stood.decimals + 2)
        for one in self.connected:
            times = _times(UNITS.get(one.setup.kind, ""), unit)
            if times is None or not isinstance(one, Instrument):
                continue
            one.poll()
            sample, why = one.take()
            if sample is None:
                raise NothingToTakeError(why)
            decimals = sample.decimals if sample.unit == unit else sample.decimals + 3
            return Sample(times * sample.value, unit, True, sample.bound, decimals)
        return None

    def room(self) -> Room:
        """Return how the room is, where something measures it."""
        for one in self.connected:
            if isinstance(one, Instrument) and one.setup.kind == "climate":
                one.poll()
                temperature, humidity = (one.parts.get(about) for about in ("temperature", "humidity"))
                return Room(temperature.value if temperature else None, humidity.value if humidity else None)
        return Room()


def _times(unit: str, wanted: str) -> float | None:
    """Return what one unit is in another; None where they are not of one family."""
    if unit == wanted:
        return 1.0
    try:
        return convert(1.0, unit, wanted)
    except ValueError:
        return None


_OF: WeakKeyDictionary[Workbench, Instruments] = WeakKeyDictionary()


def instruments_of(workbench: Workbench) -> Instruments:
    """Return the instruments of a window: one for all of its screens, for a port is opened once.

    Parameters
    ----------
    workbench : Workbench
        Of the window.
    """
    found = _OF.get(workbench)
    if found is None:
        found = _OF[workbench] = Instruments(workbench)
    return found


def typed_text(sample: Sample) -> str:
    """Return a sample as a person would have typed it."""
    return f"{sample.bound.value}{sample.value:.{sample.decimals}f}"


def show_text(shown: QLabel, text: str) -> None:
    """Show a text where it is another: ten times a second most are not."""
    if shown.text() != text:
        shown.setText(text)


class InstrumentsCard(Card):
    """What is connected with what it shows now, and a line to connect another."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._instruments = instruments_of(workbench)
        self._kind, self._port, self._baud = QComboBox(), QComboBox(), QComboBox()
        self._port.setEditable(True)
        for box, name, said in (
            (self._kind, "instrumentKind", tr("Kind of instrument")),
            (self._port, "instrumentPort", tr("Port")),
            (self._baud, "instrumentBaud", tr("Rate")),
        ):
            box.setObjectName(name)
            box.setAccessibleName(said)
        at_least(self._port, width=230)
        choose(self._kind, [(kind, kind) for kind in (*KINDS, PRINTER, CAMERA)], "scale")
        self._kind.currentIndexChanged.connect(self._show_kind)
        choose(self._baud, [(tr("{rate} baud", rate=rate), rate) for rate in RATES], RATES[0])
        self._request = LineField("instrumentRequest", tr("asked with; may stay empty"), 230)
        self._request.edit.setAccessibleName(tr("What an instrument is asked with"))
        self._lines = QVBoxLayout()
        self._lines.setSpacing(4)
        self._shown: list[tuple[Plugged, QLabel]] = []
        self._camera: QLabel | None = None
        self._told = label("", "error")
        self._told.hide()
        self.add(
            heading(tr("Instruments")),
            label(
                tr("Enter in an empty field of grams, millimetres, newtons or dB takes what the "
"instrument shows, once it stands still. A printer is listened to, never "
"commanded: it stamps the run in hand. A camera is the folder that it writes "
"to; its photographs are filed in Look."),
                "quiet",
            ),
            self._lines,
            row(self._kind, column_label(tr("at")), self._port, None),
            row(
                self._baud,
                self._request,
                button(tr("Connect"), self._on_connect_clicked, name="connectInstrument"),
                None,
            ),
            self._told,
        )  # fmt: skip
        self._instruments.changed.connect(self._show_lines)
        self._instruments.heard.connect(self._show_values)
        self._show_lines()

    def _show_kind(self, *_: object) -> None:
        """A folder has neither rate nor request."""
        camera = self._kind.currentData() == CAMERA
        for part in (self._baud, self._request):
            part.setVisible(not camera)

    def refresh_ports(self) -> None:
        """Show the ports that are plugged in now; what is typed stays."""
        typed = self._port.currentText()
        self._port.clear()
        self._port.addItems([port.path for port in found_ports()])
        self._port.setCurrentText(typed)

    def _show_lines(self) -> None:
        clear(self._lines)
        self._shown, self._camera = [], None
        for one in self._instruments.connected:
            value = self._line(one.setup.kind, partial(self._instruments.let_go, one))
            self._shown.append((one, value))
        if self._instruments.camera is not None:
            self._camera = self._line(CAMERA, partial(self._instruments.watch, ""))
        self._show_values()

    def _line(self, kind: str, let_go: Callable[[], None]) -> QLabel:
        """Add a line for one that is connected; return what its words stand in."""
        value = label("", wrap=False)
        value.setObjectName(f"instrument-{kind}")
        line = row(value, None, button(tr("Let go"), let_go, name="letGoInstrument"))
        line.setContentsMargins(0, 0, 0, 0)
        holder = QWidget()
        holder.setLayout(line)
        self._lines.addWidget(holder)
        return value

    def _show_values(self) -> None:
        for one, value in self._shown:
            show_text(value, one.words)
        camera = self._instruments.camera
        if camera is not None and self._camera is not None:
            came = tr(" {came} came so far.", came=camera.came) if camera.came else ""
            show_text(self._camera, tr("Camera: {camera}{came}", camera=camera.words, came=came))

    def _on_connect_clicked(self) -> None:
        path = self._port.currentText().strip()
        camera = self._kind.currentData() == CAMERA
        self._told.setVisible(not path)
        if not path:
            self._told.setText(
                tr("Type the folder that it writes to.")
                if camera
                else tr("Choose the port that it is plugged in at, or type it, such as /dev/ttyUSB0.")
            )
            return
        if camera:
            try:
                self._instruments.watch(path)
            except NotADirectoryError as error:
                self._told.setText(f"{error}")
                self._told.show()
            return
        self._instruments.connect_to(
            Setup(self._kind.currentData(), path, self._baud.currentData(), self._request.text().strip())
        )
