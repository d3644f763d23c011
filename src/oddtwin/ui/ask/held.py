"""What must stay the same."""

from __future__ import annotations

from PySide6.QtWidgets import QGridLayout

from oddtwin import operations
from oddtwin.core.language import tr
from oddtwin.core.study import HeldItem, Study
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import Card, IconButton, LineField, button, heading, label, row
from oddtwin.ui.widgets.rows import FieldRow, Rows
from oddtwin.ui.workbench import Workbench


class HeldCard(Card):
    """A checklist offered from the trade, every line editable."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._theme = theme
        self._grid = QGridLayout()
        self._grid.setVerticalSpacing(5)
        self._grid.setColumnStretch(0, 1)
        self._rows: Rows[HeldItem] = Rows(self._grid, self._make_row, first=0)
        self._new = LineField("newHeld", tr("Something else that must stay the same"))
        self._new.entered.connect(self._on_add_clicked)
        add = row(self._new, button(tr("Add"), self._on_add_clicked, name="addHeld"))
        add.setStretch(0, 1)
        self.add(heading(tr("What must stay the same")))
        self.add(
            label(tr("Each departure at the machine is noted with its run and shown as a threat."), "quiet")
        )
        self.add(self._grid)
        self.add(add)

    def refresh(self, study: Study) -> None:
        """Show the checklist of a study."""
        self._rows.refresh(study.held)

    def _make_row(self, item: HeldItem) -> FieldRow[HeldItem]:
        field = LineField(f"held-{item.id}")
        field.committed.connect(
            lambda text: self._workbench.do(operations.edit_held, held_id=item.id, text=text)
        )
        remove = IconButton(
            self._theme,
            "remove",
            tr("Remove this line"),
            lambda: self._workbench.do(operations.remove_held, held_id=item.id),
        )
        return FieldRow([field, remove], lambda value: field.show_text(value.text))

    def _on_add_clicked(self) -> None:
        study = self._workbench.study
        if study is not None and self._workbench.do(
            operations.add_held, study_id=study.id, text=self._new.text()
        ):
            self._new.clear()
