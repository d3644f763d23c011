"""What two machines are made of, or one at two moments, side by side."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QComboBox

from oddtwin.core.language import tr
from oddtwin.core.quantities import QuantityError, capitalized
from oddtwin.core.study import Machine, MachineChange, make_up, unlike
from oddtwin.ui.widgets import (
    Card,
    LineField,
    choose,
    column_label,
    fill_table,
    heading,
    label,
    plain_table,
    row,
    typed_moment,
)

HEAD = (tr("Kind"), tr("What"), tr("First"), tr("Second"))


class MakeUpCard(Card):
    """Two make-ups beside one another; only what differs is listed."""

    def __init__(self) -> None:
        super().__init__()
        self._changes: Sequence[MachineChange] = ()
        self._machines = (QComboBox(), QComboBox())
        self._dates = (
            LineField("makeUpFrom", tr("as of a date; now"), 170),
            LineField("makeUpTo", tr("as of a date; now"), 170),
        )
        for box, name, said in zip(
            self._machines,
            ("makeUpFirst", "makeUpSecond"),
            (tr("First machine"), tr("Second machine")),
            strict=True,
        ):
            box.setObjectName(name)
            box.setAccessibleName(said)
            box.currentIndexChanged.connect(self._show)
        for field in self._dates:
            field.committed.connect(self._show)
        self._told = label("", "quiet")
        self._told.setObjectName("makeUpTold")
        self._table = plain_table("makeUpTable", HEAD)
        self.add(
            heading(tr("Side by side")),
            row(
                self._machines[0],
                self._dates[0],
                column_label(tr("against")),
                self._machines[1],
                self._dates[1],
                None,
            ),
            self._told,
            self._table,
        )

    def show_log(self, machines: Sequence[Machine], changes: Sequence[MachineChange]) -> None:
        """Show what can be compared now."""
        self._changes = changes
        named = [(machine.name, machine.id) for machine in machines]
        for place, box in enumerate(self._machines):
            before = box.currentData()
            usual = named[min(place, len(named) - 1)][1] if named else None
            box.blockSignals(True)
            choose(box, named, before if before is not None else usual)
            box.blockSignals(False)
        self.setVisible(bool(machines))
        self._show()

    def _show(self, *_: object) -> None:
        ids = [box.currentData() for box in self._machines]
        if None in ids:
            return
        moments = []
        for field in self._dates:
            try:
                moments.append(typed_moment(field.text()))
            except QuantityError as error:
                field.show_error(f"{capitalized(str(error))}.")
                return
            field.show_error("")
        first, second = (
            make_up(self._changes, machine, at) for machine, at in zip(ids, moments, strict=True)
        )
        found = unlike(first, second)
        rows = [
            (one.kind, one.what, one.first or tr("not logged"), one.second or tr("not logged"))
            for one in found
        ]
        fill_table(self._table, rows, fit_height=True)
        self._table.setVisible(bool(rows))
        both = ids[0] == ids[1] and moments[0] == moments[1]
        nothing = (
            tr("Choose another machine, or another date.") if both else tr("Nothing that was logged differs.")
        )
        self._told.setText("" if rows else nothing)
        self._told.setVisible(not rows)
