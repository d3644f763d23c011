"""What all tabs of Look share: the study as it may be seen, the piece and the view in hand."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

from PySide6.QtCore import QObject, Signal

from oddtwin.core.language import tr
from oddtwin.core.photo import MatSeen
from oddtwin.core.study import (
    HIDDEN,
    Photograph,
    Piece,
    Run,
    Study,
    View,
    photographs_of_view,
    standing_photographs,
)
from oddtwin.ui.workbench import Workbench
from oddtwin.work.measured import mat_of
from oddtwin.work.photos import PhotoError
from oddtwin.work.shots import kept_pixels


class Desk(QObject):
    """The photographs in hand.

    ``stepped`` is emitted with +1 or -1 when the next or the last view is asked for, ``judging`` when a judge
    begins or leaves trials.
    """

    stepped = Signal(int)
    judging = Signal(bool)

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self.workbench = workbench
        self._study: Study | None = None
        self.piece: Piece | None = None
        self.view: View | None = None

    @property
    def study(self) -> Study:
        """As it may be seen: prints that are to be judged have no arm."""
        if self._study is None:
            raise RuntimeError(tr("no study is in hand"))
        return self._study

    @property
    def can_edit(self) -> bool:
        """Whether the study in hand may be edited."""
        return self.workbench.can_edit_study

    def take(self, study: Study, piece_id: int | None, view_id: int | None) -> None:
        """Take a study, piece and view in hand."""
        self._study = study
        self.piece = study.pieces.get(piece_id or 0)
        self.view = study.index.views.get(view_id or 0)

    def shots(self) -> list[tuple[Run, Photograph]]:
        """Photographs of the view in hand that count, the baseline's first where the arms may be known."""
        if self.view is None:
            return []
        return [
            (run, shot) for run, shot in photographs_of_view(self.study, self.view.id) if not run.set_aside
        ]

    def read_mat(
        self, owner: object, sha256: str, say: Callable[[str], None], done: Callable[[MatSeen], None]
    ) -> None:
        """Look for the mat in a photograph, beside the lab book; ``say`` is given how that goes, in words."""
        book, rig = self.workbench.book, self.study.rig
        say(tr("Looking for the mat …"))

        def refused(error: BaseException) -> bool:
            say(tr("It cannot be read: {error}.", error=error))
            return isinstance(error, PhotoError)

        self.workbench.figure(owner, lambda _: mat_of(kept_pixels(book, sha256), rig), done, refused)

    def arm_name(self, run: Run) -> str:
        """Name of the arm of a run; empty while it is not to be told."""
        return "" if run.arm_id == HIDDEN else self.study.arm_of(run).name

    def label(self, run: Run) -> str:
        """What a print is called on the screen: its code, and its arm where that may be known."""
        arm = self.arm_name(run)
        return f"{run.code} – {arm}" if arm else run.code

    def pairs(self) -> list[tuple[tuple[Run, Photograph], tuple[Run, Photograph]]]:
        """Two photographs of the view each: of one block, else one after the other as they are listed."""
        shots = standing_photographs(self.study, self.view.id) if self.view else []
        inside = [
            (one, two)
            for at, one in enumerate(shots)
            for two in shots[at + 1 :]
            if one[0].block_id == two[0].block_id and (one[0].arm_id != two[0].arm_id or self._sealed(one[0]))
        ]
        return inside or list(pairwise(shots))

    @staticmethod
    def _sealed(run: Run) -> bool:
        return run.arm_id == HIDDEN
