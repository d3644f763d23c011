"""Simulated meters that send what they read: calliper, sound level, force, temperature and humidity."""

from __future__ import annotations

import queue
from collections.abc import Iterator
from typing import Final

from oddtwin.devices.simulated.terminal import StandIn

CALLIPER_U_MM: Final = 0.008
SOUND_U_DB: Final = 0.3
IDLE_S: Final = 0.02


def _next(waiting: queue.SimpleQueue[float]) -> float | None:
    """Return what somebody did, or None where nobody did anything for a moment."""
    try:
        return waiting.get(timeout=IDLE_S)
    except queue.Empty:
        return None


class SimulatedCalliper(StandIn):
    """A calliper that sends a line each time its key is pressed."""

    def __init__(self, seed: int = 1, pace: float = 1.0) -> None:
        super().__init__(seed, pace)
        self._pressed: queue.SimpleQueue[float] = queue.SimpleQueue()

    def press(self, true_mm: float) -> None:
        """Measure something and press the key."""
        self._pressed.put(true_mm)

    def said(self) -> Iterator[tuple[float, bytes]]:
        """Yield a line for every press."""
        while True:
            true = _next(self._pressed)
            if true is None:
                yield 0.0, b""
                continue
            yield 0.0, f"{true + float(self.rng.normal(0, CALLIPER_U_MM)):.2f} mm\r\n".encode()


class SimulatedSound(StandIn):
    """A sound level meter; ``level`` is what it stands in, dB."""

    level = 42.0

    def said(self) -> Iterator[tuple[float, bytes]]:
        """Yield a line twice a second."""
        while True:
            yield 0.5, f"{self.level + float(self.rng.normal(0, SOUND_U_DB)):.1f} dBA\r\n".encode()


class SimulatedForce(StandIn):
    """A force gauge that sends the peak of every pull, and ``OL`` with its end beyond it."""

    def __init__(self, seed: int = 1, pace: float = 1.0, most_n: float = 40.0) -> None:
        super().__init__(seed, pace)
        self.most_n = most_n
        self._pulls: queue.SimpleQueue[float] = queue.SimpleQueue()

    def pull(self, breaks_at_n: float) -> None:
        """Pull a piece until it breaks, or the gauge ends."""
        self._pulls.put(breaks_at_n)

    def said(self) -> Iterator[tuple[float, bytes]]:
        """Yield a line for every pull."""
        while True:
            peak = _next(self._pulls)
            if peak is None:
                yield 0.0, b""
                continue
            yield (
                0.0,
                (f"OL {self.most_n:.1f} N" if peak > self.most_n else f"{peak:.1f} N").encode() + b"\r\n",
            )


class SimulatedClimate(StandIn):
    """A thermometer and hygrometer."""

    def said(self) -> Iterator[tuple[float, bytes]]:
        """Yield a line every other second."""
        temperature, humidity = 22.0, 45.0
        while True:
            temperature += float(self.rng.normal(0, 0.02))
            humidity += float(self.rng.normal(0, 0.1))
            yield 2.0, f"T={temperature:.1f}C H={humidity:.0f}%\r\n".encode()
