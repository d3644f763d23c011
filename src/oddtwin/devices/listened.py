"""A printer at a serial line that is listened to while it prints; nothing is ever sent to it."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import Final

from oddtwin.core.language import mark, tr
from oddtwin.core.quantities import format_number, with_unit
from oddtwin.devices.line import Port
from oddtwin.devices.plugged import Plugged, Setup
from oddtwin.devices.printer import FollowedPrint, PrinterEvent, PrinterSaid, printer_line

PRINTER: Final = mark("printer")
"""Its kind, beside those of instruments."""


class ListenedPrinter(Plugged):
    """What one printer tells; its set-up is of kind ``PRINTER``, and a request is never sent.

    ``followed`` is its print: its stamps, in seconds of the clock, height and faults.
    """

    def __init__(
        self,
        setup: Setup,
        raw: Path | None = None,
        opened: Callable[[], Port] | None = None,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        super().__init__(setup, raw, opened, clock)
        self.followed = FollowedPrint()
        self._name = ""
        self._celsius: float | None = None

    def poll(self) -> list[PrinterSaid]:
        """Return what it told since the last time; never waits, and never raises."""
        found = []
        for text in self._line.poll():
            said = printer_line(text)
            if said is None:
                continue
            self.followed.take(said, self._clock())
            if said.event is PrinterEvent.START:
                self._name = said.text
            if said.event is PrinterEvent.TEMPERATURE:
                self._celsius = said.number
            found.append(said)
        return found

    @property
    def z_mm(self) -> float | None:
        """Height that the print has reached, mm; None before its first layer."""
        return self.followed.z_mm or None

    @property
    def words(self) -> str:
        """What it does now, or what is wrong with it."""
        followed, what = self.followed, f"“{self._name}”" if self._name else tr("its print")
        if self.trouble or (followed.started is None and not followed.layers):
            return super().words
        if followed.faults:
            return tr(
                "Printer: {what}, {faults} at {z_mm} mm.",
                what=what,
                faults=followed.faults[-1][2],
                z_mm=format_number(followed.z_mm),
            )
        if followed.finished is not None:
            return tr("Printer: {what} is done, {layers} layers.", what=what, layers=followed.layers)
        if followed.layers:
            height = with_unit(format_number(followed.z_mm), "mm")
            return tr(
                "Printer: {what}, layer {layers} at {height}",
                what=what,
                layers=followed.layers,
                height=height,
            )
        heat = "" if self._celsius is None else f", {with_unit(format_number(self._celsius, 0), '°C')}"
        return tr("Printer: {what} heats{heat}", what=what, heat=heat)
