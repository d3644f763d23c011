"""Settings that a file carries as a text of their own, cut into comment lines."""

from __future__ import annotations

import base64
import binascii
import json
import re
import zlib
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Final

LARGEST: Final = 4 << 20
"""Characters of carried texts; more is not kept."""
DEEPEST: Final = 60
ASSIGNED: Final = re.compile(r"^[ \t]*([A-Za-z][\w .-]{0,79}?)[ \t]*[=:][ \t]*(.*?)[ \t]*$", re.MULTILINE)


def carried_settings(pieces: Mapping[str, Sequence[str]]) -> dict[str, str]:
    """Return the settings in texts that were cut into comment lines.

    Parameters
    ----------
    pieces : mapping
        Lines by the text that they belong to: ``{`` for JSON as it stands, ``base64`` for coded text,
        anything else for the word that numbers the lines.

    Returns
    -------
    dict
        Key and value; what cannot be read is left out.
    """
    found: dict[str, str] = {}
    for name, lines in pieces.items():
        if name == "base64":
            text = _decoded("".join(lines))
        else:
            text = "\n".join(lines) if name == "{" else "".join(lines)
        for key, value in _settings(text):
            found.setdefault(key, value)
    return found


def _decoded(coded: str) -> str:
    """Return the text that was coded, packed or not; nothing where it is no text."""
    try:
        raw = base64.b64decode(coded + "=" * (-len(coded) % 4))
        if raw[:2] in (b"\x1f\x8b", b"\x78\x01", b"\x78\x9c", b"\x78\xda"):
            # 47: zlib or gzip, whichever it is. The size is bound: a few lines can unpack to gigabytes.
            raw = zlib.decompressobj(47).decompress(raw, LARGEST)
        return raw.decode("utf-8")
    except (binascii.Error, ValueError, zlib.error):
        return ""


def _settings(text: str) -> Iterator[tuple[str, str]]:
    begin = text.find("{")
    if 0 <= begin < 2:
        try:
            value, _ = json.JSONDecoder().raw_decode(text, begin)
        except (ValueError, RecursionError):
            return
        yield from flat_settings(value)
    else:
        yield from _assigned(text)


def _assigned(text: str) -> Iterator[tuple[str, str]]:
    yield from ((match.group(1).strip(), match.group(2)) for match in ASSIGNED.finditer(text))


def _broken(text: str) -> str:
    """Return a text with its line ends, which may be written as two letters."""
    return text.replace("\\n", "\n")


def flat_settings(value: Any, key: str = "", depth: int = 0) -> Iterator[tuple[str, str]]:
    """Yield the settings of nested objects by their own keys, lists as values with commas between.

    Parameters
    ----------
    value : object
        As JSON gives it; a value may be a text of settings itself.
    key : str
        That it stands under.
    depth : int
        How deep it lies; what lies absurdly deep is left out.
    """
    if depth > DEEPEST:
        return
    if isinstance(value, dict):
        for name, inner in value.items():
            yield from flat_settings(inner, name, depth + 1)
    elif isinstance(value, list):
        if key and not any(isinstance(item, dict | list) or "\n" in _broken(str(item)) for item in value):
            yield key, ", ".join(_written(item) for item in value)
        else:
            for item in value:
                yield from flat_settings(item, key, depth + 1)
    elif isinstance(value, str) and "\n" in _broken(value):
        yield from _assigned(_broken(value))
    elif key:
        yield key, _written(value)


def _written(value: Any) -> str:
    return "" if value is None else str(value)
