"""What to measure or grade, and how large a difference would matter."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any, Final

from PySide6.QtWidgets import QButtonGroup, QComboBox, QGridLayout, QRadioButton

from oddtwin import operations
from oddtwin.core import customs
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
        self._fault = QComboBox()
        self._fault.setObjectName("newResponseFault")
        self._fault.addItems(["a usual fault…", *customs.FAULTS])
        self._fault.setVisible(False)
        self._fault.currentIndexChanged.connect(self._on_fault_chosen)
        self._type.currentIndexChanged.connect(self._on_type_changed)
        self._name.entered.connect(self._on_add_clicked)
        self._unit.entered.connect(self._on_add_clicked)
        grid = QGridLayout()
        grid.setColumnStretch(0, 1)
        add = button("Add", self._on_add_clicked, name="addResponse")
        for column, widget in enumerate((self._name, self._type, self._unit, self._fault, add)):
            grid.addWidget(widget, 0, column)
        return grid

    def _make_row(self, response: Response) -> FieldRow[Response]:
        def remove() -> None:
            self._workbench.do(
                operations.remove_response, response_id=response.id, name=self._stored_name(response.id)
            )

        fields = ResponseRow(response, self._theme, partial(self._edit, response.id), remove)
        self._deciding.addButton(fields.decides)
        return fields

    def _edit(self, response_id: int, **values: Any) -> None:
        done = self._workbench.do(
            operations.edit_response,
            response_id=response_id,
            name=self._stored_name(response_id),
            **values,
        )
        if done is None and self._workbench.study is not None:
            self.refresh(self._workbench.study)

    def _stored_name(self, response_id: int) -> str:
        """Return the name in the lab book, while another one may be being typed."""
        return next(item.name for item in self._shown if item.id == response_id)

    def _on_type_changed(self) -> None:
        number = self._chosen_type() is ResponseType.NUMBER
        self._unit.setVisible(number)
        self._fault.setVisible(not number)

    def _on_fault_chosen(self) -> None:
        if self._fault.currentIndex() > 0:
            self._name.edit.setText(self._fault.currentText())
            self._name.setFocus()

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
            self._fault.setCurrentIndex(0)
            self._name.setFocus()


class ResponseRow(FieldRow[Response]):
    """The fields of one response, from what decides to the button that removes it."""

    def __init__(
        self, response: Response, theme: Theme, edit: Callable[..., None], remove: Callable[[], None]
    ) -> None:
        self._edit = edit
        self._grade = response.type is ResponseType.GRADE
        self.decides = QRadioButton()
        self.decides.setObjectName(f"decides-{response.name}")
        self.decides.setAccessibleName(f"{response.name} decides")
        self.decides.clicked.connect(lambda: edit(primary=True))
        self._name = LineField(f"name-{response.name}")
        self._name.committed.connect(lambda text: edit(rename=text))
        self._unit = LineField(f"unit-{response.name}", "graded" if self._grade else "none", 84)
        self._unit.setEnabled(not self._grade)
        self._unit.committed.connect(lambda text: edit(unit=text.strip()))
        self._better = QComboBox()
        self._better.setObjectName(f"better-{response.name}")
        choose(self._better, _DIRECTIONS[:2] if self._grade else _DIRECTIONS, "")
        self._better.currentIndexChanged.connect(self._on_better_changed)
        self._numbers = {field: self._number(field, response) for field in ("target", "margin", "resolution")}
        self._numbers["margin"].edit.setPlaceholderText("not set")
        removing = IconButton(theme, "remove", f"Stop measuring {response.name}", remove)
        widgets = [self.decides, self._name, self._unit, self._better, *self._numbers.values(), removing]
        super().__init__(widgets, self._show)

    def _number(self, field: str, response: Response) -> QuantityField:
        made = QuantityField(f"{field}-{response.name}", response.unit)
        made.quantity_committed.connect(lambda values: self._edit(**{field: values[0] if values else None}))
        return made

    def _show(self, value: Response) -> None:
        self._name.show_text(value.name)
        self._unit.show_text(value.unit)
        set_quietly(self.decides, self.decides.setChecked, value.primary)
        set_quietly(self._better, self._better.setCurrentIndex, self._better.findData(value.better or ""))
        for field, widget in self._numbers.items():
            stored = getattr(value, field)
            widget.set_unit(value.unit)
            widget.show_values([] if stored is None else [stored])
        self._numbers["target"].setEnabled(value.better == "target")
        self._numbers["resolution"].setEnabled(not self._grade)

    def _on_better_changed(self) -> None:
        chosen = self._better.currentData()
        self._edit(better=chosen, **({"target": 0.0} if chosen == "target" else {}))
