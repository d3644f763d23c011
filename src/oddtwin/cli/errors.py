"""What commands share: input that cannot be used, files read and written, and painting unseen."""

from __future__ import annotations

import os
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


@contextmanager
def painting() -> Iterator[None]:
    """Have what letters are painted with, as long as it is needed; nothing is shown."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from oddtwin.ui.app import make_application

    held = make_application()
    yield
    del held


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
