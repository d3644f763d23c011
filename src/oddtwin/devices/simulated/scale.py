"""A simulated scale: it settles, drifts, has noise and steps, and speaks as scales do."""

from __future__ import annotations

import math
import threading
from collections.abc import Iterator
from typing import Final

from oddtwin.devices.simulated.terminal import StandIn

EVERY_S: Final = 0.2
SETTLES_S: Final = 0.5
DRIFT_G: Final = 0.002
NOISE_STEPS: Final = 0.2
STEADY_STEPS: Final = 1.0


class SimulatedScale(StandIn):
    """A scale.

    Parameters
    ----------
    seed : int
        Of drift and noise.
    pace : float
        How many times faster than life.
    step_g : float
        Its smallest step.
    most_g : float
        What it can weigh.
    on_demand : bool
        Whether it speaks only when it is asked (``P``).
    """

    def __init__(
        self,
        seed: int = 1,
        pace: float = 1.0,
        step_g: float = 0.1,
        most_g: float = 2000.0,
        *,
        on_demand: bool = False,
    ) -> None:
        super().__init__(seed, pace)
        self.step_g, self.most_g, self.on_demand = step_g, most_g, on_demand
        self._lock = threading.Lock()
        self._target = self._shown = self._zero = self._drift = 0.0

    def put(self, grams: float) -> None:
        """Lay so much on it in place of what lay there."""
        with self._lock:
            self._target = grams

    def tare(self) -> None:
        """Take what lies on it for zero."""
        with self._lock:
            self._zero = self._target

    def said(self) -> Iterator[tuple[float, bytes]]:
        """Yield a line every fifth of a second."""
        while True:
            line = self._next()
            yield EVERY_S, b"" if self.on_demand else line

    def asked(self, request: bytes) -> bytes:
        """Answer ``P`` with a line; ``T`` tares."""
        if b"T" in request.upper():
            self.tare()
        return self._next() if b"P" in request.upper() else b""

    def _next(self) -> bytes:
        with self._lock:
            target, zero = self._target, self._zero
        self._shown += (target - self._shown) * (1 - math.exp(-EVERY_S / SETTLES_S))
        self._drift += float(self.rng.normal(0, DRIFT_G))
        # As in life: it shows nothing at all beyond its end.
        if target > self.most_g:
            return b"OL\r\n"
        moving = abs(target - self._shown) > STEADY_STEPS * self.step_g
        # Once it has settled it shows what lies on it, to its step.
        base = self._shown if moving else target
        value = base - zero + self._drift + float(self.rng.normal(0, NOISE_STEPS * self.step_g))
        shown = round(value / self.step_g) * self.step_g
        decimals = max(0, round(-math.log10(self.step_g)))
        flag = "US" if moving else "ST"
        return f"{flag},GS,{shown:+10.{decimals}f}g\r\n".encode()
