"""The views of the pieces: a face under a lamp, made once with the piece."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QGridLayout

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.study import View
from oddtwin.ui.look.desk import Desk
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    IconButton,
    LineField,
    at_least,
    button,
    choose,
    column_label,
    heading,
    label,
    row,
)
from oddtwin.ui.widgets.rows import FieldRow, Rows


class ViewsCard(Card):
    """One line a view, and fields for a new one."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._theme = theme
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(12)
        self._grid.setColumnStretch(4, 1)
        for column, text in enumerate((tr("Piece"), tr("Face"), tr("Lamp"), tr("Zone"))):
            self._grid.addWidget(column_label(text), 0, column)
        self._rows: Rows[View] = Rows(self._grid, self._make_row)
        self._piece, self._zone = QComboBox(), QComboBox()
        self._piece.setObjectName("viewPiece")
        at_least(self._piece, width=150)
        self._piece.setAccessibleName(tr("Piece of the new view"))
        self._zone.setObjectName("viewZone")
        self._zone.setAccessibleName(tr("Zone that the new view shows"))
        self._piece.currentIndexChanged.connect(self._show_zones)
        self._face = LineField("viewFace", tr("face, such as front"), width=170)
        self._lamp = LineField("viewLamp", tr("lamp, such as left, low"), width=170)
        self._face.entered.connect(self._on_add_clicked)
        self._lamp.entered.connect(self._on_add_clicked)
        self._add = button(tr("Add the view"), self._on_add_clicked, name="addView")
        self.add(
            heading(tr("Views")),
            label(
                tr(
                    "Made once with the piece: each face that can show a fault, under each lamp "
                    "that shows it. Every print is then photographed in this order."
                ),
                "quiet",
            ),
            self._grid,
            row(self._piece, self._face, self._lamp, self._zone, self._add, None),
        )

    def refresh(self) -> None:
        """Show the views of the pieces of the study."""
        study = self._desk.study
        # Views belong to the piece: they can be made before anything is planned.
        planned = study.plan.piece_ids if study.plan else tuple(study.pieces)
        pieces = [study.pieces[key] for key in planned]
        self._rows.refresh([view for piece in pieces for view in piece.views])
        choose(self._piece, [(piece.name, piece.id) for piece in pieces], self._piece.currentData())
        self._show_zones()
        self.setEnabled(self._desk.can_edit)
        self._add.setEnabled(bool(pieces))

    def _show_zones(self) -> None:
        piece = self._desk.study.pieces.get(self._piece.currentData() or 0)
        zones = piece.zones if piece else ()
        choices = [
            (tr("shows several zones"), ""),
            *((tr("shows {zone}", zone=zone), zone) for zone in zones),
        ]
        choose(self._zone, choices, self._zone.currentData() or "")
        self._zone.setVisible(bool(zones))

    def _make_row(self, view: View) -> FieldRow[View]:
        piece, face, lamp, zone = (label("", wrap=False) for _ in range(4))
        remove = IconButton(
            self._theme,
            "remove",
            tr("Take the view {view} out", view=view.name),
            lambda: self._desk.workbench.do(operations.remove_view, view_id=view.id, name=view.name),
        )

        def show(now: View) -> None:
            piece.setText(self._desk.study.pieces[now.piece_id].name)
            face.setText(now.face)
            lamp.setText(now.lamp or tr("any"))
            zone.setText(now.zone or tr("several"))

        return FieldRow((piece, face, lamp, zone, remove), show)

    def _on_add_clicked(self) -> None:
        piece = self._piece.currentData()
        if piece is None:
            return
        record = self._desk.workbench.do(
            operations.add_view,
            piece_id=piece,
            face=self._face.text(),
            lamp=self._lamp.text(),
            zone=self._zone.currentData() or "",
        )
        if record is not None:
            self._face.clear()
            self._lamp.clear()
            self._face.setFocus()
