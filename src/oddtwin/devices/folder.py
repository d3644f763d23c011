"""A camera as a folder that it writes to: photographs are there once they have stopped growing."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from oddtwin.core.language import tr

PHOTOGRAPHS: Final = (".jpg", ".jpeg", ".png", ".tif", ".tiff", ".webp", ".heic", ".heif")
"""Endings of photographs, in small letters."""

TAKEN: Final = -1
"""In place of a size: what was taken, or lay there before."""


class WatchedFolder:
    """A folder that photographs come to; one that is not there yet is waited for.

    Parameters
    ----------
    path : Path
        Of the folder.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self.came = 0
        self._gone = not path.is_dir()
        # What lies there already belongs to another list; of a folder that was not there when it comes.
        self._known: dict[Path, int] | None = None
        if not self._gone:
            self._known = dict.fromkeys(self._pictures(), TAKEN)

    def poll(self) -> list[Path]:
        """Return the photographs that are there whole since the last time; never waits, and never raises."""
        if not self.path.is_dir():
            self._gone = True
            return []
        self._gone = False
        if self._known is None:
            self._known = dict.fromkeys(self._pictures(), TAKEN)
        ready = []
        for path in self._pictures():
            last = self._known.get(path, 0)
            if last == TAKEN:
                continue
            try:
                size = path.stat().st_size
            except OSError:
                continue
            # A file that still grows is being written: taken now it would be cut off. It is looked at twice,
            # for cameras and phones write for seconds.
            if size and size == last:
                ready.append(path)
                self._known[path] = TAKEN
            else:
                self._known[path] = size
        self.came += len(ready)
        return ready

    @property
    def gone(self) -> bool:
        """Whether it could not be read the last time: a phone that was unplugged."""
        return self._gone

    @property
    def words(self) -> str:
        """How it does, as a sentence."""
        if self._gone:
            return tr("{path} cannot be read now: nothing is filed from it until it is back.", path=self.path)
        return tr("Watching {path}: new photographs are filed as they come.", path=self.path)

    def _pictures(self) -> list[Path]:
        try:
            return [path for path in sorted(self.path.iterdir()) if path.suffix.lower() in PHOTOGRAPHS]
        except OSError:
            return []
