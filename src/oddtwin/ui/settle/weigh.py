"""Weighing up: arms against everything, a picture of any two, and what would change the choice."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QSettings, QSize, Qt
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QHBoxLayout, QSlider, QVBoxLayout, QWidget

from oddtwin.core.language import tr
from oddtwin.core.picture import Drawing, WeighedArm, tradeoff_picture
from oddtwin.core.quantities import decimals_for, format_number
from oddtwin.core.study import Study
from oddtwin.core.tradeoff import DEAREST, MONEY, Figure, Weighed, cheapest_at, gates_of, sentences, weigh
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    DrawingView,
    QuantityField,
    at_least,
    choose,
    clear,
    column_label,
    fill_table,
    heading,
    label,
    plain_caption,
    plain_table,
    row,
)
from oddtwin.ui.widgets.place import as_typed_here
from oddtwin.ui.workbench import Workbench

PICTURE = QSize(520, 250)
STEPS = 100
UNPRICED = 20.0
"""What a kilogram is tried at first, in money, where no spool has a price."""
CENTS = 2
KEPT = "printsAMonth"


class WeighCard(Card):
    """The scorecard with its picture, and beside it what two prices would change."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._study: Study | None = None
        self._weighed: Weighed | None = None
        self._gates: dict[str, QCheckBox] = {}
        self._gate_row = QHBoxLayout()
        self._table = plain_table("scorecard", (tr("Arm"),))
        self._told = QVBoxLayout()
        self._told.setSpacing(4)
        self._along, self._up = QComboBox(), QComboBox()
        for box, name, said in (
            (self._along, "weighAlong", tr("Along the picture")),
            (self._up, "weighUp", tr("Up the picture")),
        ):
            box.setObjectName(name)
            box.setAccessibleName(said)
            at_least(box, width=170)
            box.currentIndexChanged.connect(self._show_picture)
        self._picture = DrawingView(theme, self._draw, PICTURE)
        self._month = QuantityField("printsAMonth", "", tr("prints a month"), 120)
        self._month.quantity_committed.connect(self._on_month_typed)
        self._prices = PricesPanel()
        self._waiting = label(tr("Weighing …"), "quiet")
        self._body = QWidget()
        self._lay_out()

    def _lay_out(self) -> None:
        layout = QVBoxLayout(self._body)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        left = QVBoxLayout()
        left.addLayout(row(column_label(tr("Along")), self._along, column_label(tr("Up")), self._up, None))
        left.addWidget(self._picture)
        beside = QHBoxLayout()
        beside.setSpacing(18)
        beside.addLayout(left)
        beside.addWidget(self._prices, 1)
        for part in (self._gate_row, self._told):
            layout.addLayout(part)
        layout.addWidget(self._table)
        layout.addLayout(beside)
        layout.addLayout(row(column_label(tr("The workshop prints")), self._month, None))
        self.add(heading(tr("Weigh it up")), self._waiting, self._body)

    def show_study(self, study: Study, sealed: bool) -> None:
        """Show a study weighed up; nothing while its verdict was not looked at."""
        self.setVisible(not sealed and any(run.finished for run in study.runs))
        if sealed or study is self._study:
            return
        self._study = study
        self._month.show_text(as_typed_here(str(QSettings().value(KEPT) or "")))
        names = gates_of(study)
        if list(self._gates) != names:
            clear(self._gate_row)
            self._gates = {
                name: QCheckBox(plain_caption(tr("Only arms of which {name}", name=name))) for name in names
            }
            for name, box in self._gates.items():
                box.setObjectName(f"gate-{name}")
                box.clicked.connect(self._weigh)
                self._gate_row.addWidget(box)
            self._gate_row.addStretch(1)
        self._weigh()

    def _weigh(self, *_: object) -> None:
        study = self._study
        if study is None:
            return
        gates = [name for name, box in self._gates.items() if box.isChecked()]
        self._waiting.setText(tr("Weighing …"))
        self._waiting.show()
        # Differences of money are compared as every response is, which takes a moment.
        self._workbench.figure(
            self, lambda _: weigh(study, gates), partial(self._on_weighed, study), self._on_refused
        )

    def _on_refused(self, error: BaseException) -> bool:
        if not isinstance(error, ValueError):
            return False
        self._waiting.setText(f"{error}")
        self._body.hide()
        return True

    def _on_weighed(self, study: Study, weighed: Weighed) -> None:
        if study is not self._study:
            return
        self._weighed = weighed
        self._waiting.hide()
        self._body.show()
        self._show_table(weighed)
        axes = [(_titled(axis.name, axis.unit), axis.key) for axis in weighed.axes]
        before = self._along.currentData(), self._up.currentData()
        choose(self._along, axes, before[0] or axes[-1][1])
        choose(self._up, axes, before[1] or axes[0][1])
        self._show_picture()
        self._prices.show_weighed(weighed)
        self._show_told()

    def _show_told(self) -> None:
        clear(self._told)
        if self._weighed is not None:
            for text in sentences(self._weighed, self._prints_a_month()):
                self._told.addWidget(label(text))

    def _prints_a_month(self) -> float:
        try:
            return self._month.value(0.0)
        except ValueError:
            return 0.0

    def _on_month_typed(self, values: list[float]) -> None:
        QSettings().setValue(KEPT, f"{values[0]:g}" if values else "")
        self._show_told()

    def _show_table(self, weighed: Weighed) -> None:
        head = (tr("Arm"), *(_titled(axis.name, axis.unit) for axis in weighed.axes), tr("Stands"))
        self._table.setColumnCount(len(head))
        self._table.setHorizontalHeaderLabels(list(head))
        rows = [
            (
                name,
                *(_cell(of.get(axis.key), axis.key == MONEY) for axis in weighed.axes),
                _stands(weighed, name),
            )
            for name, of in weighed.figures.items()
        ]
        fill_table(self._table, rows, fit_height=True)
        muted = self._table.palette().placeholderText()
        ink = self._table.palette().text()
        for line, (name, *_) in enumerate(rows):
            greyed = name in weighed.dominated or name in weighed.shut_out
            for column in range(len(head)):
                item = self._table.item(line, column)
                if item is not None:
                    item.setForeground(muted if greyed else ink)

    def _show_picture(self, *_: object) -> None:
        self._picture.show_anew()

    def _draw(self, width: float) -> Drawing:
        weighed = self._weighed
        keys = self._along.currentData(), self._up.currentData()
        if weighed is None or None in keys:
            return Drawing(PICTURE.width(), PICTURE.height(), (), tr("Nothing is weighed yet"))
        axes = [weighed.axis(key) for key in keys]
        arms = [
            WeighedArm(
                name,
                of[keys[0]].value,
                of[keys[1]].value,
                of[keys[0]].ci95,
                of[keys[1]].ci95,
                name == weighed.baseline,
                name in weighed.dominated or name in weighed.shut_out,
            )
            for name, of in weighed.figures.items()
            if keys[0] in of and keys[1] in of
        ]
        titles = _titled(axes[0].name, axes[0].unit), _titled(axes[1].name, axes[1].unit)
        better = axes[0].better, axes[1].better
        path, holds = (weighed.path.arms, weighed.path.holds) if weighed.path else ((), "")
        size = float(PICTURE.width()), float(PICTURE.height())
        return tradeoff_picture(arms, titles, better, *size, path, holds)


class PricesPanel(QWidget):
    """Two sliders, what a kilogram costs and a grade step is worth; and which arm is the cheapest then."""

    def __init__(self) -> None:
        super().__init__()
        self._weighed: Weighed | None = None
        self._sliders: dict[str, QSlider] = {}
        self._values: dict[str, float] = {}
        self._shown = {name: label("", "quiet") for name in ("perKg", "perGrade")}
        grid = QGridLayout()
        grid.setColumnStretch(0, 1)
        for line, (name, said) in enumerate(
            (("perKg", tr("If a kilogram cost")), ("perGrade", tr("If a grade step were worth")))
        ):
            slider = QSlider(Qt.Orientation.Horizontal)
            slider.setObjectName(name)
            slider.setAccessibleName(said)
            slider.setRange(0, STEPS)
            slider.valueChanged.connect(self._show)
            self._sliders[name] = slider
            grid.addWidget(self._shown[name], 2 * line, 0)
            grid.addWidget(slider, 2 * line + 1, 0)
        self._cheapest = label("", "lead")
        self._cheapest.setObjectName("cheapest")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(label(tr("What would change the choice"), "heading"))
        layout.addLayout(grid)
        layout.addWidget(self._cheapest)
        layout.addStretch(1)

    def show_weighed(self, weighed: Weighed) -> None:
        """Show the prices of a study; hidden where nothing has one."""
        anew = self._weighed is None or weighed.prices != self._weighed.prices
        self._weighed = weighed
        self.setVisible(weighed.prices.known)
        if anew and weighed.prices.known:
            # Today's price stands where it is a fifth of what can be tried.
            self._sliders["perKg"].setValue(round(STEPS / DEAREST))
            self._sliders["perGrade"].setValue(0)
        for part in (self._sliders["perGrade"], self._shown["perGrade"]):
            part.setVisible(bool(weighed.grade_axis))
        self._show()

    def _show(self, *_: object) -> None:
        weighed = self._weighed
        if weighed is None or not weighed.prices.known:
            return
        currency = weighed.prices.currency
        dearest = DEAREST * (weighed.per_kg or UNPRICED)
        most = max(
            (of[key].value for of in weighed.figures.values() for key in of if key == MONEY), default=1.0
        )
        per_kg = self._sliders["perKg"].value() / STEPS * dearest
        per_grade = self._sliders["perGrade"].value() / STEPS * most
        fault = weighed.axis(weighed.grade_axis).name if weighed.grade_axis else ""
        self._shown["perKg"].setText(
            tr(
                "If a kilogram of filament cost {per_kg} {currency}",
                per_kg=format_number(per_kg, 2),
                currency=currency,
            )
        )
        self._shown["perGrade"].setText(
            tr(
                "If a grade step of {fault} were worth {per_grade} {currency}",
                fault=fault,
                per_grade=format_number(per_grade, 2),
                currency=currency,
            )
        )
        found = cheapest_at(weighed, per_kg, per_grade)
        if found is None:
            self._cheapest.setText(tr("Every arm is shut out, so that none is the cheapest."))
        else:
            self._cheapest.setText(
                tr(
                    "{found} is the cheapest: {found2} {currency} a print.",
                    found=found[0],
                    found2=format_number(found[1], 2),
                    currency=currency,
                )
            )


def _titled(name: str, unit: str) -> str:
    return f"{name}, {unit}" if unit else name


def _cell(figure: Figure | None, money: bool) -> str:
    if figure is None:
        return "–"
    if figure.ci95 is None:
        return format_number(figure.value, CENTS) if money else format_number(figure.value)
    half = figure.ci95[1] - figure.value
    decimals = decimals_for(half)
    if money:
        # Below a tenth of a cent there is nothing that anybody weighs up.
        decimals = min(max(decimals, CENTS), CENTS + 1)
    return f"{format_number(figure.value, decimals)} ± {format_number(half, decimals)}"


def _stands(weighed: Weighed, name: str) -> str:
    if name in weighed.shut_out:
        return tr("out: {shut_out}", shut_out=weighed.shut_out[name])
    if name in weighed.dominated:
        return tr("beaten by {dominated}", dominated=", ".join(weighed.dominated[name]))
    return tr("not beaten")
