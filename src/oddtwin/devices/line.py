"""A line of bytes from an instrument: read without waiting, kept as it came, and told when it breaks."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path
from typing import Final, Protocol

from oddtwin.core.language import mark, tr

LONGEST: Final = 256
"""Bytes without an end of line: that is no line of an instrument."""
MOST_AT_ONCE: Final = 1 << 16
TRY_AGAIN_S: Final = 1.0
GARBAGE: Final = 0.3
"""Share of bytes that are no plain text from which on the rate is wrong, and not the instrument."""
JUDGED_BYTES: Final = 40
QUIET_S: Final = 5.0


class Port(Protocol):
    """What bytes come from; reading never waits."""

    def read(self) -> bytes:
        """Return what has come; nothing where nothing has.

        Raises
        ------
        OSError
            The line is broken.
        """

    def write(self, data: bytes) -> None:
        """Send a request.

        Raises
        ------
        OSError
            The line is broken.
        """

    def close(self) -> None:
        """Let go of it."""


class SerialPort:
    """A serial port, or the pseudo-terminal of a stand-in: both are opened by the same driver.

    Parameters
    ----------
    path : str
        Such as /dev/ttyUSB0.
    baud : int
        Its rate.

    Raises
    ------
    OSError
        It cannot be opened.
    """

    def __init__(self, path: str, baud: int = 9600) -> None:
        import serial

        # One program at a time: two that read one scale get half of its lines each.
        self._serial = serial.Serial(path, baud, timeout=0, write_timeout=0.2, exclusive=True)

    def read(self) -> bytes:
        """Return what has come."""
        found: bytes = self._serial.read(MOST_AT_ONCE)
        return found

    def write(self, data: bytes) -> None:
        """Send a request."""
        self._serial.write(data)

    def close(self) -> None:
        """Let go of it."""
        self._serial.close()


class Health(StrEnum):
    """How a line does."""

    CLOSED = mark("not connected")
    QUIET = mark("connected, and silent")
    WELL = mark("connected")
    GARBAGE = mark("connected, but what comes is no text: the rate is wrong, or it is another instrument")
    BROKEN = mark("gone: unplugged, or taken by another program; it is taken up when it is back")


@dataclass
class RawStream:
    """Everything that an instrument sent, appended as it came; what cannot be written is told once.

    Parameters
    ----------
    path : Path
        Of the file; its folder is made where it is missing.
    """

    path: Path
    trouble: str = ""

    def add(self, data: bytes) -> None:
        """Append bytes. A full disk stops the record and never the reading."""
        # Told once: a full disk would say so ten times a second.
        if self.trouble:
            return
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            with self.path.open("ab") as file:
                file.write(data)
        except OSError as error:
            why = os.strerror(error.errno) if error.errno else str(error)
            self.trouble = tr(
                "What it sends is not recorded any more ({path}: {why}); readings go on.",
                path=self.path.name,
                why=why,
            )


@dataclass
class Line:
    """Whole lines from a port, taken up again when it breaks.

    Parameters
    ----------
    opened : callable
        Opens the port; raises OSError where it cannot.
    clock : callable
        Seconds that only rise.
    raw : RawStream, optional
        Where everything is kept.
    """

    opened: Callable[[], Port]
    clock: Callable[[], float]
    raw: RawStream | None = None
    health: Health = Health.CLOSED
    _port: Port | None = None
    _half: bytes = b""
    _next_try: float = 0.0
    _last: float = 0.0
    _seen: bytearray = field(default_factory=bytearray)

    def poll(self) -> list[str]:
        """Return the lines that were finished since the last time; never waits, and never raises."""
        if self._port is None and not self._open():
            return []
        assert self._port is not None
        try:
            # A pulled adapter raises here, and not when it is opened again.
            data = self._port.read()
        except OSError:
            self._break()
            return []
        now = self.clock()
        if not data:
            if self.health is Health.WELL and now - self._last > QUIET_S:
                self.health = Health.QUIET
            return []
        self._last = now
        if self.raw is not None:
            self.raw.add(data)
        self._judge(data)
        return self._lines(data)

    def ask(self, request: bytes) -> None:
        """Send a request, as scales that answer on demand want; a broken line is told by its health."""
        if self._port is None:
            return
        try:
            self._port.write(request)
        except OSError:
            self._break()

    def close(self) -> None:
        """Let go of the port."""
        if self._port is not None:
            self._drop()
        self.health = Health.CLOSED

    def _open(self) -> bool:
        now = self.clock()
        if now < self._next_try:
            return False
        self._next_try = now + TRY_AGAIN_S
        try:
            self._port = self.opened()
        except (OSError, ValueError):
            self.health = Health.BROKEN
            return False
        self.health, self._last = Health.QUIET, now
        # What was half sent before it broke is no reading.
        self._half = b""
        self._seen.clear()
        return True

    def _break(self) -> None:
        self._drop()
        self.health = Health.BROKEN
        self._next_try = self.clock() + TRY_AGAIN_S

    def _drop(self) -> None:
        port, self._port = self._port, None
        try:
            if port is not None:
                port.close()
        except OSError:
            return

    def _judge(self, data: bytes) -> None:
        self._seen += data
        del self._seen[:-JUDGED_BYTES]
        odd = sum(not (32 <= byte < 127 or byte in b"\r\n\t") for byte in self._seen)
        # The degree sign and the µ of some meters are one byte of many.
        wrong = odd > GARBAGE * len(self._seen)
        self.health = Health.GARBAGE if wrong else Health.WELL

    def _lines(self, data: bytes) -> list[str]:
        *whole, self._half = (self._half + data).replace(b"\r", b"\n").split(b"\n")
        if len(self._half) > LONGEST:
            # Without an end it would grow for ever.
            self._half = b""
        texts = (line.decode("ascii", "replace").strip() for line in whole if len(line) <= LONGEST)
        return [text for text in texts if text]
