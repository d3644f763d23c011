"""A stopwatch of one's own: started and stopped by a key, and taken like what an instrument shows."""

from __future__ import annotations

import time
from collections.abc import Callable

from oddtwin.devices.samples import Sample


class Stopwatch:
    """Runs, stands, or was never started.

    Parameters
    ----------
    clock : callable
        Seconds that only rise.
    """

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._since: float | None = None
        self._stood = 0.0

    @property
    def runs(self) -> bool:
        """Whether it runs now."""
        return self._since is not None

    @property
    def seconds(self) -> float:
        """What it shows."""
        return self._stood + (self._clock() - self._since if self._since is not None else 0.0)

    def press(self) -> None:
        """Start it, stop it, or let it go on from where it stood."""
        if self._since is None:
            self._since = self._clock()
        else:
            self._stood = self.seconds
            self._since = None

    def clear(self) -> None:
        """Set it to nothing, as after its figure was taken."""
        self._since, self._stood = None, 0.0

    def sample(self) -> Sample | None:
        """Return what it stands at, in seconds; None where it shows nothing, or runs."""
        if self.runs or not self._stood:
            return None
        # Tenths: no thumb is better than that.
        return Sample(round(self._stood, 1), "s", True, decimals=1)
