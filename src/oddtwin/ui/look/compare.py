"""Two photographs of one view: flicked in place, marked, laid on one another by hand where need be."""

from __future__ import annotations

from functools import partial
from typing import Final

import numpy as np
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QComboBox, QPushButton, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.arrays import Floats
from oddtwin.core.language import tr
from oddtwin.core.photo import Aid, by_points, moved
from oddtwin.core.study import Photograph, Run, departures
from oddtwin.operations import Flag
from oddtwin.ui.look.canvas import Dot, PhotoCanvas, Way
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.look.marks import MarksCard
from oddtwin.ui.look.scars import ScarsRow
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    Page,
    ProgressRow,
    at_least,
    button,
    choose,
    column_label,
    fix,
    heading,
    label,
    row,
)
from oddtwin.ui.widgets.roles import Role, speak_as
from oddtwin.work.derived import ReadyPair, ready_pair
from oddtwin.work.photos import PhotoError

KEYS: Final = tr(
    "Hold Space to flick; left, right walk the views, up, down the pairs; + − 0 "
    "zoom, Shift and arrows move, [ ] wipe."
)
POINTS: Final = 3


class ComparePanel(QWidget):
    """A pair of photographs on a neutral grey, and the marks on them."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._pairs: list[tuple[tuple[Run, Photograph], tuple[Run, Photograph]]] = []
        self._pair: ReadyPair | None = None
        self._wanted: tuple[str, str] | None = None
        self._by_hand: dict[tuple[str, str], Floats] = {}
        self._points: list[tuple[float, float]] | None = None
        self._nothing = Card(
            heading(tr("Nothing to compare yet")),
            label(tr("File photographs of two prints of this view; they then lie here on one another.")),
        )
        self._choice = QComboBox()
        self._choice.setObjectName("lookPair")
        self._choice.setAccessibleName(tr("Pair of prints"))
        at_least(self._choice, width=320)
        self._choice.currentIndexChanged.connect(self._on_pair_chosen)
        self._canvas = PhotoCanvas(theme, "lookCanvas")
        fix(self._canvas, height=400)
        self._canvas.stepped.connect(self._on_stepped)
        self._canvas.pointed.connect(self._on_pointed)
        self._told = label("", "quiet")
        self._progress = ProgressRow("pairProgress", self._on_stopped)
        self._hand = button(tr("Lay on by hand"), self._on_hand_clicked, name="layByHand")
        self._lamp = button(tr("Rotate the lamp"), self._on_lamp_clicked, shortcut="L", name="rotateLamp")
        self._scars = ScarsRow(desk)
        self._scars.asked.connect(self._on_tie_asked)
        self._scars.found.connect(self._canvas.show_places)
        self._tying = False
        self._marks = MarksCard(desk, theme)
        self._marks.wanted.connect(self._on_mark_wanted)
        self._body = QWidget()
        body = QVBoxLayout(self._body)
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(10)
        body.addLayout(row(column_label(tr("Pair")), self._choice, 12, *self._ways(), None, *self._aids()))
        body.addWidget(self._canvas)
        below = row(self._lamp, self._hand)
        below.insertWidget(0, self._told, 1)
        body.addLayout(below)
        body.addWidget(self._scars)
        body.addWidget(self._progress)
        body.addWidget(label(KEYS, "quiet"))
        body.addWidget(self._marks)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._nothing)
        layout.addWidget(self._body)
        self.first = self._canvas

    def _ways(self) -> list[QPushButton]:
        self._way_buttons: dict[Way, QPushButton] = {}
        for way in Way:
            made = button(way, partial(self._on_way_chosen, way), name=f"way{way.name.title()}")
            made.setCheckable(True)
            speak_as(made, Role.RadioButton)
            made.setProperty("tab", True)
            made.setChecked(way is Way.FLICK)
            self._way_buttons[way] = made
        return list(self._way_buttons.values())

    def _aids(self) -> tuple[QWidget, QWidget]:
        self._aid = QComboBox()
        self._aid.setObjectName("lookAid")
        self._aid.setAccessibleName(tr("What helps to see"))
        choose(self._aid, [(aid, aid) for aid in Aid], Aid.NONE)
        self._aid.currentIndexChanged.connect(lambda: self._canvas.set_aid(Aid(self._aid.currentData())))
        return column_label(tr("Show")), self._aid

    def refresh(self) -> None:
        """Show the pair in hand of the view in hand."""
        self._pairs = self._desk.pairs()
        self._nothing.setVisible(not self._pairs)
        self._body.setVisible(bool(self._pairs))
        view = self._desk.view
        same_face = (
            []
            if view is None or self._desk.piece is None
            else [one for one in self._desk.piece.views if one.face == view.face]
        )
        self._lamp.setVisible(len(same_face) > 1)
        choices = [
            (f"{self._desk.label(one[0])}  ⟷  {self._desk.label(two[0])}", (one[1].id, two[1].id))
            for one, two in self._pairs
        ]
        choose(self._choice, choices, self._choice.currentData())
        self._show()

    def _chosen(self) -> tuple[tuple[Run, Photograph], tuple[Run, Photograph]] | None:
        place = self._choice.currentIndex()
        return self._pairs[place] if 0 <= place < len(self._pairs) else None

    def _show(self) -> None:
        chosen = self._chosen()
        if chosen is None:
            self._wanted = None
            return
        key = (chosen[0][1].sha256, chosen[1][1].sha256)
        if key != self._wanted:
            self._wanted = key
            self._pair = None
            self._points = None
            self._canvas.show_pair(None)
            self._told.setText(tr("Laying the photographs on one another …"))
            book, matrix = self._desk.workbench.book, self._by_hand.get(key)
            running = self._desk.workbench.figure(
                self,
                lambda job: ready_pair(book, *key, matrix=matrix, job=job),
                partial(self._on_ready, key),
                self._on_refused,
            )
            self._progress.follow(running)
        self._marks.show_pair(chosen)
        self._scars.show_pair(chosen)
        self._show_dots()

    def _on_ready(self, key: tuple[str, str], pair: ReadyPair) -> None:
        chosen = self._chosen()
        # Another pair was chosen while this one was read.
        if key != self._wanted or chosen is None:
            return
        self._pair = pair
        names = (self._desk.label(chosen[0][0]), self._desk.label(chosen[1][0]))
        known = all(self._desk.arm_name(run) for run, _ in chosen)
        self._canvas.show_pair(pair.first, pair.second, names, marked=known)
        told = [pair.sentence]
        for run, shot in chosen:
            told += [f"{run.code}: {sentence}" for sentence in departures(self._desk.study, shot)]
        self._told.setText(" ".join(told))
        self._show_dots()

    def _on_refused(self, error: BaseException) -> bool:
        if isinstance(error, PhotoError):
            text = str(error)
            self._told.setText(tr("They cannot be shown: {text}.", text=text))
            return True
        return False

    def _on_stopped(self) -> None:
        self._desk.workbench.lanes.cancel(self)
        self._told.setText(tr("Stopped; choose the pair again to lay it on."))
        self._wanted = None

    def _show_dots(self) -> None:
        chosen = self._chosen()
        if chosen is None or self._pair is None:
            self._canvas.show_dots(())
            return
        dots = []
        for second, (run, shot) in enumerate(chosen):
            for mark in self._desk.study.index.marks[run.id]:
                if mark.photograph_id == shot.id:
                    x, y = self._shown_at(mark.x, mark.y, shot, bool(second))
                    dots.append(Dot(x, y, str(mark.grade), bool(second)))
        pending = self._marks.pending
        if pending is not None:
            shot = chosen[pending.second][1]
            x, y = self._shown_at(pending.x, pending.y, shot, pending.second)
            dots.append(Dot(x, y, "?", pending.second))
        for number, (x, y) in enumerate(self._points or (), 1):
            dots.append(Dot(x, y, str((number - 1) % POINTS + 1), number > POINTS))
        self._canvas.show_dots(tuple(dots))

    def _shown_at(self, x: float, y: float, shot: Photograph, second: bool) -> tuple[float, float]:
        """Where a place of a photograph is shown: the second lies on the first."""
        assert self._pair is not None
        if not second:
            return x, y
        place = moved(np.array([x * shot.width, y * shot.height]), self._pair.matrix)
        wide, high = self._pair.first.size
        return float(place[0] / wide), float(place[1] / high)

    def _own_place(self, x: float, y: float, shot: Photograph, second: bool) -> tuple[float, float]:
        """Where on its own photograph a place lies that is shown."""
        assert self._pair is not None
        if not second:
            return x, y
        whole = np.vstack([self._pair.matrix, [0.0, 0.0, 1.0]])
        wide, high = self._pair.first.size
        place = np.linalg.solve(whole, np.array([x * wide, y * high, 1.0]))
        return float(place[0] / shot.width), float(place[1] / shot.height)

    # ------------------------------------------------------------ events

    def _on_pair_chosen(self) -> None:
        self._marks.drop()
        self._show()

    def _on_stepped(self, views: int, pairs: int) -> None:
        if views:
            self._desk.stepped.emit(views)
        elif self._pairs:
            self._choice.setCurrentIndex((self._choice.currentIndex() + pairs) % len(self._pairs))

    def _on_way_chosen(self, way: Way) -> None:
        for one, made in self._way_buttons.items():
            made.setChecked(one is way)
        self._canvas.set_way(way)
        self._canvas.setFocus()

    def _on_lamp_clicked(self) -> None:
        view, piece = self._desk.view, self._desk.piece
        if view is None or piece is None:
            return
        views = list(piece.views)
        here = views.index(view)
        for by in range(1, len(views)):
            if views[(here + by) % len(views)].face == view.face:
                self._desk.stepped.emit(by)
                return

    def _on_tie_asked(self) -> None:
        self._points, self._tying = [], True
        self._marks.drop()
        self._canvas.show_second(False)
        self._canvas.setFocus()
        self._told.setText(tr("Click the corner at the {corners}.", corners=self._scars.corners[0]))
        self._show_dots()

    def _on_hand_clicked(self) -> None:
        self._points, self._tying = [], False
        self._marks.drop()
        self._canvas.show_second(False)
        self._canvas.setFocus()
        self._told.setText(tr("Click three corners of the face on the first photograph."))
        self._show_dots()

    def _on_pointed(self, x: float, y: float, second: bool) -> None:
        chosen = self._chosen()
        if chosen is None or self._pair is None:
            return
        if self._points is not None:
            self._take_point(x, y)
        elif self._desk.can_edit:
            shot = chosen[second][1]
            self._marks.begin(*self._own_place(x, y, shot, second), second)
            self._show_dots()
            self._bring_into_sight()

    def _bring_into_sight(self) -> None:
        """Scroll to where the mark is graded: it has the keys now."""
        above = self.parentWidget()
        while above is not None and not isinstance(above, Page):
            above = above.parentWidget()
        if isinstance(above, Page):
            QTimer.singleShot(0, above, lambda: above.ensureWidgetVisible(self._marks, 0, 12))

    def _take_point(self, x: float, y: float) -> None:
        assert self._points is not None and self._pair is not None
        self._points.append((x, y))
        if self._tying:
            if len(self._points) < POINTS:
                self._told.setText(
                    tr("Now the corner at the {corners}.", corners=self._scars.corners[len(self._points)])
                )
            else:
                points, self._points, self._tying = self._points, None, False
                self._told.setText(self._pair.sentence)
                self._scars.tie(points)
            self._show_dots()
            return
        left = POINTS - len(self._points) % POINTS
        if len(self._points) < POINTS:
            self._told.setText(tr("{left} more on the first photograph.", left=left))
        elif len(self._points) == POINTS:
            self._canvas.show_second(True)
            self._told.setText(tr("Now the same three corners, in the same order, on the second."))
        elif len(self._points) < 2 * POINTS:
            self._told.setText(tr("{left} more on the second photograph.", left=left))
        else:
            self._lay_on()
            return
        self._show_dots()

    def _lay_on(self) -> None:
        chosen = self._chosen()
        assert self._points is not None and self._pair is not None and chosen is not None
        size = np.array(self._pair.first.size, dtype=np.float64)
        points = np.array(self._points) * size
        shot = chosen[1][1]
        own = np.array([self._own_place(x, y, shot, True) for x, y in self._points[POINTS:]]) * np.array(
            [shot.width, shot.height]
        )
        self._points = None
        try:
            matrix = by_points(own, points[:POINTS])
        except ValueError as error:
            self._told.setText(str(error))
            self._show_dots()
            return
        # Kept for this window only: it is a makeshift, and measuring never uses it.
        key = (chosen[0][1].sha256, shot.sha256)
        self._by_hand[key] = matrix
        self._wanted = None
        self._show()

    def _on_mark_wanted(self, flag: Flag, second: bool) -> None:
        chosen = self._chosen()
        if chosen is None:
            return
        run, shot = chosen[second]
        record = self._desk.workbench.do(
            operations.mark_fault, photograph_id=shot.id, code=run.code, flag=flag
        )
        if record is not None:
            self._marks.drop()
        self._show_dots()
        self._canvas.setFocus(Qt.FocusReason.OtherFocusReason)
