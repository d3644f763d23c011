"""A printer that is listened to: start, temperatures, layers, end and faults. It is never commanded."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Final

_NUMBER: Final = re.compile(r"[+-]?\d+(?:[.,]\d+)?")
LONGEST: Final = 120


class PrinterEvent(StrEnum):
    """What a printer tells."""

    START = "start"
    TEMPERATURE = "temp"
    LAYER = "layer"
    DONE = "done"
    FAULT = "fault"


@dataclass(frozen=True, slots=True)
class PrinterSaid:
    """One line of a printer.

    Parameters
    ----------
    event : PrinterEvent
    number : float or None
        Layer from 1, or °C.
    z_mm : float or None
        Height of the layer.
    text : str
        Name of what is printed, or of a fault.
    """

    event: PrinterEvent
    number: float | None = None
    z_mm: float | None = None
    text: str = ""


def printer_line(text: str) -> PrinterSaid | None:
    """Read a line of a printer; None for what is none of its events.

    Parameters
    ----------
    text : str
        ``start NAME``, ``temp 210.0``, ``layer 12 2.40``, ``done`` or ``fault TEXT``.
    """
    word, _, rest = text.strip().partition(" ")
    try:
        event = PrinterEvent(word.casefold())
    except ValueError:
        return None
    if event in (PrinterEvent.START, PrinterEvent.FAULT):
        return PrinterSaid(event, text=rest.strip()[:LONGEST])
    numbers = [float(one.replace(",", ".")) for one in _NUMBER.findall(rest)]
    if event in (PrinterEvent.LAYER, PrinterEvent.TEMPERATURE) and not numbers:
        return None
    return PrinterSaid(event, numbers[0] if numbers else None, numbers[1] if len(numbers) > 1 else None)


@dataclass
class FollowedPrint:
    """What a print has told so far: its stamps and faults, in seconds of the clock that it is given.

    Parameters
    ----------
    started, first_layer, finished : float or None
    layers : int
    z_mm : float
        Height that was reached.
    faults : list of (float, float, str)
        When, at which height, and what.
    """

    started: float | None = None
    first_layer: float | None = None
    finished: float | None = None
    layers: int = 0
    z_mm: float = 0.0
    faults: list[tuple[float, float, str]] = field(default_factory=list)

    def take(self, said: PrinterSaid, at: float) -> None:
        """Take what the printer told at a moment."""
        if said.event is PrinterEvent.START:
            # A new print: what an unfinished one told does not belong to it.
            self.started, self.first_layer, self.finished = at, None, None
            self.layers, self.z_mm = 0, 0.0
            self.faults.clear()
        elif said.event is PrinterEvent.LAYER and said.number is not None:
            # The first layer is good once the second begins.
            if said.number >= 2 and self.first_layer is None:
                self.first_layer = at
            self.layers = max(self.layers, int(said.number))
            self.z_mm = max(self.z_mm, said.z_mm or 0.0)
        elif said.event is PrinterEvent.DONE:
            self.finished = at
        elif said.event is PrinterEvent.FAULT:
            self.faults.append((at, self.z_mm, said.text))
