"""What differs between the arms: factors with their levels, the names of the arms, a control arm."""

from __future__ import annotations

from collections.abc import Callable
from enum import IntEnum
from functools import partial
from typing import Any, Final, Unpack

from PySide6.QtWidgets import QComboBox, QGridLayout, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core import customs
from oddtwin.core.design import DesignKind
from oddtwin.core.language import shown, tr
from oddtwin.core.runlist import planned_checks
from oddtwin.core.study import Arm, ArmRole, Factor, Level, Study
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
    row,
    set_quietly,
)
from oddtwin.ui.widgets.rows import FieldRow, Rows
from oddtwin.ui.workbench import Workbench

_HEAD: Final = (
    "",
    tr("Level"),
    tr("What to do to get there"),
    tr("Switch, min"),
    tr("Cost"),
    tr("Mass, g"),
    tr("Way back"),
    "",
    "",
)
_STRETCH: Final = (0, 3, 4, 0, 0, 0, 3, 0, 0)
_NUMBERS: Final = (("minutes", "min"), ("cost", ""), ("mass_g", "g"))


class _Side(IntEnum):
    """What a control arm is, in the order of the choices."""

    BASELINE = 0
    CHANGE = 1
    BAD = 2


def _side_of(control: Arm | None) -> _Side:
    if control is not None and control.role is ArmRole.POSITIVE:
        return _Side.BAD
    return _Side.CHANGE if control is not None and control.of_change else _Side.BASELINE


class FactorsCard(Card):
    """A part for each factor, fields for a new one, the names of the arms and the control arm."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._parts: dict[int, FactorPart] = {}
        self._list = QVBoxLayout()
        self._list.setSpacing(14)
        self._hint = label(
            tr(
                "Change one thing at a time: add what differs, with its levels; the first "
                "level is the baseline’s."
            ),
            "quiet",
        )
        self._disturbs = label("", "quiet")
        self._disturbs.setObjectName("disturbs")
        self.add(heading(tr("What differs")), self._hint, self._list, self._new_row())
        self.add(self._names(), self._disturbs)

    def refresh(self, study: Study) -> None:
        """Show the factors and arms of a study."""
        for gone in self._parts.keys() - {factor.id for factor in study.factors}:
            part = self._parts.pop(gone)
            self._list.removeWidget(part)
            part.hide()
            part.deleteLater()
        for place, factor in enumerate(study.factors):
            if factor.id not in self._parts:
                self._parts[factor.id] = FactorPart(factor, self._workbench, self._theme)
                self._list.insertWidget(place, self._parts[factor.id])
            self._parts[factor.id].refresh(factor)
        self._hint.setVisible(not study.factors)
        pair = len(study.changed_arms) == 1 and (
            study.plan is None or study.plan.design.kind is DesignKind.PAIRS
        )
        self._arm_names.setVisible(pair)
        self._baseline.show_text(study.baseline.name)
        if pair:
            self._change.show_text(study.change.name)
        self._control.show_text(study.control.name if study.control else "")
        self._control_side.setVisible(study.control is not None)
        set_quietly(self._control_side, self._control_side.setCurrentIndex, _side_of(study.control))
        self._disturbs.setText(_disturbed(study))
        self._disturbs.setVisible(bool(self._disturbs.text()))

    def _new_row(self) -> QGridLayout:
        self._kind = QComboBox()
        self._kind.setObjectName("newFactorKind")
        self._kind.setAccessibleName(tr("Kind of the new change"))
        choose(self._kind, [(kind, kind) for kind in customs.ChangeKind], customs.ChangeKind.SETTING)
        self._name = LineField("newFactorName", tr("What differs, such as layer height"))
        self._from = LineField("newFactorFrom", tr("Baseline, such as 0.20 mm"))
        self._to = LineField("newFactorTo", tr("Change, such as 0.28 mm"))
        self._to.entered.connect(self._on_add_clicked)
        self._name.entered.connect(self._from.setFocus)
        self._from.entered.connect(self._to.setFocus)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        for column, (widget, stretch) in enumerate(
            (
                (self._kind, 0),
                (self._name, 3),
                (self._from, 2),
                (self._to, 2),
                (button(tr("Add"), self._on_add_clicked, name="addFactor"), 0),
            )
        ):
            grid.addWidget(widget, 0, column)
            grid.setColumnStretch(column, stretch)
        return grid

    def _names(self) -> QGridLayout:
        self._baseline, self._change = LineField("baselineName"), LineField("changeName")
        self._baseline.committed.connect(lambda text: self._rename(True, text))
        self._change.committed.connect(lambda text: self._rename(False, text))
        self._control = LineField(
            "controlName", tr("None. Such as: the old part, with the new part’s mass taped on")
        )
        self._control.committed.connect(self._on_control_committed)
        self._arm_names = QWidget()
        names = row(
            column_label(tr("Baseline is called")), self._baseline, 8, column_label(tr("Change is called"))
        )
        names.addWidget(self._change)
        names.setContentsMargins(0, 0, 0, 0)
        self._arm_names.setLayout(names)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.addWidget(self._arm_names, 0, 0, 1, 2)
        grid.addWidget(column_label(tr("Control arm: a side effect, or bad on purpose")), 1, 0)
        self._control_side = QComboBox()
        self._control_side.setObjectName("controlSide")
        choose(
            self._control_side,
            [
                (tr("on the baseline’s levels"), _Side.BASELINE),
                (tr("on the change’s levels"), _Side.CHANGE),
                (tr("made bad on purpose"), _Side.BAD),
            ],
            _Side.BASELINE,
        )
        self._control_side.currentIndexChanged.connect(self._on_side_chosen)
        side = row(self._control, self._control_side)
        side.setStretch(0, 1)
        grid.addLayout(side, 1, 1)
        grid.setColumnStretch(1, 1)
        return grid

    def _rename(self, baseline: bool, text: str) -> None:
        study = self._workbench.study
        if study is not None:
            arm = study.baseline if baseline else study.change
            self._workbench.do(operations.rename_arm, arm_id=arm.id, name=text)
            self.refresh(self._workbench.study or study)

    def _on_control_committed(self, text: str) -> None:
        study = self._workbench.study
        if study is not None:
            self._workbench.do(operations.set_control, study_id=study.id, name=text)

    def _on_side_chosen(self, place: int) -> None:
        study = self._workbench.study
        if study is not None and study.control is not None:
            self._workbench.do(
                operations.set_control,
                study_id=study.id,
                name=study.control.name,
                of_change=place == _Side.CHANGE,
                positive=place == _Side.BAD,
            )

    def _on_add_clicked(self) -> None:
        study = self._workbench.study
        if study is None:
            return
        if not self._name.text().strip():
            self._name.show_error(tr("Please type what differs."))
            self._name.setFocus()
            return
        done = self._workbench.do(
            operations.add_factor,
            study_id=study.id,
            kind=str(self._kind.currentData()),
            name=self._name.text(),
            levels=(self._from.text(), self._to.text()),
        )
        if done:
            for field in (self._name, self._from, self._to):
                field.clear()


class FactorPart(QWidget):
    """One factor: kind, name, what it disturbs, and a row for each of its levels."""

    def __init__(self, factor: Factor, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._factor = factor
        self._kind, self._disturbs = QComboBox(), QComboBox()
        self._kind.setObjectName(f"kind-{factor.id}")
        self._kind.setAccessibleName(tr("Kind of change"))
        choose(self._kind, [(kind, kind) for kind in customs.ChangeKind], factor.kind)
        self._disturbs.setObjectName(f"disturbs-{factor.id}")
        self._disturbs.setAccessibleName(tr("What the change disturbs"))
        lines = [
            (tr("disturbs nothing"), ""),
            *((tr("disturbs: {line}", line=line), line) for line in customs.DISTURBS),
        ]
        choose(self._disturbs, lines, factor.disturbs)
        self._disturbs.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self._disturbs.setMinimumContentsLength(22)
        self._name = LineField(f"name-{factor.id}")
        self._hard = label("", "chip", wrap=False)
        self._kind.currentIndexChanged.connect(lambda: self._edit(kind=str(self._kind.currentData())))
        self._disturbs.currentIndexChanged.connect(
            lambda: self._edit(disturbs=self._disturbs.currentData() or "")
        )
        self._name.committed.connect(lambda text: self._edit(name=text))
        removing = IconButton(theme, "remove", tr("Remove this difference"), self._on_remove_clicked)
        head = row(self._kind, self._name, self._disturbs, self._hard, removing)
        head.setStretch(1, 1)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(5)
        for column, (text, stretch) in enumerate(zip(_HEAD, _STRETCH, strict=True)):
            self._grid.addWidget(column_label(text), 0, column)
            self._grid.setColumnStretch(column, stretch)
        self._levels: dict[int, LevelRow] = {}
        self._rows: Rows[Level] = Rows(self._grid, self._make_row)
        self._new = LineField(f"newLevel-{factor.id}", tr("Another level"), 190)
        self._new.entered.connect(self._on_level_added)
        adding = button(tr("Add level"), self._on_level_added, name=f"addLevel-{factor.id}")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(head)
        layout.addLayout(self._grid)
        layout.addLayout(row(self._new, adding, None))

    def refresh(self, factor: Factor) -> None:
        """Show the factor as it is now."""
        self._factor = factor
        set_quietly(self._kind, self._kind.setCurrentIndex, self._kind.findData(factor.kind))
        set_quietly(
            self._disturbs, self._disturbs.setCurrentIndex, max(0, self._disturbs.findData(factor.disturbs))
        )
        self._disturbs.setToolTip(
            "; ".join(
                map(
                    shown,
                    (*customs.DISTURBS.get(factor.disturbs, ()), customs.CAUTIONS.get(factor.disturbs, "")),
                )
            )
        )
        self._name.show_text(factor.name)
        self._hard.setText(tr("hard to change"))
        self._hard.setVisible(factor.hard_to_change)
        self._rows.refresh(factor.levels)
        for number, level in enumerate(factor.levels, 1):
            self._levels[level.id].tag(self._word(factor, number), number == 1)

    @staticmethod
    def _word(factor: Factor, number: int) -> str:
        """Where things are compared as equals, the first level is no baseline."""
        return (
            tr("baseline") if number == 1 and not factor.kind.chosen else tr("level {number}", number=number)
        )

    def _make_row(self, level: Level) -> FieldRow[Level]:
        made = LevelRow(
            level,
            self._theme,
            partial(self._edit_level, level.id),
            partial(self._move, level.id),
            partial(self._drop, level.id),
        )
        self._levels[level.id] = made
        return made

    def _edit(self, **values: Unpack[operations.FactorParts]) -> None:
        self._workbench.do(operations.edit_factor, factor_id=self._factor.id, **values)

    def _edit_level(self, level_id: int, **values: Any) -> None:
        stored = next(level.value for level in self._factor.levels if level.id == level_id)
        self._workbench.do(operations.edit_level, level_id=level_id, **{"value": stored, **values})

    def _move(self, level_id: int) -> None:
        stored = next(level.value for level in self._factor.levels if level.id == level_id)
        self._workbench.do(operations.move_level, level_id=level_id, value=stored, by=-1)

    def _drop(self, level_id: int) -> None:
        stored = next(level.value for level in self._factor.levels if level.id == level_id)
        self._workbench.do(operations.remove_level, level_id=level_id, value=stored)

    def _on_level_added(self) -> None:
        if self._workbench.do(operations.add_level, factor_id=self._factor.id, value=self._new.text()):
            self._new.clear()

    def _on_remove_clicked(self) -> None:
        self._workbench.do(operations.remove_factor, factor_id=self._factor.id, name=self._factor.name)


class LevelRow(FieldRow[Level]):
    """The fields of one level."""

    def __init__(
        self,
        level: Level,
        theme: Theme,
        edit: Callable[..., None],
        rise: Callable[[], None],
        drop: Callable[[], None],
    ) -> None:
        self._tag = label("", "column", wrap=False)
        self._value = LineField(f"value-{level.id}", tr("number with unit, or a name"))
        self._how = LineField(f"how-{level.id}", tr("nothing to note"))
        self._back = LineField(f"back-{level.id}", tr("as it came"))
        for name, field in (("value", self._value), ("how", self._how), ("way_back", self._back)):
            field.committed.connect(lambda text, name=name: edit(**{name: text}))
        self._numbers = {}
        for name, unit in _NUMBERS:
            field = QuantityField(f"{name}-{level.id}", unit, "0", 76)
            field.quantity_committed.connect(
                lambda values, name=name: edit(**{name: values[0] if values else 0.0})
            )
            self._numbers[name] = field
        self._rise = IconButton(theme, "up", tr("Move this level up"), rise, f"rise-{level.id}")
        removing = IconButton(theme, "remove", tr("Remove this level"), drop)
        numbers = self._numbers.values()
        parts = [self._tag, self._value, self._how, *numbers, self._back, self._rise, removing]
        super().__init__(parts, self._show)

    def _show(self, level: Level) -> None:
        self._value.show_text(level.value)
        self._how.show_text(level.how)
        self._back.show_text(level.way_back)
        for name, field in self._numbers.items():
            stored = getattr(level, name)
            field.show_values([stored] if stored else [])

    def tag(self, text: str, first: bool) -> None:
        """Say beside the level what it is; the first one cannot rise."""
        self._tag.setText(text)
        self._rise.setEnabled(not first)


def _disturbed(study: Study) -> str:
    """What entering each arm disturbs, in one sentence each."""
    sentences = [
        tr("Entering {name} disturbs: {checks}.", name=name, checks=", ".join(map(tr, checks)))
        for name, checks in planned_checks(study)
    ]
    if not sentences:
        return ""
    cautions = {customs.CAUTIONS.get(factor.disturbs, "") for factor in study.factors} - {""}
    return " ".join(
        (
            *sentences[:3],
            tr("Each is ticked or waived before the print counts."),
            *sorted(map(shown, cautions)),
        )
    )
