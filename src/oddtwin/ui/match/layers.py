"""The layer view: both paths over one another, layer by layer."""

from __future__ import annotations

from typing import TYPE_CHECKING, Final

import numpy as np
from PySide6.QtCore import QRectF, Qt, QTimer
from PySide6.QtWidgets import QCheckBox, QComboBox, QSlider, QVBoxLayout, QWidget

from oddtwin.core.language import tr
from oddtwin.core.picture import Circle, Drawing, Line, Text
from oddtwin.core.quantities import format_number, with_unit
from oddtwin.ui.match.canvas import LayerCanvas
from oddtwin.ui.match.shelf import Shelf
from oddtwin.ui.match.waiting import Waiting
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    DrawingView,
    button,
    choose,
    column_label,
    heading,
    label,
    row,
    set_quietly,
    short,
)

if TYPE_CHECKING:
    from oddtwin.core.toolpath.gcode import Toolpath
    from oddtwin.core.toolpath.match import MatchFile


MANY_LINES: Final = 3000
REST_MS: Final = 150


class LayersPanel(QWidget):
    """A slider over the baseline's layers; the other file's layer is the one at the same height."""

    def __init__(self, shelf: Shelf, theme: Theme) -> None:
        super().__init__()
        self._shelf = shelf
        self._files: list[MatchFile] = []
        self._pairs: dict[int, int] = {}
        self._seconds: list[np.ndarray] = []
        self._tops: list[list[int]] = [[], []]
        self._whole = QRectF(0, 0, 100, 100)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._mark)
        self._other = QComboBox()
        self._other.setObjectName("layerOther")
        self._other.currentIndexChanged.connect(self._on_other_chosen)
        self._travel = QCheckBox(tr("Show travel"))
        self._travel.setObjectName("showTravel")
        self._travel.toggled.connect(self._show_layer)
        self._canvas = LayerCanvas(theme)
        self._canvas.stepped.connect(self._on_stepped)
        self._slider = QSlider(Qt.Orientation.Horizontal)
        self._slider.setObjectName("layerSlider")
        self._slider.setAccessibleName(tr("Layer"))
        self._slider.valueChanged.connect(self._show_layer)
        self._says = label("", wrap=False)
        self._says.setObjectName("layerSays")
        self._parted = label("", "quiet")
        self._parted.setObjectName("layerParted")
        self._onwards = button(
            tr("Next layer that differs"),
            self._on_next_clicked,
            name="nextDifference",
            tip=tr("Looks upwards"),
        )
        self._legend = DrawingView(theme, self._draw_legend)
        self._build()
        shelf.loaded.connect(self.refresh)

    def _build(self) -> None:
        self._empty = label(tr("Choose the files of all arms under Files first."), "quiet")
        self._against = QWidget()
        against = row(column_label(tr("Against")), self._other, None)
        against.setContentsMargins(0, 0, 0, 0)
        self._against.setLayout(against)
        self._parts: list[QWidget] = [
            self._legend,
            self._canvas,
            self._slider,
            self._says,
            self._parted,
            self._travel,
            self._onwards,
        ]
        card = Card(heading(tr("Layers")), Waiting(self._shelf), self._empty, self._against)
        card.add(
            row(self._says, None, self._onwards),
            self._slider,
            row(self._legend, self._travel),
            self._canvas,
            self._parted,
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(card)

    def refresh(self) -> None:
        """Show the files that are read; those that are not are read now."""
        if self.isHidden():
            return
        files = self._shelf.pair()
        self._empty.setVisible(not files and not self._shelf.complete)
        for part in self._parts:
            part.setVisible(bool(files))
        self._against.setVisible(len(files) > 2)
        if files is self._files or not (files or self._files):
            return
        self._files = files
        if files:
            choose(self._other, [(file.name, place) for place, file in enumerate(files[1:], 1)], 1)
            self._take()

    def _take(self) -> None:
        from oddtwin.core.toolpath.match import layer_pairs, top_layers

        ours, theirs = self._toolpaths()
        self._pairs = dict(layer_pairs(ours, theirs))
        both = (self._files[0], self._files[self._other.currentData() or 1])
        self._seconds = [file.sliced.layer_s for file in both]
        # Found once for a pair of files: it takes a look at every move.
        self._tops = [top_layers(file.sliced) for file in both]
        boxes = [_bounds(path) for path in (ours, theirs)]
        self._whole = boxes[0].united(boxes[1])
        set_quietly(self._slider, lambda _: self._slider.setRange(0, ours.layers - 1), None)
        # Begin in the middle, where both files have a layer.
        middle = [mine for mine in self._pairs if mine >= ours.layers // 2]
        set_quietly(self._slider, self._slider.setValue, middle[0] if middle else 0)
        self._canvas.show_whole()
        self._legend.update()
        self._show_layer()

    def _toolpaths(self) -> tuple[Toolpath, Toolpath]:
        return self._files[0].sliced.path, self._files[self._other.currentData() or 1].sliced.path

    def _show_layer(self) -> None:
        if not self._files:
            return
        ours, theirs = self._toolpaths()
        mine = self._slider.value()
        other = self._pairs.get(mine)
        travel = self._travel.isChecked()
        baseline = layer_lines(ours, mine, travel)
        change = layer_lines(theirs, other, travel) if other is not None else np.zeros((0, 4))
        self._canvas.show_lines(baseline, change, self._whole)
        height = with_unit(format_number(float(ours.layer_z[mine]), 2), "mm")
        words = [
            tr("Layer {mine} of {layers}, at {height}", mine=mine + 1, layers=ours.layers, height=height)
        ]
        words.append(f"{self._files[0].name}: {format_number(self._seconds[0][mine], 1)} s")
        if other is not None:
            name = self._files[self._other.currentData() or 1].name
            words.append(f"{name}: {format_number(self._seconds[1][other], 1)} s")
        self._says.setText("   ·   ".join(words))
        self._parted.setText("")
        # Looking where many lines part takes longer than a step of the slider.
        if len(baseline) < MANY_LINES:
            self._mark()
        else:
            self._rest.start()

    def _mark(self) -> None:
        """Mark where the paths of the layer part."""
        from oddtwin.core.toolpath.match import breaks_in, parted_points

        if not self._files:
            return
        ours, theirs = self._toolpaths()
        mine = self._slider.value()
        other = self._pairs.get(mine)
        if other is None:
            self._parted.setText(tr("The other file has no layer at this height."))
            return
        places = parted_points(ours, theirs, mine, other)
        self._canvas.show_parted(places)
        chosen = self._files[self._other.currentData() or 1]
        seams = [
            (file.name, breaks_in(file.sliced, layer) if layer in tops else np.zeros((0, 2)))
            for file, layer, tops in zip((self._files[0], chosen), (mine, other), self._tops, strict=True)
        ]
        self._canvas.show_breaks(np.concatenate([marks for _, marks in seams]))
        words = [
            tr("The paths part where they are marked.")
            if len(places)
            else tr("Both files lay the same lines.")
        ]
        words += [
            tr("{name}: a seam may show at the squares.", name=name) for name, marks in seams if len(marks)
        ]
        self._parted.setText(" ".join(words))

    def _on_next_clicked(self) -> None:
        from oddtwin.core.toolpath.match import next_difference

        if not self._files:
            return
        ours, theirs = self._toolpaths()
        after = self._slider.value()

        def found(layer: int | None) -> None:
            if layer is None:
                self._parted.setText(tr("Every layer has the same lines in the same order."))
            else:
                self._slider.setValue(layer)

        self._shelf.figure(lambda job: next_difference(ours, theirs, after, job), found)

    def _draw_legend(self, width: float) -> Drawing:
        names = [file.name for file in self._files] or [tr("Baseline"), tr("Change")]
        other = names[self._other.currentData() or 1] if len(names) > 1 else tr("Change")
        shapes = (
            Circle(10, 12, 6, "baseline", 3.0),
            Text(22, 16, short(names[0], 22), "ink"),
            Circle(width / 4 + 10, 12, 4, "change"),
            Text(width / 4 + 20, 16, short(other, 22), "ink"),
            Circle(width / 2 + 10, 12, 8, "worse", 2.0),
            Text(width / 2 + 24, 16, tr("the paths part"), "ink"),
            Line(0.75 * width + 5, 7, 0.75 * width + 15, 7, "ink", 2.0),
            Line(0.75 * width + 5, 17, 0.75 * width + 15, 17, "ink", 2.0),
            Line(0.75 * width + 5, 7, 0.75 * width + 5, 17, "ink", 2.0),
            Line(0.75 * width + 15, 7, 0.75 * width + 15, 17, "ink", 2.0),
            Text(0.75 * width + 24, 16, tr("beside an old line"), "ink"),
        )
        return Drawing(width, 24, shapes, tr("Baseline wide and dark, change narrow over it"))

    def _on_other_chosen(self) -> None:
        if self._files:
            self._take()

    def _on_stepped(self, step: int) -> None:
        self._slider.setValue(self._slider.value() + step)


def layer_lines(path: Toolpath, layer: int, travel: bool) -> np.ndarray:
    """Return the lines of a layer as rows of x1, y1, x2, y2."""
    span = path.span(layer)
    drawn = path.length[span] > 0 if travel else path.lays(span)
    found = np.column_stack([path.start("x", span), path.start("y", span), path.x[span], path.y[span]])
    return np.asarray(found[drawn])


def _bounds(path: Toolpath) -> QRectF:
    laid = path.lays()
    laid[: int(path.layer_start[0])] = False
    x, y = path.x[laid], path.y[laid]
    left, low = float(x.min()), float(y.min())
    return QRectF(left, low, max(1.0, float(x.max()) - left), max(1.0, float(y.max()) - low))
