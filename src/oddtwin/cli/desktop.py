"""The options ``--install-desktop`` and ``--remove-desktop``: Odd Twin in the menus of the desktop."""

from __future__ import annotations

import os
import shutil
import sys
from pathlib import Path
from typing import Final

import oddtwin
from oddtwin.cli.errors import InputError, writing

SHIPPED: Final = Path(oddtwin.__file__).parent / "ui" / "assets" / "desktop"
PLACES: Final = {
    "odd-twin.desktop": "applications/odd-twin.desktop",
    "odd-twin.svg": "icons/hicolor/scalable/apps/odd-twin.svg",
    "odd-twin.metainfo.xml": "metainfo/odd-twin.metainfo.xml",
}
"""Where each file goes below the user's data folder (XDG Base Directory, from memory)."""

LAUNCHER: Final = "ODD_TWIN_LAUNCHER"
"""Names the program that starts Odd Twin, where that is not the one that runs now."""


def install_desktop() -> int:
    """Put menu entry, icon and description into the user's own folders.

    Raises
    ------
    InputError
        A file cannot be written, or the program cannot be found.
    """
    launcher = os.environ.get(LAUNCHER) or shutil.which(sys.argv[0]) or ""
    if not launcher:
        raise InputError(
            "--install-desktop: the program that starts Odd Twin was not found; put it on the path first"
        )
    command = _quoted(str(Path(launcher).absolute()))
    for name, target in _targets():
        with writing(target):
            target.parent.mkdir(parents=True, exist_ok=True)
            text = (SHIPPED / name).read_text(encoding="utf-8")
            target.write_text(text.replace("Exec=odd-twin\n", f"Exec={command}\n"), encoding="utf-8")
        print(target)
    print("Odd Twin is in the menus now; take it out again with --remove-desktop.")
    return 0


def remove_desktop() -> int:
    """Take menu entry, icon and description out again; what is not there is left so.

    Raises
    ------
    InputError
        A file cannot be removed.
    """
    for _, target in _targets():
        try:
            target.unlink(missing_ok=True)
        except OSError as error:
            raise InputError(f"{target}: it cannot be removed ({error.strerror})") from None
    print("Odd Twin is taken out of the menus; lab books are left alone.")
    return 0


def _targets() -> list[tuple[str, Path]]:
    data = os.environ.get("XDG_DATA_HOME", "")
    # A relative path there is to be ignored (XDG Base Directory, from memory).
    base = Path(data) if data.startswith("/") else Path.home() / ".local" / "share"
    return [(name, base / place) for name, place in PLACES.items()]


def _quoted(path: str) -> str:
    """Return a path as an argument of Exec (Desktop Entry Specification, “The Exec key”, from memory)."""
    inside = "".join(f"\\{mark}" if mark in '"`$\\' else mark for mark in path)
    # Once for the argument, once for the value of the key; a per cent sign begins a field code.
    return '"' + inside.replace("\\", "\\\\").replace("%", "%%") + '"'
