"""A printer at a serial line that is listened to while it prints; nothing is ever sent to it."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import Final

from oddtwin.core.quantities import capitalized, format_number, with_unit
from oddtwin.devices.instrument import Setup
from oddtwin.devices.line import Health, Line, Port, RawStream, SerialPort
from oddtwin.devices.printer import FollowedPrint, PrinterEvent, PrinterSaid, printer_line

PRINTER: Final = "printer"
"""Its kind, beside those of instruments."""


class ListenedPrinter:
    """What one printer tells.

    Parameters
    ----------
    setup : Setup
        Of kind ``PRINTER``; a request is never sent.
    raw : Path, optional
        File that everything it sends is appended to.
    opened : callable, optional
        Opens its port; the serial driver where it is not given.
    clock : callable
        Seconds that only rise.
    """

    def __init__(
        self,
        setup: Setup,
        raw: Path | None = None,
        opened: Callable[[], Port] | None = None,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self.setup = setup
        self._clock = clock
        stream = RawStream(raw) if raw is not None else None
        self._line = Line(opened or (lambda: SerialPort(setup.path, setup.baud)), clock, stream)
        self._print = FollowedPrint()
        self._name = ""
        self._celsius: float | None = None

    def poll(self) -> list[PrinterSaid]:
        """Return what it told since the last time; never waits, and never raises."""
        found = []
        for text in self._line.poll():
            said = printer_line(text)
            if said is None:
                continue
            self._print.take(said, self._clock())
            if said.event is PrinterEvent.START:
                self._name = said.text
            if said.event is PrinterEvent.TEMPERATURE:
                self._celsius = said.number
            found.append(said)
        return found

    @property
    def z_mm(self) -> float | None:
        """Height that the print has reached, mm; None before its first layer."""
        return self._print.z_mm or None

    @property
    def health(self) -> str:
        """How it does, as the end of a sentence."""
        return self._line.health.value

    @property
    def trouble(self) -> str:
        """What is wrong, as a sentence; empty where nothing is."""
        if self._line.health in (Health.GARBAGE, Health.BROKEN):
            return f"{capitalized(PRINTER)}: {self.health}."
        raw = self._line.raw
        return raw.trouble if raw is not None else ""

    @property
    def words(self) -> str:
        """What it does now, or what is wrong with it."""
        if self.trouble:
            return self.trouble
        followed, what = self._print, f"“{self._name}”" if self._name else "its print"
        if followed.started is None and not followed.layers:
            return f"Printer: {self.health}."
        if followed.faults:
            return f"Printer: {what}, {followed.faults[-1][2]} at {format_number(followed.z_mm)} mm."
        if followed.finished is not None:
            return f"Printer: {what} is done, {followed.layers} layers."
        if followed.layers:
            height = with_unit(format_number(followed.z_mm), "mm")
            return f"Printer: {what}, layer {followed.layers} at {height}"
        heat = "" if self._celsius is None else f", {with_unit(format_number(self._celsius, 0), '°C')}"
        return f"Printer: {what} heats{heat}"

    def close(self) -> None:
        """Let go of its port."""
        self._line.close()
