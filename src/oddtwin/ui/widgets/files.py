"""Where files are written: proposed in the user's own folder, and read back from a field."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from PySide6.QtCore import QUrl

from oddtwin.core.language import tr
from oddtwin.store import StoreError, fitting_name, write_file
from oddtwin.ui.widgets.fields import LineField

ENDINGS: Final = (".html", ".csv", ".json", ".pdf", ".ics", ".png", ".zip")
"""Of what this program writes; any other dot belongs to the name."""


def proposed_path(name: str, ending: str) -> str:
    """Return a path in the user's folder, named after a study."""
    stem = "".join(sign if sign.isalnum() else "-" for sign in name.lower()).strip("-")
    return str(Path.home() / fitting_name(stem or "study", ending))


def named_path(field: LineField) -> Path | None:
    """Return the path in a field; None, with the reason below the field, where it can be none.

    A bare name belongs to the user's own folder, not to wherever the program was started.
    """
    typed = field.text().strip()
    if typed.startswith("file:"):
        # What is dropped on a field is an address.
        typed = QUrl(typed).toLocalFile()
    try:
        return Path.home() / Path(typed).expanduser()
    except (ValueError, RuntimeError) as error:
        field.show_error(tr("{typed} is no place for a file ({error}).", typed=typed, error=error))
        return None


def write_typed(field: LineField, suffix: str, content: bytes | str) -> Path | None:
    """Write a file at the path in a field, with its suffix, whole or not at all.

    Where a file of that name is there already, the field says so, and the same order once more
    replaces it.

    Returns
    -------
    Path or None
        Where it lies; None, with the reason below the field, where it was not written.
    """
    path = claimed_path(field, suffix)
    if path is None:
        return None
    try:
        write_file(path, content)
    except StoreError as error:
        field.show_error(str(error))
        return None
    field.show_error("")
    return path


def claimed_path(field: LineField, suffix: str) -> Path | None:
    """Return where a file is to be written, with its suffix, once it may replace what lies there.

    Returns
    -------
    Path or None
        None, with the reason below the field, where nothing is to be written yet.
    """
    path = _typed_path(field, suffix)
    if path is None:
        return None
    if path.exists() and field.property("replacing") != str(path):
        field.setProperty("replacing", str(path))
        field.show_error(
            tr("{path} is there already; press the button once more to replace it.", path=path.name)
        )
        return None
    field.setProperty("replacing", None)
    field.show_error("")
    return path


def _typed_path(field: LineField, suffix: str) -> Path | None:
    if not field.text().strip():
        field.show_error(tr("Please type where to write it."))
        return None
    path = named_path(field)
    if path is None:
        return None
    if not path.name or path.is_dir():
        field.show_error(tr("{text} is no place for a file; give it a name.", text=field.text().strip()))
        return None
    stem = path.stem if path.suffix.lower() in ENDINGS else path.name
    return path.with_name(fitting_name(stem, suffix))
