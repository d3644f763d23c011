"""What a ladder asks for: up to where a level holds, and which one to print next."""

from __future__ import annotations

from PySide6.QtWidgets import QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.design import DesignKind
from oddtwin.core.judgement import ladder_advice
from oddtwin.core.language import tr
from oddtwin.core.readings import Better
from oddtwin.core.study import Response, Study
from oddtwin.ui.widgets import QuantityField, button, label, row
from oddtwin.ui.workbench import Workbench


class LadderPart(QWidget):
    """The limit of the deciding response, the advice, and a button that takes it."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._asked = label("", wrap=False)
        self._field = QuantityField("ladderLimit", "")
        self._field.edit.setPlaceholderText(tr("no limit"))
        self._field.quantity_committed.connect(self._on_limit_committed)
        self._limit = QWidget()
        without = label(
            tr("without a limit it holds within the margin of its safe print"), "quiet", wrap=False
        )
        limit = row(self._asked, self._field, without, None, spacing=14)
        limit.setContentsMargins(0, 0, 0, 0)
        self._limit.setLayout(limit)
        self._advice = label("", "lead")
        self._advice.setObjectName("ladderAdvice")
        self._rung = button(tr("Add the proposed level"), self._on_rung_clicked, main=True, name="addRung")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._limit)
        layout.addWidget(self._advice)
        layout.addLayout(row(self._rung, None))

    def refresh(self, study: Study) -> None:
        """Show the limit and the advice; nothing where the design is no ladder."""
        deciding = _deciding(study)
        advice = ladder_advice(study) if study.runs else None
        self.setVisible(deciding is not None or advice is not None)
        self._limit.setVisible(deciding is not None)
        if deciding is not None:
            least = tr("at least") if deciding.better is Better.HIGHER else tr("at most")
            self._asked.setText(
                tr("A level holds where {deciding} is {least}", deciding=deciding.name, least=least)
            )
            self._field.set_unit(deciding.unit)
            self._field.show_values([] if deciding.accept is None else [deciding.accept])
        planned = [run for run in study.runs if run.state.value == "planned"]
        self._advice.setVisible(advice is not None)
        self._rung.setVisible(advice is not None and advice.next_level is not None and not planned)
        if advice is not None:
            first = tr(" Print what is planned first.") if planned and advice.next_level else ""
            self._advice.setText(advice.sentence + first)

    def _on_limit_committed(self, figures: list[float]) -> None:
        deciding = _deciding(self._workbench.study)
        if deciding is not None:
            self._workbench.do(
                operations.edit_response,
                response_id=deciding.id,
                name=deciding.name,
                accept=figures[0] if figures else None,
            )

    def _on_rung_clicked(self) -> None:
        study = self._workbench.study
        advice = ladder_advice(study) if study else None
        if study is not None and advice is not None and advice.next_level is not None:
            self._workbench.do(operations.add_rung, study_id=study.id, level=advice.next_level)


def _deciding(study: Study | None) -> Response | None:
    """The response whose limit a ladder has; None where the design is none, or nothing decides."""
    if study is None or study.plan is None or study.plan.design.kind is not DesignKind.LADDER:
        return None
    return next((one for one in study.responses if one.primary and one.better is not None), None)
