"""Scars that the sliced files foretell, laid over the photographs of a face that is tied to the model."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QWidget

from oddtwin import operations
from oddtwin.core.arrays import Floats
from oddtwin.core.job import Job
from oddtwin.core.language import tr
from oddtwin.core.quantities import capitalized, format_number
from oddtwin.core.study import Photograph, Run, Tie
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.widgets import button, choose, label, row
from oddtwin.work.photos import PhotoError
from oddtwin.work.scars import (
    Face,
    Scars,
    ScarsError,
    corner_names,
    face_corners,
    laid_over,
    scars_of,
)

Shots = tuple[tuple[Run, Photograph], tuple[Run, Photograph]]


class ScarsRow(QWidget):
    """``asked`` is emitted when three corners are to be clicked, ``found`` with places on both, or None."""

    asked = Signal()
    found = Signal(object)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._shots: Shots | None = None
        self._shown: object = None
        self._tie = button(tr("Tie to the model"), self.asked.emit, name="tieView")
        self._show = button(tr("Predicted scars"), self._on_shown, name="showScars")
        self._show.setCheckable(True)
        self._face = QComboBox()
        self._face.setObjectName("tieFace")
        self._face.setAccessibleName(tr("Which face this view shows"))
        choose(self._face, [(capitalized(face), face) for face in Face], Face.TOP)
        self._told = label("", "quiet")
        self._told.setObjectName("scarsTold")
        line = row(self._show, self._face, self._tie)
        line.setContentsMargins(0, 0, 0, 0)
        line.insertWidget(0, self._told, 1)
        self.setLayout(line)

    @property
    def corners(self) -> tuple[str, str, str]:
        """The corners that are clicked to tie the view."""
        return corner_names(Face(self._face.currentData()))

    def show_pair(self, shots: Shots | None) -> None:
        """Show what can be laid over a pair; nothing while the arms are not to be told."""
        view = self._desk.view
        # Which file foretells what would tell the arm.
        known = shots is not None and all(self._desk.arm_name(run) for run, _ in shots)
        self.setVisible(bool(known and view and self._desk.study.files))
        self._shots = shots if known else None
        for part in (self._tie, self._face):
            part.setEnabled(self._desk.can_edit)
        self._show.setVisible(bool(view and view.ties))
        key = (view, tuple(shot.sha256 for _, shot in shots) if shots else ())
        if key != self._shown:
            self._shown = key
            self._say("")
            self._lay_over()

    def tie(self, points: list[tuple[float, float]]) -> None:
        """Tie the view by three corners of the first photograph, as shares of it."""
        study, view, shots = self._desk.workbench.study, self._desk.view, self._shots
        if study is None or view is None or shots is None:
            return
        (run, shot), book = shots[0], self._desk.workbench.book

        def done(corners: Floats) -> None:
            ties = [Tie(x, y, *plate) for (x, y), plate in zip(points, corners.tolist(), strict=True)]
            record = self._desk.workbench.do(
                operations.tie_view, view_id=view.id, name=view.name, ties=ties, tied_on=shot.sha256
            )
            if record is not None:
                self._say(tr("Tied: what the sliced files foretell of this face can be laid over it."))

        face = Face(self._face.currentData())
        self._say(tr("Reading the sliced file …"))
        self._desk.workbench.figure(
            self, lambda job: face_corners(book, study, run, face, job), done, self._on_refused
        )

    def _on_shown(self) -> None:
        self._lay_over()

    def _lay_over(self) -> None:
        study, view, shots = self._desk.workbench.study, self._desk.view, self._shots
        if not self._show.isChecked() or study is None or view is None or shots is None or not view.ties:
            self.found.emit(None)
            return
        book, first = self._desk.workbench.book, shots[0][1].sha256
        self._say(tr("Reading the sliced files …"))
        # Both lie on the first photograph, so that the places of either file are brought onto that.

        def work(job: Job) -> list[tuple[Scars, Floats]]:
            scars = [scars_of(book, study, run, view.ties, job) for run, _ in shots]
            return [(one, laid_over(book, view, first, one.places)) for one in scars]

        self._desk.workbench.figure(self, work, partial(self._on_found, self._shown), self._on_refused)

    def _on_found(self, key: object, found: list[tuple[Scars, Floats]]) -> None:
        if key != self._shown:
            return
        self._say(_told([scars for scars, _ in found]))
        self.found.emit([places for _, places in found])

    def _on_refused(self, error: BaseException) -> bool:
        if not isinstance(error, ScarsError | PhotoError):
            return False
        self._say(tr("Nothing can be laid over it: {error}", error=error))
        self.found.emit(None)
        return True

    def _say(self, text: str) -> None:
        self._told.setText(text)


def _told(scars: list[Scars]) -> str:
    """Say how much of each kind the files of both prints foretell."""
    kinds = list(scars[0].lengths_mm)
    if not any(one.lengths_mm[kind] for one in scars for kind in kinds):
        return tr(
            "The sliced files foretell no line {kinds} on this face.", kinds=tr(" and none ").join(kinds)
        )
    told = [
        f"{kind} {tr(' and ').join(format_number(one.lengths_mm[kind], 0) for one in scars)}"
        for kind in kinds
    ]
    return tr(
        "Lines that the sliced files foretell, mm, in the order of the pair: {told}.", told="; ".join(told)
    )
