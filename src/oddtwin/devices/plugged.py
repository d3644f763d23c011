"""What is plugged in at a line, whatever it sends: how it is connected, how it does, and what is wrong."""

from __future__ import annotations

import time
from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from oddtwin.core.language import shown
from oddtwin.core.quantities import capitalized
from oddtwin.devices.line import Health, Line, Port, RawStream, SerialPort


@dataclass(frozen=True, slots=True)
class Setup:
    """How something is connected.

    Parameters
    ----------
    kind : str
        One of ``KINDS``, or ``PRINTER``.
    path : str
        Of its port.
    baud : int
    request : str
        What is sent to be answered; empty where it sends by itself.
    """

    kind: str
    path: str
    baud: int = 9600
    request: str = ""


class Plugged(ABC):
    """Something at a port.

    Parameters
    ----------
    setup : Setup
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
        # What it says itself that is wrong; empty where nothing is.
        self._why = ""

    @abstractmethod
    def poll(self) -> Sequence[object]:
        """Return what came since the last time; never waits, and never raises."""

    @property
    def health(self) -> str:
        """How it does, as the end of a sentence."""
        return shown(self._line.health)

    @property
    def trouble(self) -> str:
        """What is wrong, as a sentence; empty where nothing is."""
        if self._line.health in (Health.GARBAGE, Health.BROKEN):
            return f"{self.name}: {self.health}."
        if self._why:
            return f"{capitalized(self._why)}."
        raw = self._line.raw
        return raw.trouble if raw is not None else ""

    @property
    def name(self) -> str:
        """Its kind, as a sentence begins."""
        return capitalized(self.setup.kind)

    @property
    def words(self) -> str:
        """What it shows now, or what is wrong with it."""
        return self.trouble or f"{self.name}: {self.health}."

    def close(self) -> None:
        """Let go of its port."""
        self._line.close()
