"""Text in the room it has: shortened, or broken into lines, by the mean width of the shipped typeface."""

from __future__ import annotations


def fit(text: str, room: float, size: float) -> str:
    """Shorten a text to a room.

    Parameters
    ----------
    text : str
        One line.
    room, size : float
        How wide it may be, and how large its letters are; in the same unit.
    """
    most = max(3, int(room / (size * 0.52)))
    return text if len(text) <= most else text[: most - 1].rstrip() + "…"


def wrapped(text: str, room: float, size: float, most: int) -> list[str]:
    """Break a text into lines that fit; what is left over at the last one is shortened.

    Parameters
    ----------
    text : str
        Words between spaces.
    room, size : float
        As for ``fit``.
    most : int
        Lines.
    """
    lines: list[str] = []
    words = text.split()
    while words and len(lines) < most:
        line = words.pop(0)
        while words and len(f"{line} {words[0]}") * size * 0.52 <= room:
            line = f"{line} {words.pop(0)}"
        lines.append(line)
    if words and lines:
        lines[-1] = fit(f"{lines[-1]} {' '.join(words)}", room, size)
    return [fit(line, room, size) for line in lines]
