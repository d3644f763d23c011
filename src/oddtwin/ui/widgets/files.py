"""Where files are written: proposed in the user's own folder, and read back from a field."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QUrl

from oddtwin.ui.widgets.fields import LineField


def proposed_path(name: str, ending: str) -> str:
    """Return a path in the user's folder, named after a study."""
    stem = "".join(sign if sign.isalnum() else "-" for sign in name.lower()).strip("-")
    return str(Path.home() / f"{stem or 'study'}{ending}")


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
        field.show_error(f"{typed} is no place for a file ({error}).")
        return None


def typed_path(field: LineField, suffix: str) -> Path | None:
    """Return the path in a field with its suffix; None, with the reason below it, where there is none."""
    if not field.text().strip():
        field.show_error("Please type where to write it.")
        return None
    path = named_path(field)
    try:
        return path and path.with_suffix(suffix)
    except ValueError as error:
        field.show_error(f"{field.text().strip()} is no place for a file ({error}).")
        return None
