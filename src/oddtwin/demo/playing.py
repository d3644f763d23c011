"""Simulated devices of a workshop: a printer that is listened to, a scale, a calliper, a force gauge."""

from __future__ import annotations

import time
from collections.abc import Callable
from types import TracebackType
from typing import Final, Self

from oddtwin.core.readings import Bound, Typed
from oddtwin.core.study import Response, Role
from oddtwin.devices import PRINTER, Instrument, ListenedPrinter, Setup
from oddtwin.devices.simulated import SimulatedCalliper, SimulatedForce, SimulatedPrinter, SimulatedScale

PACE: Final = 200.0
LAYER_S: Final = 20.0
PATIENCE_S: Final = 20.0
EMPTY_STEPS: Final = 4
LOOKS: Final = 12


class NoReadingError(RuntimeError):
    """A simulated device gave no reading in time; one sentence."""


class SimulatedBench:
    """Devices that stand in for those of a workshop; used as a context.

    Parameters
    ----------
    seed : int
        Of noise, drift and heating.
    """

    def __init__(self, seed: int) -> None:
        self._seed = seed
        self._prints = 0
        self._scale = SimulatedScale(seed, PACE, step_g=0.1)
        self._calliper = SimulatedCalliper(seed + 1, PACE)
        self._force = SimulatedForce(seed + 2, PACE, most_n=500.0)
        self._heard = {
            "scale": Instrument(Setup("scale", self._scale.path)),
            "calliper": Instrument(Setup("calliper", self._calliper.path)),
            "force": Instrument(Setup("force", self._force.path)),
        }

    def __enter__(self) -> Self:
        for one in (self._scale, self._calliper, self._force):
            one.start()
        for instrument in self._heard.values():
            instrument.poll()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        for instrument in self._heard.values():
            instrument.close()
        for one in (self._scale, self._calliper, self._force):
            one.close()

    def reads(self, response: Response) -> bool:
        """Return whether a device reads a response; others are typed."""
        return response.role is Role.TIME or response.unit in ("g", "mm", "N")

    def read(self, response: Response, true: float) -> Typed:
        """Return what the device of a response reads of a true value.

        Parameters
        ----------
        response : Response
            One that ``reads`` holds for.
        true : float
            In its unit.

        Raises
        ------
        NoReadingError
            No device answered in time.
        """
        if response.role is Role.TIME:
            return Typed(self.print(true))
        if response.unit == "g":
            return Typed(self._weigh(max(true, 0.0)))
        if response.unit == "mm":
            self._calliper.press(true)
            return Typed(self._next("calliper")[0])
        self._force.pull(max(true, 0.0))
        return Typed(*self._next("force"))

    def print(self, minutes: float) -> float:
        """Print something that takes so long, and return the minutes that its stamps tell."""
        self._prints += 1
        layers = [LAYER_S] * max(2, round(minutes * 60 / LAYER_S))
        printer = SimulatedPrinter("run", layers, seed=self._seed + 10 + self._prints)
        at_s = 0.0
        # Its clock is that of the print: by the clock of this machine, a busy one would print for longer.
        listened = ListenedPrinter(Setup(PRINTER, printer.path), clock=lambda: at_s)
        listened.poll()
        try:
            for at_s in printer.told():  # noqa: B007
                _until(lambda: bool(listened.poll()), "The printer")
        finally:
            listened.close()
            printer.close()
        followed = listened.followed
        assert followed.started is not None and followed.finished is not None
        return round((followed.finished - followed.started) / 60)

    def _weigh(self, true: float) -> float:
        """Take everything off, wait for zero, lay it on, and take what stands still."""
        scale, step = self._heard["scale"], self._scale.step_g

        def still(near: Callable[[float], bool]) -> Callable[[], bool]:
            def found() -> bool:
                scale.poll()
                sample, _ = scale.take()
                return sample is not None and near(sample.value)

            return found

        self._scale.put(0.0)
        _until(still(lambda value: abs(value) <= EMPTY_STEPS * step), "The scale")
        self._scale.put(true)
        looks = 0

        def settled() -> bool:
            nonlocal looks
            looks += len(scale.poll())
            sample, _ = scale.take()
            # What it showed before it was laden may still be on the line: a few lines must pass first.
            return looks >= LOOKS and sample is not None

        _until(settled, "The scale")
        sample, why = scale.take()
        if sample is None:
            raise NoReadingError(why)
        return sample.value

    def _next(self, kind: str) -> tuple[float, Bound]:
        found: list[tuple[float, Bound]] = []

        def heard() -> bool:
            found.extend((sample.value, sample.bound) for sample in self._heard[kind].poll())
            return bool(found)

        _until(heard, f"The {kind}")
        return found[0]


def _until(done: Callable[[], bool], name: str) -> None:
    end = time.monotonic() + PATIENCE_S
    while not done():
        if time.monotonic() > end:
            raise NoReadingError(f"{name} gave no reading in {PATIENCE_S:g} s.")
        time.sleep(0.001)
