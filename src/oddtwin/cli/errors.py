"""Input that cannot be used, and reading the files that commands are given."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


class InputError(Exception):
    """The input cannot be used; the message is one sentence for the user."""


@contextmanager
def writing(path: Path) -> Iterator[None]:
    """Say in one sentence why the system refuses what is written inside.

    Raises
    ------
    InputError
        It cannot be written.
    """
    try:
        yield
    except OSError as error:
        raise InputError(f"{path}: it cannot be written ({error.strerror or error})") from None


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
