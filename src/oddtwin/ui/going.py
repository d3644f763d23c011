"""A way from a screen that has nothing to show to the one where it begins."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton

from oddtwin.core.standing import Stage
from oddtwin.ui.widgets import button
from oddtwin.ui.workbench import Workbench


def go_button(workbench: Workbench, stage: Stage) -> QPushButton:
    """Make a button that goes to another stage of the study in hand.

    Parameters
    ----------
    workbench : Workbench
        That tells the window.
    stage : Stage
        Where to go.
    """
    name = f"go-{stage.name.lower()}"
    return button(f"Go to {stage.value}", lambda: workbench.stage_wanted.emit(stage), name=name)
