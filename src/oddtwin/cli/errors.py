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
    from oddtwin.store import StoreError, read_text_file

    try:
        return read_text_file(path)
    except StoreError as error:
        raise InputError(str(error)) from None
