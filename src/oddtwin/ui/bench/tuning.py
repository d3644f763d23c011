"""Rounds of tuning: numbered trials of a profile on a machine, kept or thrown away, and frozen."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PySide6.QtWidgets import QComboBox

from oddtwin import operations
from oddtwin.core.language import shown, tr
from oddtwin.core.study import Machine, MachineChange, Round, is_frozen, rounds_of
from oddtwin.ui.widgets import (
    Card,
    LineField,
    at_least,
    button,
    choose,
    column_label,
    fill_table,
    heading,
    label,
    plain_table,
    row,
)
from oddtwin.ui.workbench import Workbench

HEAD = (tr("When"), tr("Round"), tr("What changed"), tr("Came out"), tr("Why"))


class TuningCard(Card):
    """One profile of one machine: its rounds, and the one step that it waits for."""

    def __init__(self, workbench: Workbench) -> None:
        super().__init__()
        self._workbench = workbench
        self._changes: Sequence[MachineChange] = ()
        self._machine, self._profile = QComboBox(), QComboBox()
        self._profile.setEditable(True)
        at_least(self._profile, width=220)
        for box, name, said in (
            (self._machine, "tuningMachine", tr("Machine that is tuned")),
            (self._profile, "tuningProfile", tr("Profile that is tuned")),
        ):
            box.setObjectName(name)
            box.setAccessibleName(said)
        typing = self._profile.lineEdit()
        if typing is not None:
            typing.setPlaceholderText(tr("Name of a profile"))
        self._machine.currentIndexChanged.connect(self._on_machine_chosen)
        self._profile.currentTextChanged.connect(self._show_rounds)
        self._what = LineField(
            "roundWhat", tr("What changed in this round, such as “retraction 0.8 to 0.6 mm”")
        )
        self._what.entered.connect(self._on_try_clicked)
        self._why = LineField("roundWhy", tr("Why, in a few words: it strings less, corners lift…"))
        self._try = button(tr("Try it"), self._on_try_clicked, name="tryRound")
        self._keep = button(tr("Keep it"), lambda: self._end(True), main=True, name="keepRound")
        self._drop = button(tr("Throw it away"), lambda: self._end(False), name="dropRound")
        self._freeze = button(tr("Freeze it from here"), self._on_freeze_clicked, name="freezeProfile")
        self._thaw = button(tr("Thaw it"), self._on_thaw_clicked, name="thawProfile")
        self._told = label("", "quiet")
        self._told.setObjectName("tuningTold")
        self._table = plain_table("rounds", HEAD)
        trying = row(self._what, self._try)
        trying.setStretch(0, 1)
        ending = row(self._why, self._keep, self._drop)
        ending.setStretch(0, 1)
        self.add(
            heading(tr("Tuning a profile")),
            label(
                tr(
                    "A profile is tuned in rounds, one thing at a time, and frozen before it is "
                    "compared: what is still being tuned on one side only wins or loses by that."
                ),
                "quiet",
            ),
            row(column_label(tr("On")), self._machine, column_label(tr("Profile")), self._profile, None),
            self._table,
            self._told,
            trying,
            ending,
            row(self._freeze, self._thaw, None),
        )

    def show_log(self, machines: Sequence[Machine], changes: Sequence[MachineChange], can_edit: bool) -> None:
        """Show what is tuned on the machines."""
        self._changes = changes
        choose(self._machine, [(item.name, item.id) for item in machines], self._machine.currentData())
        self.setVisible(bool(machines))
        self.setEnabled(can_edit)
        self._show_profiles()

    def _on_machine_chosen(self) -> None:
        self._profile.setEditText("")
        self._show_profiles()

    def _show_profiles(self) -> None:
        machine = self._machine.currentData()
        tuned = [one.what for one in self._changes if one.round is not None and one.machine_id == machine]
        # What is being typed is a new profile; filling the box must not take it away.
        typed = self._profile.currentText()
        names = list(dict.fromkeys(tuned))
        self._profile.blockSignals(True)
        self._profile.clear()
        self._profile.addItems(names)
        self._profile.setEditText(typed or next(iter(names), ""))
        self._profile.blockSignals(False)
        self._show_rounds()

    def _rounds(self) -> list[MachineChange]:
        machine = self._machine.currentData()
        return rounds_of(self._changes, machine, self._profile.currentText()) if machine else []

    def _show_rounds(self, *_: object) -> None:
        rounds = self._rounds()
        rows: list[tuple[str, ...]] = []
        for one in rounds:
            number, _between, what = one.after.partition(": ")
            tried = one.round in (Round.TRIAL, Round.KEPT, Round.THROWN_AWAY)
            came_out = tr("open") if one.round is Round.TRIAL else shown(one.round) if one.round else ""
            rows.append(
                (
                    f"{one.at:%Y-%m-%d %H:%M}",
                    number.removeprefix("round ") if tried else "",
                    what if tried else one.after,
                    came_out,
                    one.note,
                )
            )
        fill_table(self._table, rows, fit_height=True)
        self._table.setVisible(bool(rows))
        # One step at a time is offered: what waits for an end, what can be tried, or what is frozen.
        waits = bool(rounds) and rounds[-1].round is Round.TRIAL
        frozen = is_frozen(rounds)
        for part in (self._what, self._try):
            part.setVisible(not waits and not frozen)
        for part in (self._why, self._keep, self._drop):
            part.setVisible(waits)
        self._freeze.setVisible(bool(rounds) and not waits and not frozen)
        self._thaw.setVisible(frozen)
        self._told.setText(
            tr(
                "Frozen since {at:%Y-%m-%d}. Thawed, it is another profile: print the baseline again.",
                at=rounds[-1].at,
            )
            if frozen
            else ""
        )
        self._told.setVisible(frozen)

    def _on_try_clicked(self) -> None:
        done = self._workbench.do(operations.log_round, **self._which(), what=self._what.text())
        if done:
            self._what.clear()
            self._why.setFocus()

    def _end(self, kept: bool) -> None:
        rounds = self._rounds()
        done = self._workbench.do(
            operations.end_round, change_id=rounds[-1].id, kept=kept, why=self._why.text()
        )
        if done:
            self._why.clear()
            self._what.setFocus()

    def _on_freeze_clicked(self) -> None:
        self._workbench.do(operations.freeze_profile, **self._which())

    def _on_thaw_clicked(self) -> None:
        self._workbench.do(operations.thaw_profile, **self._which())

    def _which(self) -> dict[str, Any]:
        return {"machine_id": self._machine.currentData(), "profile": self._profile.currentText()}
