"""A simulated printer: it heats, lays its layers and tells of it, at up to 10 000 times real time."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Final

from oddtwin.devices.simulated.terminal import StandIn

FASTEST: Final = 10_000.0
HEATS_S: Final = 240.0
FAULTS: Final = ("came loose", "blob", "skipped")


class SimulatedPrinter(StandIn):
    """A printer that prints one thing.

    Parameters
    ----------
    name : str
        Of what is printed.
    layer_s : sequence of float
        Time of every layer, s.
    layer_mm : float
        Its height.
    seed : int
        Of how long it heats, how its layers scatter, and of faults.
    pace : float
        How many times faster than life, at most 10 000; infinite for at once.
    fault : float
        Chance that the print ends in a fault.
    """

    def __init__(
        self,
        name: str,
        layer_s: Sequence[float],
        layer_mm: float = 0.2,
        seed: int = 1,
        pace: float = FASTEST,
        fault: float = 0.0,
    ) -> None:
        super().__init__(seed, pace)
        self.name, self.layer_s, self.layer_mm = name, list(layer_s), layer_mm
        fails = self.rng.random() < fault and self.layer_s
        self.fails_at = int(self.rng.integers(1, len(self.layer_s) + 1)) if fails else 0

    def said(self) -> Iterator[tuple[float, bytes]]:
        """Yield start, temperatures, layers, and done or a fault."""
        yield 0.0, f"start {self.name}\r\n".encode()
        heats = HEATS_S * float(self.rng.normal(1.0, 0.05))
        for part in (0.25, 0.5, 0.75, 1.0):
            yield heats / 4, f"temp {25 + part * 185:.1f}\r\n".encode()
        for number, seconds in enumerate(self.layer_s, 1):
            yield 0.0, f"layer {number} {number * self.layer_mm:.2f}\r\n".encode()
            # A print fails inside a layer, and tells no end.
            if number == self.fails_at:
                yield seconds / 2, f"fault {FAULTS[int(self.rng.integers(len(FAULTS)))]}\r\n".encode()
                return
            yield seconds * float(self.rng.normal(1.0, 0.002)), b""
        yield 0.0, b"done\r\n"
