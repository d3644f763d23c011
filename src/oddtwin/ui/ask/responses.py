"""What to measure or grade, and how large a difference would matter."""

from __future__ import annotations

from typing import Any, Final

from PySide6.QtWidgets import QButtonGroup, QComboBox, QGridLayout, QRadioButton

from oddtwin import operations
from oddtwin.core.readings import ResponseType
from oddtwin.core.study import Response, Study
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    IconButton,
    LineField,
    QuantityField,
    button,
    choose,
    column_label,
    heading,
    label,
    set_quietly,
)
from oddtwin.ui.widgets.rows import FieldRow, Rows
from oddtwin.ui.workbench import Workbench

_DIRECTIONS: Final = (("lower", "lower"), ("higher", "higher"), ("on target", "target"), ("neither", ""))
_TYPES: Final = (("a number", ResponseType.NUMBER), ("a fault, graded 0 to 4", ResponseType.GRADE))
_HEAD: Final = ("Decides", "Response", "Unit", "Better is", "Target", "Margin", "Instrument’s step", "")
_STRETCH: Final = (0, 3, 0, 0, 1, 1, 1, 0)


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
        self.add(heading("What to measure"))
        self.add(
            label(
                "The margin is the smallest difference that would matter to you. Set it now: once the "
                "verdict has been seen, a changed margin is shown as changed.",
                "quiet",
            )
        )
        self.add(grid)
        self.add(self._new_row())

    def refresh(self, study: Study) -> None:
        """Show the responses of a study."""
        self._shown = study.responses
        self._rows.refresh(study.responses)

    def _new_row(self) -> QGridLayout:
        self._name = LineField("newResponseName", "Something to measure or grade, such as Stringing")
        self._type = QComboBox()
        self._type.setObjectName("newResponseType")
        choose(self._type, _TYPES, ResponseType.NUMBER)
        self._unit = LineField("newResponseUnit", "Unit, such as mm", 140)
        self._type.currentIndexChanged.connect(self._on_type_changed)
        self._name.entered.connect(self._on_add_clicked)
        self._unit.entered.connect(self._on_add_clicked)
        grid = QGridLayout()
        grid.setColumnStretch(0, 1)
        add = button("Add", self._on_add_clicked, name="addResponse")
        for column, widget in enumerate((self._name, self._type, self._unit, add)):
            grid.addWidget(widget, 0, column)
        return grid

    def _make_row(self, response: Response) -> FieldRow[Response]:
        def edit(**values: Any) -> None:
            # The card holds the stored name while another one is being typed.
            stored = next(item.name for item in self._shown if item.id == response.id)
            done = self._workbench.do(
                operations.edit_response, self, response_id=response.id, name=stored, **values
            )
            if done is None and self._workbench.study is not None:
                self.refresh(self._workbench.study)

        decides = QRadioButton()
        decides.setObjectName(f"decides-{response.name}")
        decides.setAccessibleName(f"{response.name} decides")
        self._deciding.addButton(decides)
        decides.clicked.connect(lambda: edit(primary=True))
        name = LineField(f"name-{response.name}")
        grade = response.type is ResponseType.GRADE
        unit = LineField(f"unit-{response.name}", "graded" if grade else "none", 84)
        unit.setEnabled(not grade)
        name.committed.connect(lambda text: edit(rename=text))
        unit.committed.connect(lambda text: edit(unit=text.strip()))
        better = QComboBox()
        better.setObjectName(f"better-{response.name}")
        choose(better, _DIRECTIONS[:2] if grade else _DIRECTIONS, "")
        better.currentIndexChanged.connect(
            lambda: edit(
                better=better.currentData(), **({"target": 0.0} if better.currentData() == "target" else {})
            )
        )
        numbers = {
            field: QuantityField(f"{field}-{response.name}", "" if grade else response.unit)
            for field in ("target", "margin", "resolution")
        }
        for field, widget in numbers.items():
            widget.quantity_committed.connect(
                lambda values, field=field: edit(**{field: values[0] if values else None})
            )
        numbers["margin"].edit.setPlaceholderText("not set")
        remove = IconButton(
            self._theme,
            "remove",
            f"Stop measuring {response.name}",
            lambda: self._workbench.do(operations.remove_response, response_id=response.id, name=name.text()),
        )

        def show(value: Response) -> None:
            name.show_text(value.name)
            unit.show_text(value.unit)
            for widget in numbers.values():
                widget.set_unit("" if grade else value.unit)
            set_quietly(decides, decides.setChecked, value.primary)
            set_quietly(better, better.setCurrentIndex, better.findData(value.better or ""))
            for field, widget in numbers.items():
                stored = getattr(value, field)
                widget.show_values([] if stored is None else [stored])
            numbers["target"].setEnabled(value.better == "target")
            numbers["resolution"].setEnabled(not grade)

        return FieldRow([decides, name, unit, better, *numbers.values(), remove], show)

    def _on_type_changed(self) -> None:
        self._unit.setEnabled(self._chosen_type() is ResponseType.NUMBER)

    def _chosen_type(self) -> ResponseType:
        # Qt hands an enumeration that is a text back as plain text.
        return ResponseType(self._type.currentData())

    def _on_add_clicked(self) -> None:
        study = self._workbench.study
        if study is None:
            return
        if not self._name.text().strip():
            self._name.show_error("Please type what to measure.")
            return
        kind = self._chosen_type()
        done = self._workbench.do(
            operations.add_response,
            study_id=study.id,
            name=self._name.text(),
            unit=self._unit.text() if kind is ResponseType.NUMBER else "",
            type=kind,
        )
        if done:
            for field in (self._name, self._unit):
                field.clear()
            self._name.setFocus()
