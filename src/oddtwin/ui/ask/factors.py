"""What differs between the arms."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QGridLayout

from oddtwin import operations
from oddtwin.core.study import Factor, Study, trade
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    IconButton,
    LineField,
    button,
    column_label,
    heading,
    label,
    set_quietly,
)
from oddtwin.ui.widgets.rows import LAST, FieldRow, Rows
from oddtwin.ui.workbench import Workbench


class FactorsCard(Card):
    """Names of the two arms, and a row for each thing that differs: kind, name, from, to."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._baseline = LineField("baselineName")
        self._change = LineField("changeName")
        self._baseline.committed.connect(lambda text: self._rename(True, text))
        self._change.committed.connect(lambda text: self._rename(False, text))
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(8)
        for column, stretch in enumerate((0, 3, 2, 2, 0)):
            self._grid.setColumnStretch(column, stretch)
        for column, text in enumerate(("Kind", "What differs")):
            self._grid.addWidget(column_label(text), 0, column)
        self._grid.addWidget(self._baseline, 0, 2)
        self._grid.addWidget(self._change, 0, 3)
        self._rows: Rows[Factor] = Rows(self._grid, self._make_row)
        self._hint = label("Change one thing at a time: add what differs between the two arms.", "quiet")
        self.add(heading("What differs"))
        self.add(self._hint)
        self.add(self._grid)
        self._add_new_row()

    def refresh(self, study: Study) -> None:
        """Show the arms and factors of a study."""
        self._baseline.show_text(study.baseline.name)
        self._change.show_text(study.change.name)
        self._rows.refresh(study.factors)
        self._hint.setVisible(not study.factors)

    def _add_new_row(self) -> None:
        self._kind = QComboBox()
        self._kind.setObjectName("newFactorKind")
        self._kind.addItems(list(trade.CHANGE_KINDS))
        self._name = LineField("newFactorName", "What differs, such as layer height")
        self._from = LineField("newFactorFrom", "Baseline, such as 0.20 mm")
        self._to = LineField("newFactorTo", "Change, such as 0.28 mm")
        self._to.entered.connect(self._on_add_clicked)
        self._name.entered.connect(self._from.setFocus)
        self._from.entered.connect(self._to.setFocus)
        add = button("Add", self._on_add_clicked, name="addFactor")
        for column, widget in enumerate((self._kind, self._name, self._from, self._to, add)):
            self._grid.addWidget(widget, LAST, column)

    def _make_row(self, factor: Factor) -> FieldRow[Factor]:
        kind = QComboBox()
        kind.addItems(list(trade.CHANGE_KINDS))
        fields = {
            name: LineField(f"{name}-{factor.id}") for name in ("name", "baseline_level", "change_level")
        }

        def edit(**values: str) -> None:
            self._workbench.do(operations.edit_factor, factor_id=factor.id, **values)

        kind.currentTextChanged.connect(lambda text: edit(kind=text))
        for name, field in fields.items():
            field.committed.connect(lambda text, name=name: edit(**{name: text}))
        remove = IconButton(
            self._theme,
            "remove",
            "Remove this difference",
            lambda: self._workbench.do(
                operations.remove_factor, factor_id=factor.id, name=fields["name"].text()
            ),
        )

        def show(value: Factor) -> None:
            set_quietly(kind, kind.setCurrentText, value.kind)
            for name, field in fields.items():
                field.show_text(getattr(value, name))

        return FieldRow([kind, *fields.values(), remove], show)

    def _rename(self, baseline: bool, text: str) -> None:
        study = self._workbench.study
        if study is not None:
            arm = study.baseline if baseline else study.change
            self._workbench.do(operations.rename_arm, arm_id=arm.id, name=text)
            self.refresh(self._workbench.study or study)

    def _on_add_clicked(self) -> None:
        study = self._workbench.study
        if study is None:
            return
        if not self._name.text().strip():
            self._name.show_error("Please type what differs.")
            self._name.setFocus()
            return
        done = self._workbench.do(
            operations.add_factor,
            study_id=study.id,
            kind=self._kind.currentText(),
            name=self._name.text(),
            baseline_level=self._from.text(),
            change_level=self._to.text(),
        )
        if done:
            for field in (self._name, self._from, self._to):
                field.clear()
