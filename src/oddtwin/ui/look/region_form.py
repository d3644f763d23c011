"""The form of a region: what is measured, where, and what is known of the face."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import partial, reduce
from typing import Final

from PySide6.QtCore import QRect, Signal
from PySide6.QtWidgets import QComboBox, QLabel, QWidget

from oddtwin.core.language import mark, shown, tr
from oddtwin.core.photo import MatSeen, What, mat_sentence
from oddtwin.core.quantities import QuantityError, capitalized, format_digits, format_number
from oddtwin.core.study import MeasuredRegion, RegionStep, View
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.look.steps_row import StepsRow
from oddtwin.ui.widgets import (
    Card,
    LineField,
    QuantityField,
    button,
    choose,
    column_label,
    heading,
    label,
    row,
)

WORDS: Final = {
    What.RINGING: tr("Ringing"),
    What.BANDING: tr("Vertical banding"),
    What.LAYERS: tr("Layer inconsistency"),
    What.STRINGS: tr("Strings"),
    What.BLEED: tr("Colour bleed"),
    What.DROOP: tr("Droop"),
    What.ONSET: tr("Onset of an overhang"),
    What.RADIUS: tr("Corner radius"),
    What.SIZE: tr("Size"),
    What.GAPS: tr("Gaps on top"),
}
ASKED: Final = {
    What.RINGING: ("corner", "layer_mm", "speed_mm_s", "accel_mm_s2"),
    What.BANDING: ("layer_mm",),
    What.LAYERS: ("layer_mm", "elevation_deg"),
}
_FIELDS: Final = (
    ("layer_mm", tr("Layer"), "mm"),
    ("speed_mm_s", tr("Wall speed"), "mm/s"),
    ("accel_mm_s2", tr("Acceleration"), "mm/s²"),
    ("elevation_deg", tr("Lamp above normal"), "°"),
)
LEAST_PX: Final = 8
EDGES: Final = (mark("left"), mark("top"), mark("width"), mark("height"))


def boxes_of(steps: Sequence[RegionStep]) -> list[QRect]:
    """Return where the steps of an overhang are, px."""
    return [QRect(step.left, step.top, step.width, step.height) for step in steps]


class RegionForm(Card):
    """``added`` tells a new region, ``boxed`` its box as typed, ``stepped`` that its steps are others."""

    added = Signal(object)
    boxed = Signal(QRect)
    stepped = Signal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._reference = ""
        self._view: View | None = None
        self._points: list[tuple[float, float]] | None = None
        self._what, self._corner = QComboBox(), QComboBox()
        self._what.setObjectName("regionWhat")
        self._what.setAccessibleName(tr("What is measured in it"))
        choose(self._what, [(WORDS[what], what) for what in What], What.RINGING)
        self._what.currentIndexChanged.connect(self._on_what_chosen)
        self._corner.setObjectName("regionCorner")
        self._corner.setAccessibleName(tr("Where the corner is"))
        choose(
            self._corner, [(tr("corner at the left"), "left"), (tr("corner at the right"), "right")], "left"
        )
        self._name = LineField("regionName", tr("what its figures are readings of"), width=220)
        self._edges = {name: QuantityField(f"region-{name}", "", shown(name), 86) for name in EDGES}
        for name, field in self._edges.items():
            field.edit.setAccessibleName(tr("Box: {name}, px", name=name))
        for name, field in self._edges.items():
            field.quantity_committed.connect(partial(self._on_edge_committed, name))
        self._scale = QuantityField("regionScale", "", tr("px per mm"), 110)
        self._figures: dict[str, tuple[QLabel, QuantityField]] = {}
        known: list[QWidget] = []
        for name, text, unit in _FIELDS:
            said = column_label(text)
            field = QuantityField(f"region-{name}", unit, unit, 96)
            self._figures[name] = (said, field)
            known += [said, field]
        self._knowns = QWidget()
        line = row(*known, None)
        line.setContentsMargins(0, 0, 0, 0)
        self._knowns.setLayout(line)
        self._steps = StepsRow()
        self._steps.asked.connect(self._on_step_asked)
        self._steps.changed.connect(self.stepped)
        self._length = QuantityField("regionLength", "mm", tr("known mm"), 110)
        self._told = label("", "quiet")
        self._told.setObjectName("regionTold")
        self._told.hide()
        self._lay_out(known)

    def _lay_out(self, known: Sequence[QWidget]) -> None:
        self._add = button(tr("Measure this in all prints"), self._on_add_clicked, name="addRegion")
        self.add(
            heading(tr("A region")),
            row(self._what, column_label(tr("as")), self._name, self._corner, None, self._add),
            self._knowns,
            row(column_label(tr("Box, px")), *self._edges.values(), None),
            self._steps,
            row(
                column_label(tr("Scale")),
                self._scale,
                button(tr("from the mat"), self._on_mat_clicked, name="scaleFromMat"),
                12,
                self._length,
                button(tr("by two clicks"), self._on_clicks_clicked, name="scaleByClicks"),
                None,
            ),
            self._told,
        )
        self._on_what_chosen()

    def show_view(self, view: View, reference: str) -> None:
        """Show the form for a view; regions are drawn on the photograph with that hash."""
        if self._view is None or view.id != self._view.id:
            self._view = view
            self._propose_name()
            same = next((one.px_per_mm for one in view.regions if one.px_per_mm), None)
            self._scale.show_text("" if same is None else format_digits(same, 4))
        self._view = view
        self._reference = reference
        self.setEnabled(self._desk.can_edit)

    def show_box(self, box: QRect) -> None:
        """Show a box that was drawn."""
        for name, value in zip(EDGES, (box.left(), box.top(), box.width(), box.height()), strict=True):
            self._edges[name].show_text(str(value))
        self._say("")

    def _say(self, text: str) -> None:
        self._told.setText(text)
        self._told.setVisible(bool(text))

    def clear_box(self) -> None:
        """Begin another region."""
        for field in self._edges.values():
            field.clear()
        self._steps.clear()

    def step_boxes(self) -> list[QRect]:
        """Return the boxes of the steps that were taken so far."""
        return boxes_of(self._steps.steps) if self._what_chosen() is What.ONSET else []

    def _on_step_asked(self) -> None:
        box = self._box_in_hand()
        if box is None:
            return
        told = self._steps.take(box)
        if not told:
            for field in self._edges.values():
                field.clear()
            self.boxed.emit(QRect())
        self._say(told)

    def _box_in_hand(self) -> QRect | None:
        box = self._box()
        if box is None or box.width() < LEAST_PX or box.height() < LEAST_PX:
            self._say(
                tr(
                    "Drag a box of at least {LEAST_PX} × {LEAST_PX} pixels over the photograph first.",
                    LEAST_PX=LEAST_PX,
                )
            )
            return None
        return box

    def take_point(self, x: float, y: float) -> None:
        """Take one of two clicks on a known length."""
        if self._points is None:
            return
        shot = next((shot for _, shot in self._desk.shots() if shot.sha256 == self._reference), None)
        if shot is None:
            return
        self._points.append((x * shot.width, y * shot.height))
        if len(self._points) < 2:
            self._say(tr("Click its other end."))
            return
        (x1, y1), (x2, y2) = self._points
        self._points = None
        try:
            length = self._length.value(0.0)
        except ValueError:
            length = 0.0
        pixels = math.hypot(x2 - x1, y2 - y1)
        if length <= 0 or pixels < 20:
            self._say(tr("Type how long it is in mm, and click two places that lie apart."))
            return
        self._scale.show_text(format_digits(pixels / length, 4))
        # Two clicks, each a pixel beside.
        share = 100 * 2 / pixels
        self._say(
            tr(
                "{pixels} pixels a millimetre, sure to about {share} %: worse than the mat, "
                "which knows the lens as well.",
                pixels=format_number(pixels / length, 2),
                share=format_number(share, 1),
            )
        )

    def _what_chosen(self) -> What:
        # Qt gives back the plain text of an enumeration.
        return What(self._what.currentData())

    def _propose_name(self) -> None:
        if self._view is not None:
            self._name.show_text(f"{WORDS[self._what_chosen()]}, {self._view.name}")

    def _on_what_chosen(self) -> None:
        asked = ASKED.get(self._what_chosen(), ())
        self._corner.setVisible("corner" in asked)
        for name, parts in self._figures.items():
            for part in parts:
                part.setVisible(name in asked)
        self._knowns.setVisible(any(name in asked for name in self._figures))
        self._steps.setVisible(self._what_chosen() is What.ONSET)
        self.stepped.emit()
        self._propose_name()

    def _on_edge_committed(self, name: str, values: list[float]) -> None:
        del name, values
        box = self._box()
        if box is not None:
            self.boxed.emit(box)

    def _box(self) -> QRect | None:
        try:
            left, top, width, height = (round(self._edges[name].value(-1.0)) for name in EDGES)
        except ValueError:
            return None
        return (
            QRect(left, top, width, height) if left >= 0 and top >= 0 and width > 0 and height > 0 else None
        )

    def _on_clicks_clicked(self) -> None:
        self._points = []
        self._say(tr("Click one end of the known length on the photograph."))

    def _on_mat_clicked(self) -> None:
        def done(seen: MatSeen) -> None:
            if seen.px_per_mm is not None:
                self._scale.show_text(format_digits(seen.px_per_mm, 5))
            self._say(" ".join((mat_sentence(seen), *seen.warnings)))

        self._desk.read_mat(self, self._reference, self._say, done)

    def _box_of_steps(self) -> QRect | None:
        """Return what holds all steps; says why where there are too few."""
        if len(self._steps.steps) < 2:
            self._say(tr("Drag a box over the lower edge of each step, two or more, and type its angle."))
            return None
        return reduce(QRect.united, boxes_of(self._steps.steps))

    def _on_add_clicked(self) -> None:
        onset = self._what_chosen() is What.ONSET
        box = self._box_of_steps() if onset else self._box_in_hand()
        if box is None:
            return
        if not self._name.text().strip():
            self._name.show_error(tr("Please say what its figures are readings of."))
            return
        asked = ASKED.get(self._what_chosen(), ())
        try:
            figures = {name: self._figures[name][1].value(0.0) or None for name in asked if name != "corner"}
            scale = self._scale.value(0.0) or None
            limit = self._steps.limit_mm() if onset else None
        except QuantityError as error:
            self._say(f"{capitalized(str(error))}.")
            return
        if any(value is not None and value <= 0 for value in (*figures.values(), scale)):
            self._say(tr("Give figures above zero."))
            return
        if figures.get("elevation_deg") is None:
            figures.pop("elevation_deg", None)
        self.added.emit(
            MeasuredRegion(
                name=self._name.text().strip(),
                what=self._what_chosen().value,
                left=box.left(),
                top=box.top(),
                width=box.width(),
                height=box.height(),
                reference=self._reference,
                px_per_mm=scale,
                corner=self._corner.currentData() if "corner" in asked else "left",
                steps=self._steps.steps if onset else (),
                limit_mm=limit,
                **figures,  # type: ignore[arg-type]
            )
        )
