"""Opening the demo lab book."""

from __future__ import annotations

from pathlib import Path

from oddtwin.store import StoreError
from oddtwin.ui.jobs import Lane
from oddtwin.ui.workbench import Workbench


def open_demo(workbench: Workbench) -> None:
    """Open a fresh copy of the demo lab book, without remembering it; the first one is built meanwhile."""
    from oddtwin.demo import demo_is_built, fresh_demo

    def opened(folder: Path) -> None:
        workbench.open_book(folder, remember=False)

    if not demo_is_built():
        workbench.failed.emit("The demo lab book is being made; this takes a few seconds, once.")
        workbench.lanes.run(Lane.HOUSEKEEPING, lambda _: fresh_demo(), opened)
        return
    try:
        opened(fresh_demo())
    except (OSError, StoreError) as error:
        workbench.failed.emit(f"The demo could not be made ({error}).")
