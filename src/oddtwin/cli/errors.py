"""Input that cannot be used, and reading the files that commands are given."""

from __future__ import annotations

from pathlib import Path


class InputError(Exception):
    """The input cannot be used; the message is one sentence for the user."""


def read_text(path: Path) -> str:
    """Return the text of a file.

    Raises
    ------
    InputError
        It cannot be read, or is not UTF-8.
    """
    try:
        return path.read_bytes().decode("utf-8")
    except OSError as error:
        raise InputError(f"{path}: the file cannot be read ({error.strerror})") from None
    except UnicodeDecodeError as error:
        line = error.object[: error.start].count(b"\n") + 1
        raise InputError(f"{path}, line {line}: this is not UTF-8 text; save it as UTF-8") from None
