"""A pseudo-terminal with a stand-in at its far end."""

from __future__ import annotations

import os
import select
import threading
import time
import tty
from collections.abc import Iterator
from types import TracebackType
from typing import Final, Self

import numpy as np

SHORTEST_S: Final = 0.001


class StandIn:
    """Something that speaks on a pseudo-terminal until it is closed.

    Parameters
    ----------
    seed : int
        Of all that is drawn.
    pace : float
        How many times faster than life: 1 as in life; infinite for at once.
    """

    def __init__(self, seed: int = 1, pace: float = 1.0) -> None:
        self.rng = np.random.default_rng(seed)
        self.pace = pace
        self._near, far = os.openpty()
        tty.setraw(far)
        # The far end stays open here: with nobody else at it, reading would end instead of waiting.
        self._far = far
        self.path = os.ttyname(far)
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)

    def start(self) -> Self:
        """Begin to speak."""
        self._thread.start()
        return self

    def close(self) -> None:
        """Fall silent, and pull the plug."""
        if self._stop.is_set():
            return
        self._stop.set()
        if self._thread.ident is not None:
            self._thread.join(2.0)
        os.close(self._near)
        os.close(self._far)

    def __enter__(self) -> Self:
        return self.start()

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def said(self) -> Iterator[tuple[float, bytes]]:
        """Yield seconds of life to wait, and what is said then."""
        raise NotImplementedError

    def told(self) -> Iterator[float]:
        """Say all of it without waiting, one thing each time it is asked on, instead of ``start``.

        Yields
        ------
        float
            Second of life that it was said at: the same on a slow machine as on a fast one.
        """
        at_s = 0.0
        for seconds, data in self.said():
            at_s += seconds
            if data and self._write(data):
                yield at_s

    def asked(self, request: bytes) -> bytes:
        """Return what is answered to a request."""
        del request
        return b""

    def _run(self) -> None:
        for seconds, data in self.said():
            if not self._wait(seconds / self.pace):
                return
            if not self._write(data):
                return
        # It has said all: what is asked is answered still.
        while self._wait(0.05):
            pass

    def _wait(self, seconds: float) -> bool:
        """Wait, and answer what is asked meanwhile; False once the plug is pulled."""
        end = time.monotonic() + seconds
        while not self._stop.is_set():
            left = end - time.monotonic()
            try:
                ready = select.select([self._near], [], [], max(0.0, min(left, 0.05)))[0]
                if ready:
                    answer = self.asked(os.read(self._near, 256))
                    if answer and not self._write(answer):
                        return False
            except OSError:
                return False
            if left <= SHORTEST_S:
                return True
        return False

    def _write(self, data: bytes) -> bool:
        while data and not self._stop.is_set():
            try:
                # Where nobody reads, the terminal is full: then it waits, as a device with flow control does.
                if select.select([], [self._near], [], 0.05)[1]:
                    data = data[os.write(self._near, data) :]
            except OSError:
                return False
        return not self._stop.is_set()
