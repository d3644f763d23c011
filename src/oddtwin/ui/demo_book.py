"""Opening the demo lab book."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from oddtwin.core.language import tr
from oddtwin.core.standing import Stage
from oddtwin.store import StoreError
from oddtwin.ui.jobs import Lane
from oddtwin.ui.workbench import Workbench

FINISHED = 1
"""Study of the demo that is settled, with a verdict worth seeing."""


def show_finished(workbench: Workbench) -> None:
    """Open the demo at the verdict of a finished study."""

    def shown() -> None:
        workbench.open_study(FINISHED)
        workbench.stage_wanted.emit(Stage.VERDICT)

    open_demo(workbench, shown)


def guide_first(workbench: Workbench) -> None:
    """Open the demo with a study to be walked through."""

    def begun() -> None:
        from oddtwin.demo.guided import begin_guided

        study_id = begin_guided(workbench.book)
        workbench.open_study(study_id)
        workbench.stage_wanted.emit(Stage.ASK)
        workbench.guide_wanted.emit(study_id)

    open_demo(workbench, begun)


def open_demo(workbench: Workbench, then: Callable[[], None] = lambda: None) -> None:
    """Open a fresh copy of the demo lab book, without remembering it; the first one is built meanwhile.

    Parameters
    ----------
    workbench : Workbench
        That opens it.
    then : callable
        Called once it is open.
    """
    from oddtwin.demo import demo_is_built, fresh_demo

    def opened(folder: Path) -> None:
        if workbench.open_book(folder, remember=False):
            then()

    if not demo_is_built():
        workbench.failed.emit(tr("The demo lab book is being made; this takes a few seconds, once."))
        workbench.lanes.run(Lane.HOUSEKEEPING, lambda _: fresh_demo(), opened)
        return
    try:
        opened(fresh_demo())
    except (OSError, StoreError) as error:
        workbench.failed.emit(tr("The demo could not be made ({error}).", error=error))
