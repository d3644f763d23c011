"""One photograph: how it looks, how it was taken, where it belongs, and what the mat in it tells."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QComboBox, QLabel, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.photo import MatSeen, Picture, mat_sentence
from oddtwin.core.quantities import capitalized
from oddtwin.core.study import Photograph, RunState, departures, exposure_words, views_of_run
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import IconButton, at_least, button, choose, column_label, fix, heading, label, row
from oddtwin.ui.widgets.sheet import picture_image
from oddtwin.work.derived import small_copy
from oddtwin.work.photos import PhotoError


class FiledCard(QWidget):
    """The photograph in hand; hidden without one."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        at_least(self, width=360)
        self._desk = desk
        self._photograph: Photograph | None = None
        self._head = heading("")
        self._picture = QLabel()
        self._picture.setObjectName("filedPicture")
        fix(self._picture, 340, 230)
        self._picture.setWordWrap(True)
        self._picture.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        self._taken, self._departures, self._mat = label(), label("", "warning"), label("", "quiet")
        self._mat.setObjectName("matState")
        self._run, self._view = QComboBox(), QComboBox()
        self._run.setObjectName("filedRun")
        self._run.setAccessibleName(tr("Print that it shows"))
        self._view.setObjectName("filedView")
        self._view.setAccessibleName(tr("View that it shows"))
        self._run.currentIndexChanged.connect(self._on_run_chosen)
        self._view.currentIndexChanged.connect(self._on_place_chosen)
        self._read = button(tr("Read the mat in it"), self._on_mat_clicked, name="readMat")
        remove = IconButton(
            theme, "remove", tr("Take this photograph out"), self._on_remove_clicked, "removeShot"
        )
        body = QVBoxLayout(self)
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(8)
        body.addLayout(row(self._head, None, remove))
        for part in (self._picture, self._taken, self._departures):
            body.addWidget(part)
        body.addLayout(row(column_label(tr("Belongs to")), self._run, self._view, None))
        body.addLayout(row(self._read, None))
        body.addWidget(self._mat)
        self.hide()

    def show_photograph(self, photograph: Photograph | None) -> None:
        """Show a photograph, or nothing."""
        changed = self._photograph is None or photograph is None or self._photograph.id != photograph.id
        self._photograph = photograph
        self.setVisible(photograph is not None)
        if photograph is None:
            return
        study = self._desk.study
        run = study.index.runs[photograph.run_id]
        view = study.index.views.get(photograph.view_id or 0)
        take = tr(", take {retake}", retake=photograph.retake + 1) if photograph.retake else ""
        self._head.setText(f"{self._desk.label(run)}: {(view.name if view else tr('no view'))}{take}")
        self._taken.setText(" · ".join(part for part in _told(photograph) if part))
        told = departures(study, photograph)
        self._departures.setText(" ".join(told))
        self._departures.setVisible(bool(told))
        runs = [one for one in study.runs if one.state is RunState.PRINTED or one.id == run.id]
        choose(self._run, [(one.code, one.id) for one in runs], run.id)
        choose(self._view, [(one.name, one.id) for one in views_of_run(study, run)], photograph.view_id)
        for part in (self._run, self._view):
            part.setEnabled(self._desk.can_edit)
        if changed:
            self._mat.setText("")
            self._show_picture(photograph)

    def _show_picture(self, photograph: Photograph) -> None:
        book = self._desk.workbench.book

        def done(pixels: Picture) -> None:
            if self._photograph is None or self._photograph.id != photograph.id:
                return
            shown = QPixmap.fromImage(picture_image(pixels)).scaled(
                self._picture.size(),
                Qt.AspectRatioMode.KeepAspectRatio,
                Qt.TransformationMode.SmoothTransformation,
            )
            self._picture.setPixmap(shown)

        def refused(error: BaseException) -> bool:
            if not isinstance(error, PhotoError):
                return False
            self._picture.setText(f"{capitalized(str(error))}.")
            return True

        self._picture.clear()
        # Beside the lab book: the first small copy of a large photograph takes most of a second.
        self._desk.workbench.figure(
            self._picture, lambda _: small_copy(book, photograph.sha256), done, refused
        )

    def _on_run_chosen(self) -> None:
        study = self._desk.study
        run = study.index.runs.get(self._run.currentData() or 0)
        photograph = self._photograph
        if run is None or photograph is None or run.id == photograph.run_id:
            return
        views = views_of_run(study, run)
        same = next((view for view in views if view.id == photograph.view_id), None) or next(
            iter(views), None
        )
        if same is not None:
            self._move(run.id, same.id)

    def _on_place_chosen(self) -> None:
        photograph = self._photograph
        if photograph is not None and self._view.currentData() not in (None, photograph.view_id):
            self._move(photograph.run_id, self._view.currentData())

    def _move(self, run_id: int, view_id: int) -> None:
        photograph = self._photograph
        if photograph is None:
            return
        self._desk.workbench.do(
            operations.move_photograph,
            photograph_id=photograph.id,
            run_id=run_id,
            view_id=view_id,
            code=self._desk.study.index.runs[run_id].code,
        )

    def _on_remove_clicked(self) -> None:
        photograph = self._photograph
        if photograph is not None and self._desk.can_edit:
            code = self._desk.study.index.runs[photograph.run_id].code
            self._desk.workbench.do(operations.remove_photograph, photograph_id=photograph.id, code=code)

    def _on_mat_clicked(self) -> None:
        photograph = self._photograph
        if photograph is None:
            return

        def done(seen: MatSeen) -> None:
            if self._photograph is not None and self._photograph.id == photograph.id:
                self._mat.setText(" ".join((mat_sentence(seen), *seen.warnings)))

        self._desk.read_mat(self, photograph.sha256, self._mat.setText, done)


def _told(photograph: Photograph) -> list[str]:
    return [
        photograph.name,
        tr("{width} × {height} px", width=photograph.width, height=photograph.height),
        photograph.taken.strftime("%Y-%m-%d %H:%M") if photograph.taken else "",
        exposure_words(photograph.exposure_s) if photograph.exposure_s else "",
    ]
