"""What to measure or grade, and how large a difference would matter."""

from __future__ import annotations

from functools import partial
from typing import Final, Unpack

from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
)

from oddtwin import operations
from oddtwin.core import customs
from oddtwin.core.language import shown, tr
from oddtwin.core.quantities import QuantityError, capitalized
from oddtwin.core.readings import ResponseKind
from oddtwin.core.study import Piece, Response, Study
from oddtwin.ui.ask.response_row import ResponseRow
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    LineField,
    button,
    choose,
    column_label,
    explained,
    heading,
    label,
    row,
    set_quietly,
)
from oddtwin.ui.widgets.place import typed_quantity
from oddtwin.ui.widgets.rows import FieldRow, Rows
from oddtwin.ui.workbench import Workbench

_KINDS: Final = (
    (tr("a number"), ResponseKind.QUANTITY),
    (tr("a fault, graded 0 to 4"), ResponseKind.GRADE),
    (tr("degrees, or a signed error"), ResponseKind.DEVIATION),
    (tr("a size beside its nominal"), ResponseKind.SIZE),
    (tr("yes or no, k of n"), ResponseKind.YES_NO),
    (tr("how many"), ResponseKind.COUNT),
    (tr("a word from a list"), ResponseKind.WORD),
    (tr("where a fault begins"), ResponseKind.ONSET),
)
_UNITS: Final = {
    ResponseKind.WORD: tr("Words, apart by commas"),
    ResponseKind.ONSET: tr("Unit of the zones, such as °"),
}
_HEAD: Final = (
    tr("Decides"),
    tr("Response"),
    tr("Unit"),
    tr("Better is"),
    tr("Target"),
    tr("Margin"),
    tr("Instrument’s step"),
    "",
    "",
)
_STRETCH: Final = (0, 3, 0, 0, 1, 1, 1, 0, 0)


class ResponsesCard(Card):
    """A row for each response; margins are best set before anything is printed."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._deciding = QButtonGroup(self)
        self._shown: tuple[Response, ...] = ()
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        for column, (text, stretch) in enumerate(zip(_HEAD, _STRETCH, strict=True)):
            grid.addWidget(column_label(text), 0, column)
            grid.setColumnStretch(column, stretch)
        self._rows: Rows[Response] = Rows(grid, self._make_row)
        self.add(heading(tr("What to measure")))
        margin = label(
            tr(
                "The margin is the smallest difference that would matter to you. Set it now: "
                "once the verdict has been seen, a changed margin is shown as changed."
            ),
            "quiet",
        )
        words = row(explained(theme, "margin"), margin)
        words.setStretch(1, 1)
        self.add(words)
        self.add(self._standing_row())
        self.add(grid)
        self.add(self._new_row())

    def refresh(self, study: Study) -> None:
        """Show the responses of a study."""
        self._shown = study.responses
        roles = {response.role for response in study.responses}
        for role, box in self._standing.items():
            set_quietly(box, box.setChecked, role in roles)
        self._rows.refresh(study.responses)

    def _standing_row(self) -> QHBoxLayout:
        """What every study begins with, each taken out or put back by one tick."""
        self._standing = {role: QCheckBox(shown(name)) for role, name in operations.STANDING_NAMES.items()}
        for role, box in self._standing.items():
            box.setObjectName(f"standing-{role}")
            box.toggled.connect(partial(self._on_standing_ticked, role))
        return row(column_label(tr("Usual")), *self._standing.values(), None)

    def _on_standing_ticked(self, role: str, wanted: bool) -> None:
        study = self._workbench.study
        there = next((one for one in self._shown if one.role == role), None)
        if study is not None and wanted and there is None:
            name = shown(operations.STANDING_NAMES[role])
            self._workbench.do(operations.add_standing_response, study_id=study.id, name=name)
        elif there is not None and not wanted:
            self._workbench.do(operations.remove_response, response_id=there.id, name=there.name)

    def _new_row(self) -> QGridLayout:
        self._name = LineField("newResponseName", tr("Something to measure or grade, such as Stringing"))
        self._type = QComboBox()
        self._type.setObjectName("newResponseKind")
        self._type.setAccessibleName(tr("Kind of the new response"))
        choose(self._type, _KINDS, ResponseKind.QUANTITY)
        self._unit = LineField("newResponseUnit", tr("Unit, such as mm"), 140)
        self._fault = QComboBox()
        self._fault.setObjectName("newResponseFault")
        self._fault.addItems([tr("a usual fault…"), *map(shown, customs.FAULTS)])
        self._fault.setVisible(False)
        self._fault.currentIndexChanged.connect(self._on_fault_chosen)
        self._type.currentIndexChanged.connect(self._on_type_changed)
        self._margin = LineField("newResponseMargin", tr("Margin, if you know it"), 170)
        # Enter goes from field to field, and adds it at the last one.
        self._name.entered.connect(self._on_name_entered)
        self._unit.entered.connect(self._margin.setFocus)
        self._margin.entered.connect(self._on_add_clicked)
        grid = QGridLayout()
        grid.setColumnStretch(0, 1)
        add = button(tr("Add"), self._on_add_clicked, name="addResponse")
        for column, widget in enumerate((self._name, self._type, self._unit, self._margin, self._fault, add)):
            grid.addWidget(widget, 0, column)
        return grid

    def _make_row(self, response: Response) -> FieldRow[Response]:
        def remove() -> None:
            self._workbench.do(
                operations.remove_response, response_id=response.id, name=self._stored_name(response.id)
            )

        fields = ResponseRow(response, self._theme, partial(self._edit, response.id), remove, self._pieces)
        self._deciding.addButton(fields.decides)
        return fields

    def _pieces(self) -> list[Piece]:
        """The pieces that a response can be for: those of the plan, else of the workshop."""
        study = self._workbench.study
        if study is None:
            return []
        planned = study.plan.piece_ids if study.plan and study.plan.piece_ids else tuple(study.pieces)
        return [study.pieces[key] for key in planned if key in study.pieces]

    def _edit(self, response_id: int, **values: Unpack[operations.ResponseParts]) -> None:
        done = self._workbench.do(
            operations.edit_response, response_id=response_id, name=self._stored_name(response_id), **values
        )
        if done is None and self._workbench.study is not None:
            self.refresh(self._workbench.study)

    def _stored_name(self, response_id: int) -> str:
        """Return the name in the lab book, while another one may be being typed."""
        return next(item.name for item in self._shown if item.id == response_id)

    def _on_type_changed(self) -> None:
        kind = self._chosen_type()
        self._unit.setVisible(kind.has_unit or kind is ResponseKind.WORD)
        self._unit.edit.setPlaceholderText(_UNITS.get(kind, tr("Unit, such as mm")))
        self._fault.setVisible(kind.graded)

    def _on_name_entered(self) -> None:
        (self._margin if self._unit.isHidden() else self._unit).setFocus()

    def _on_fault_chosen(self) -> None:
        if self._fault.currentIndex() > 0:
            self._name.edit.setText(self._fault.currentText())
            self._name.setFocus()

    def _chosen_type(self) -> ResponseKind:
        # Qt hands an enumeration that is a text back as plain text.
        return ResponseKind(self._type.currentData())

    def _on_add_clicked(self) -> None:
        study = self._workbench.study
        if study is None:
            return
        if not self._name.text().strip():
            self._name.show_error(tr("Please type what to measure."))
            return
        kind = self._chosen_type()
        unit = self._unit.text() if kind.has_unit else ""
        try:
            typed = self._margin.text().strip()
            margin = typed_quantity(typed, unit) if typed else None
        except QuantityError as error:
            self._margin.show_error(f"{capitalized(str(error))}.")
            return
        done = self._workbench.do(
            operations.add_response,
            study_id=study.id,
            name=self._name.text(),
            unit=unit,
            kind=kind,
            margin=margin,
            words=self._unit.text().split(",") if kind is ResponseKind.WORD else (),
        )
        if done:
            for field in (self._name, self._unit, self._margin):
                field.clear()
            self._fault.setCurrentIndex(0)
            self._name.setFocus()
