"""The steps of an overhang whose onset is measured: an angle for each box, and how far a step must hang."""

from __future__ import annotations

from PySide6.QtCore import QRect, Signal
from PySide6.QtWidgets import QWidget

from oddtwin.core.language import tr
from oddtwin.core.photo import LEAST_LIMIT_MM, USUAL_LIMIT_MM
from oddtwin.core.quantities import QuantityError, capitalized, format_reading
from oddtwin.core.study import RegionStep
from oddtwin.ui.widgets import QuantityField, button, column_label, label, row

MOST_DEG = 90.0


class StepsRow(QWidget):
    """``asked`` is emitted when the box in hand shall be a step, ``changed`` when the steps are others."""

    asked = Signal()
    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.steps: tuple[RegionStep, ...] = ()
        self._angle = QuantityField("stepAngle", "°", tr("from upright"), 110)
        self._angle.entered.connect(self.asked)
        self._add = button(tr("The box is this step"), self.asked.emit, name="addStep")
        self._back = button(tr("Take the last back"), self._on_back_clicked, name="takeStepBack")
        self._limit = QuantityField(
            "stepLimit", "mm", tr("{USUAL_LIMIT_MM} mm", USUAL_LIMIT_MM=format_reading(USUAL_LIMIT_MM)), 96
        )
        self._told = label("", "quiet")
        self._told.setObjectName("stepsTold")
        line = row(
            column_label(tr("Step, °")), self._angle, self._add, self._back, self._told, None,
            column_label(tr("Hangs from")), self._limit,
        )  # fmt: skip
        line.setContentsMargins(0, 0, 0, 0)
        self.setLayout(line)
        self._show()

    def take(self, box: QRect) -> str:
        """Let a box be the step of the angle that is typed; returns why it cannot, or nothing."""
        try:
            angle = self._angle.value(-1.0)
        except QuantityError as error:
            return f"{capitalized(str(error))}."
        if not 0 <= angle <= MOST_DEG:
            return tr("Type the angle of the step from upright: 0° for a wall, 90° for a bridge.")
        if any(step.angle_deg == angle for step in self.steps):
            return tr(
                "There is a step of {angle}° already; take it back, or type another angle.",
                angle=format_reading(angle),
            )
        step = RegionStep(angle, box.left(), box.top(), box.width(), box.height())
        # Steps mostly go up evenly: the next angle is as far from this one as this from the last.
        further = 2 * angle - self.steps[-1].angle_deg if self.steps else -1.0
        self.steps = (*self.steps, step)
        self._angle.show_text(format_reading(further) if 0 <= further <= MOST_DEG else "")
        self._show()
        return ""

    def limit_mm(self) -> float:
        """Return the droop from which on a step counts as hanging.

        Raises
        ------
        QuantityError
            It cannot be read, or is smaller than a photograph tells.
        """
        limit = self._limit.value(USUAL_LIMIT_MM)
        if limit < LEAST_LIMIT_MM:
            raise QuantityError(
                tr(
                    "give a droop of {LEAST_LIMIT_MM} mm or more",
                    LEAST_LIMIT_MM=format_reading(LEAST_LIMIT_MM),
                )
            )
        return limit

    def clear(self) -> None:
        """Begin another overhang."""
        self.steps = ()
        self._angle.show_text("")
        self._show()

    def _on_back_clicked(self) -> None:
        self.steps = self.steps[:-1]
        self._show()

    def _show(self) -> None:
        self._back.setEnabled(bool(self.steps))
        angles = ", ".join(f"{format_reading(step.angle_deg)}°" for step in self.steps)
        self._told.setText(tr("Steps: {angles}", angles=angles) if angles else tr("No step yet"))
        self.changed.emit()
