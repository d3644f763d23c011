"""Measuring: a region drawn once on a view, then read in the photographs of all prints."""

from __future__ import annotations

from collections import defaultdict
from functools import partial
from typing import Final

from PySide6.QtCore import QRect
from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.photo import UNITS, Repeatability, Shown, What, repeatability
from oddtwin.core.quantities import capitalized, format_number, with_unit
from oddtwin.core.readings import Better, Bound, ResponseKind, Typed
from oddtwin.core.study import MeasuredRegion, Response, Study
from oddtwin.operations import Figure, Measured
from oddtwin.ui.look.canvas import PhotoCanvas
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.look.fit_view import FitView
from oddtwin.ui.look.region_form import RegionForm, boxes_of
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    IconButton,
    ProgressRow,
    at_least,
    button,
    choose,
    fill_table,
    fix,
    heading,
    label,
    plain_table,
    row,
)
from oddtwin.work.measured import MeasuredShot, measure_view
from oddtwin.work.photos import PhotoError
from oddtwin.work.shots import kept_pixels

BETTER: Final = {What.ONSET: Better.HIGHER, What.SIZE: "", What.RADIUS: ""}
HEAD: Final = (tr("Print"), tr("Take"), tr("Figure"), "u", tr("What it says"))


class MeasurePanel(QWidget):
    """The reference with its regions, the form of a new one, and what all photographs came to."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._reference = ""
        self._box: QRect | None = None
        self._measured: list[MeasuredShot] = []
        self._nothing = Card(
            heading(tr("Nothing to measure yet")),
            label(tr("File a photograph of this view first; regions are drawn on it, once for all prints.")),
        )
        self._canvas = PhotoCanvas(theme, "measureCanvas")
        fix(self._canvas, height=330)
        self._canvas.boxing = True
        self._canvas.boxed.connect(self._on_boxed)
        self._canvas.pointed.connect(self._on_pointed)
        self._hint = label("", "quiet")
        self._form = RegionForm(desk)
        self._form.added.connect(self._on_added)
        self._form.boxed.connect(self._on_box_typed)
        self._form.stepped.connect(self._show_boxes)
        self._region = QComboBox()
        self._region.setObjectName("measureRegion")
        self._region.setAccessibleName(tr("What is measured"))
        at_least(self._region, width=240)
        self._region.currentIndexChanged.connect(self._on_region_chosen)
        self._remove = IconButton(theme, "remove", tr("Measure this no more"), self._on_remove_clicked)
        self._run = button(tr("Measure all prints"), self._on_measure_clicked, main=True, name="measureAll")
        self._enter = button(tr("Enter as readings"), self._on_enter_clicked, name="enterMeasured")
        self._progress = ProgressRow("measureProgress", self._on_stopped)
        self._told = label("", "quiet")
        self._told.setObjectName("measureTold")
        self._table = plain_table("measuredTable", HEAD)
        self._table.currentCellChanged.connect(self._on_row_chosen)
        self._fit = FitView(theme)
        self._results = Card(
            row(heading(tr("Measure")), 12, self._region, self._remove, None, self._run, self._enter),
            self._progress,
            self._told,
            self._table,
            self._fit,
        )
        self._body = QWidget()
        body = QVBoxLayout(self._body)
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(10)
        for part in (self._canvas, self._hint, self._form, self._results):
            body.addWidget(part)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._nothing)
        layout.addWidget(self._body)
        self.first = self._canvas

    def refresh(self) -> None:
        """Show what is measured of the view in hand."""
        view, shots = self._desk.view, self._desk.shots()
        self._nothing.setVisible(not shots)
        self._body.setVisible(bool(shots))
        if view is None or not shots:
            return
        regions = view.regions
        # All regions of a view lie on one photograph, so that one scale holds for all.
        self._reference = regions[0].reference if regions else shots[0][1].sha256
        choose(self._region, [(f"{one.name} ({one.what})", one.name) for one in regions], self._chosen_name())
        self._results.setVisible(bool(regions))
        self._remove.setEnabled(self._desk.can_edit)
        self._run.setEnabled(self._desk.can_edit)
        self._form.show_view(view, self._reference)
        self._show_reference()
        self._show_boxes()
        self._show_enter()

    def _chosen_name(self) -> str:
        return self._region.currentData() or ""

    def _chosen(self) -> MeasuredRegion | None:
        view = self._desk.view
        return next((one for one in view.regions if one.name == self._chosen_name()), None) if view else None

    def _show_reference(self) -> None:
        if self._canvas.property("sha") == self._reference:
            return
        self._canvas.setProperty("sha", self._reference)
        book, sha = self._desk.workbench.book, self._reference

        def refused(error: BaseException) -> bool:
            self._hint.setText(f"{capitalized(str(error))}.")
            return isinstance(error, PhotoError)

        def done(shown: Shown) -> None:
            if sha == self._reference:
                self._canvas.show_pair(shown)

        self._hint.setText(tr("Drag a box over what is measured, or type it; the wheel zooms."))
        self._desk.workbench.figure(self, lambda _: Shown(kept_pixels(book, sha)), done, refused)

    def _show_boxes(self) -> None:
        view = self._desk.view
        boxes = self._form.step_boxes()
        for one in view.regions if view else ():
            boxes += boxes_of(one.steps) or [QRect(one.left, one.top, one.width, one.height)]
        self._canvas.show_boxes(tuple(boxes + ([self._box] if self._box else [])))

    # ------------------------------------------------------------ regions

    def _on_boxed(self, box: QRect) -> None:
        self._box = box
        self._form.show_box(box)
        self._show_boxes()

    def _on_box_typed(self, box: QRect) -> None:
        self._box = None if box.isNull() else box
        self._show_boxes()

    def _on_pointed(self, x: float, y: float, _: bool) -> None:
        self._form.take_point(x, y)

    def _on_added(self, region: MeasuredRegion) -> None:
        view = self._desk.view
        if view is None:
            return
        record = self._desk.workbench.do(
            operations.set_regions, view_id=view.id, name=view.name, regions=[*view.regions, region]
        )
        if record is not None:
            self._box = None
            self._form.clear_box()
            self._region.setCurrentIndex(self._region.findData(region.name))
            self._show_boxes()

    def _on_remove_clicked(self) -> None:
        view, region = self._desk.view, self._chosen()
        if view is not None and region is not None:
            left = [one for one in view.regions if one != region]
            self._desk.workbench.do(operations.set_regions, view_id=view.id, name=view.name, regions=left)
            self._show_measured([])

    def _on_region_chosen(self) -> None:
        self._show_measured([])
        self._show_enter()

    # ------------------------------------------------------------ measuring

    def _on_measure_clicked(self) -> None:
        region, shots = self._chosen(), self._desk.shots()
        if region is None:
            return
        book, study = self._desk.workbench.book, self._desk.workbench.study
        if study is None:
            return
        self._told.setText(tr("Measuring {shots} photographs …", shots=len(shots)))
        running = self._desk.workbench.figure(
            self,
            lambda job: measure_view(book, study, region, shots, job),
            partial(self._on_measured, region),
            self._on_refused,
        )
        self._progress.follow(running)

    def _on_measured(self, region: MeasuredRegion, found: list[MeasuredShot]) -> None:
        if region != self._chosen():
            return
        self._show_measured(found)
        refused = sum(bool(one.measured.refused) for one in found)
        told = tr("{found} of {found2} photographs tell it.", found=len(found) - refused, found2=len(found))
        if refused:
            told += tr(" Those that do not say why, and give no reading.")
        retakes = _repeatability(found)
        if retakes is not None:
            told += f" {retakes.words(found[0].measured.unit)}"
        self._told.setText(told)
        self._show_enter()

    def _on_refused(self, error: BaseException) -> bool:
        self._told.setText(
            tr("The reference cannot be read: {error}.", error=error) if isinstance(error, PhotoError) else ""
        )
        return isinstance(error, PhotoError)

    def _on_stopped(self) -> None:
        self._desk.workbench.lanes.cancel(self)
        self._told.setText(tr("Stopped; nothing was entered."))

    def _show_measured(self, found: list[MeasuredShot]) -> None:
        self._measured = found
        self._table.setVisible(bool(found))
        self._fit.show_shot(None)
        if not found:
            self._told.setText("")
            return
        rows = [
            (
                self._desk.label(one.run),
                str(one.photograph.retake + 1),
                one.measured.bound + _figure(one.measured.value, one.measured.unit),
                _figure(one.measured.u, one.measured.unit),
                one.measured.sentence,
            )
            for one in found
        ]
        fill_table(self._table, rows, fit_height=len(rows) <= 8)
        if len(rows) > 8:
            fix(self._table, height=280)
        self._table.setCurrentCell(0, 0)

    def _on_row_chosen(self, line: int, *_: int) -> None:
        if 0 <= line < len(self._measured):
            self._fit.show_shot(self._measured[line])

    # ------------------------------------------------------------ readings

    def _show_enter(self) -> None:
        region = self._chosen()
        known = region is not None and _called(self._desk.study, region.name) is not None
        self._enter.setText(
            tr("Enter as readings") if known else tr("Add it as a response, and enter the readings")
        )
        self._enter.setEnabled(
            self._desk.can_edit and any(not one.measured.refused for one in self._measured)
        )

    def _on_enter_clicked(self) -> None:
        region, view, study = self._chosen(), self._desk.view, self._desk.workbench.study
        if region is None or view is None or study is None:
            return
        what = What(region.what)
        response = _called(study, region.name) or self._new_response(study, region)
        if response is None:
            return
        if response.kind is not ResponseKind.COUNT and response.unit != UNITS[what]:
            self._told.setText(
                tr(
                    "{response} is read in {unit}, and this is in {UNITS}; give the region another name.",
                    response=response.name,
                    unit=response.unit or tr("no unit"),
                    UNITS=UNITS[what] or tr("no unit"),
                )
            )
            return
        record = self._desk.workbench.do(
            operations.enter_measured,
            response_id=response.id,
            name=response.name,
            zone="",
            figures=_figures(self._measured),
        )
        if record is not None:
            self._told.setText(tr("Entered as readings of {response}.", response=response.name))

    def _new_response(self, study: Study, region: MeasuredRegion) -> Response | None:
        what = What(region.what)
        self._desk.workbench.do(
            operations.add_response,
            study_id=study.id,
            name=region.name,
            unit=UNITS[what],
            kind=ResponseKind.COUNT if what is What.STRINGS else ResponseKind.QUANTITY,
            # Whether a size or a radius should be smaller is for the question to say.
            better=BETTER.get(what, Better.LOWER),
        )
        later = self._desk.workbench.study
        return _called(later, region.name) if later else None


def _called(study: Study, name: str) -> Response | None:
    return next((item for item in study.responses if item.name == name), None)


def _repeatability(measured: list[MeasuredShot]) -> Repeatability | None:
    """How far retakes of one print differ: what the camera does, and not the change."""
    values: dict[int, list[float]] = defaultdict(list)
    for one in measured:
        if one.measured.value is not None and one.measured.bound is Bound.EXACT:
            values[one.run.id].append(one.measured.value)
    return repeatability(values.values())


def _figures(measured: list[MeasuredShot]) -> list[Figure]:
    """Return a figure a print, of all its photographs that tell one."""
    by_run: dict[int, list[MeasuredShot]] = defaultdict(list)
    for one in measured:
        if not one.measured.refused:
            by_run[one.run.id].append(one)
    found = []
    for run_id, some in by_run.items():
        exact = [one for one in some if one.measured.bound is Bound.EXACT]
        # What is known from one side alone says nothing beside what is known itself.
        used = exact or some
        typed = tuple(Typed(one.measured.value or 0.0, one.measured.bound) for one in used)
        kept = tuple(Measured(one.measured.u, one.evidence) for one in used)
        found.append(Figure(run_id, typed, kept))
    return found


def _figure(value: float | None, unit: str) -> str:
    return "–" if value is None else with_unit(format_number(value, 3), unit)
