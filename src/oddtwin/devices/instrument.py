"""An instrument that is listened to: its newest value, whether it may be taken, and what is wrong with it."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable
from pathlib import Path
from typing import Final

from oddtwin.core.language import mark, tr
from oddtwin.core.quantities import capitalized, format_list, format_number, with_unit
from oddtwin.devices.line import Health, Port
from oddtwin.devices.plugged import Plugged, Setup
from oddtwin.devices.samples import NoValue, Sample, said_by

KINDS: Final = (
    mark("scale"),
    mark("calliper"),
    mark("sound level"),
    mark("force"),
    mark("stopwatch"),
    mark("climate"),
)
STEADY: Final = 3
"""Samples in a row that must agree where an instrument does not say whether it stands still."""
STEADY_S: Final = 0.4
STALE_S: Final = 3.0
CLIMATE_STALE_S: Final = 30.0
"""A room changes slowly, and what measures it speaks seldom."""


class Instrument(Plugged):
    """One instrument, as it is plugged in."""

    def __init__(
        self,
        setup: Setup,
        raw: Path | None = None,
        opened: Callable[[], Port] | None = None,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        super().__init__(setup, raw, opened, clock)
        self._newest: Sample | None = None
        self._at = 0.0
        # By what they are about: a thermometer tells humidity in the same line.
        self._parts: dict[str, tuple[float, Sample]] = {}
        self._recent: deque[tuple[float, float]] = deque(maxlen=STEADY)

    def poll(self) -> list[Sample]:
        """Return the samples that came since the last time; never waits, and never raises."""
        if self.setup.request:
            self._line.ask(f"{self.setup.request}\r\n".encode("ascii", "ignore"))
        found: list[Sample] = []
        for text in self._line.poll():
            for said in said_by(self.setup.kind, text):
                if isinstance(said, NoValue):
                    if said.why:
                        # An overloaded scale has no value: the last good one must not be taken for it.
                        self._why, self._newest = said.why, None
                        self._recent.clear()
                    continue
                self._why = ""
                self._take(said)
                found.append(said)
        if self._line.health is Health.BROKEN:
            # What it showed before the plug was pulled is not what it shows now.
            self._newest = None
            self._parts.clear()
            self._recent.clear()
        return found

    def _take(self, sample: Sample) -> None:
        self._at = self._clock()
        self._newest = sample
        # Each part on its own clock: a hygrometer that falls silent must not speak for the thermometer.
        self._parts[sample.about] = self._at, sample
        self._recent.append((self._at, sample.value))

    @property
    def newest(self) -> Sample | None:
        """The newest value; None where it is too old to be the one that is meant."""
        if self._newest is None or self._clock() - self._at > self.stale_after:
            return None
        return self._newest

    @property
    def parts(self) -> dict[str, Sample]:
        """The newest values by what they are about, without those that are too old."""
        now = self._clock()
        return {about: sample for about, (at, sample) in self._parts.items() if now - at <= self.stale_after}

    @property
    def stale_after(self) -> float:
        """Seconds after which a value is not the present one any more."""
        # A calliper and a stopwatch send once, when a key is pressed.
        return {"calliper": 60.0, "stopwatch": 60.0, "climate": CLIMATE_STALE_S}.get(self.setup.kind, STALE_S)

    @property
    def stable(self) -> bool:
        """Whether the newest value stands still, by its own word or by those before it."""
        sample = self.newest
        if sample is None:
            return False
        if sample.stable is not None:
            return sample.stable
        # A scale without a word of its own stands still once it says the same for a while.
        if len(self._recent) < STEADY:
            return False
        times, values = zip(*self._recent, strict=True)
        step = 10.0**-sample.decimals
        return bool(times[-1] - times[0] >= STEADY_S and max(values) - min(values) <= 1.001 * step)

    def take(self) -> tuple[Sample | None, str]:
        """Return the value that can be taken now, or None and why there is none."""
        sample = self.newest
        if self._why:
            return None, f"{capitalized(self._why)}."
        if sample is None:
            return None, f"{self.name}: {self.health}."
        if not self.stable:
            return None, tr("It still moves; wait until it stands still.")
        return sample, ""

    @property
    def words(self) -> str:
        """What it shows now, or what is wrong with it."""
        sample = self.newest
        if self.trouble or sample is None:
            return super().words
        if sample.about:
            told = [
                with_unit(format_number(one.value, one.decimals), one.unit) for one in self.parts.values()
            ]
            return f"{self.name}: {format_list(told)}"
        figure = with_unit(format_number(sample.value, sample.decimals), sample.unit)
        return f"{self.name}: {sample.bound.value}{figure}{'' if self.stable else '  …'}"
