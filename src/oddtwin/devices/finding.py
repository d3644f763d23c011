"""What is plugged in: serial ports by their path, and what they call themselves."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class FoundPort:
    """A serial port: its path, and what it calls itself."""

    path: str
    name: str


def found_ports() -> list[FoundPort]:
    """Return the serial ports that are plugged in."""
    from serial.tools.list_ports import comports

    return [FoundPort(port.device, port.description or port.device) for port in sorted(comports())]
