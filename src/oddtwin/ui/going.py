"""Ways: from a screen that has nothing to show to the one where it begins, and back to a copy."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QPushButton, QWidget

from oddtwin.core.language import tr
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
    return button(tr("Go to {stage}", stage=stage), lambda: workbench.stage_wanted.emit(stage), name=name)


def ask_for_copy(parent: QWidget, workbench: Workbench) -> None:
    """Ask for a copy of the open lab book, and go back to it.

    Parameters
    ----------
    parent : QWidget
        Of the question.
    workbench : Workbench
        With a lab book.
    """
    folder = str(workbench.book.folder)
    path, _ = QFileDialog.getOpenFileName(parent, tr("Go back to a copy"), folder, tr("Lab book (*.sqlite)"))
    if path:
        workbench.go_back(Path(path))
