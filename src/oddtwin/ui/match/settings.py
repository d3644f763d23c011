"""Which settings differ: declared, able to move the result, or folded away."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial
from typing import Any, Final

from PySide6.QtWidgets import QCheckBox, QFileDialog, QGridLayout, QVBoxLayout, QWidget

from oddtwin.core.language import mark, tr
from oddtwin.core.quantities import format_digits
from oddtwin.core.study import Arm
from oddtwin.store import StoreError, read_text_file
from oddtwin.ui.match.shelf import Shelf
from oddtwin.ui.match.waiting import Waiting
from oddtwin.ui.widgets import (
    Card,
    LineField,
    button,
    fill_table,
    heading,
    label,
    named_path,
    plain_table,
    short,
)
from oddtwin.ui.widgets.rows import FieldRow, Rows

_COMMANDS_SAID: Final = mark(
    "What the files set by lines of their own, whatever their settings say: heat, fans, accelerations, "
    "overrides."
)

LONGEST = 60
MOST_SPANS = 3
UNDECLARED = tr("not declared, can move the result")


class SettingsPanel(QWidget):
    """A table of what differs; harmless settings are counted and shown on request."""

    def __init__(self, shelf: Shelf) -> None:
        super().__init__()
        self._shelf = shelf
        self._sentence = label("", "lead")
        self._sentence.setObjectName("settingsSentence")
        self._all = QCheckBox()
        self._all.setObjectName("showHarmless")
        self._all.toggled.connect(self.refresh)
        self._table = plain_table(
            "settingsTable", (tr("Setting"), tr("Baseline"), tr("Change"), tr("What it is"))
        )
        self._commands = plain_table(
            "commandsTable",
            (
                tr("Set by commands"),
                tr("Baseline"),
                tr("Change"),
                tr("Of the time"),
                tr("Layers"),
                tr("What it is"),
            ),
        )
        self._forced = Card(
            heading(tr("Commands in force")),
            label(
                tr(_COMMANDS_SAID),
                "quiet",
            ),
            self._commands,
        )
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setColumnStretch(1, 1)
        self._rows: Rows[Arm] = Rows(grid, self._make_row, first=0)
        self._fields: dict[int, LineField] = {}
        self._apart = Card(
            heading(tr("Settings exported apart")),
            label(
                tr("Where a sliced file carries no settings: export them from each profile, as INI or JSON."),
                "quiet",
            ),
            grid,
        )
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(
            Card(heading(tr("Settings")), Waiting(shelf), self._sentence, self._all, self._table)
        )
        layout.addWidget(self._forced)
        layout.addWidget(self._apart)

    def refresh(self) -> None:
        """Show what the last check found."""
        check = self._shelf.check
        found = check.result.get("settings", {}) if check else {}
        sentences = check.result.get("sentences", [""]) if check else []
        arms = [arm.name for arm in self._shelf.arms]
        self._sentence.setText(sentences[0] if sentences else tr("Choose the files under Files first."))
        self._apart.setVisible(bool(found) and not (found.get("carried", True) and not self._fields))
        if not self._apart.isHidden():
            self._rows.refresh(self._shelf.arms)
        harmless = found.get("harmless", {})
        self._all.setVisible(bool(harmless))
        self._all.setText(tr("Show the {harmless} without effect on the paths", harmless=len(harmless)))
        self._table.setVisible(
            bool(found) and any(found.get(kind) for kind in ("declared", "undeclared", "harmless"))
        )
        self._table.setColumnCount(len(arms) + 2)
        self._table.setHorizontalHeaderLabels(
            [tr("Setting"), *(short(name, 24) for name in arms), tr("What it is")]
        )
        rows = []
        for kind, words in (("undeclared", UNDECLARED), ("declared", "declared")):
            for key, values in found.get(kind, {}).items():
                rows.append((key, *(_shown(value) for value in values), words))
        if self._all.isChecked():
            rows += [
                (
                    key,
                    *(_shown(value) for value in item["values"]),
                    tr("harmless: {item}", item=item["reason"]),
                )
                for key, item in harmless.items()
            ]
        fill_table(self._table, rows, fit_height=True)
        self._show_commands(check.result.get("commands", []) if check else [], arms)

    def _show_commands(self, checks: Sequence[Mapping[str, Any]], arms: Sequence[str]) -> None:
        """Show what commands set otherwise; with more than one change each row names its arm."""
        rows: list[Sequence[str]] = []
        for arm, check in zip(arms[1:], checks, strict=False):
            about = f"{short(arm, 24)}: " if len(checks) > 1 else ""
            for one in check["differences"]:
                what = tr("declared: {one}", one=one["declared"]) if one["declared"] else UNDECLARED
                share = f"{format_digits(100 * one['share_of_time'], 3)} %"
                layers = ", ".join(_span(first, last) for first, last in one["layers"][:MOST_SPANS])
                more = "…" if len(one["layers"]) > MOST_SPANS else ""
                rows.append((about + one["name"], one["baseline"], one["change"], share, layers + more, what))
            for one in check["others"]:
                counts = [str(one[side]) if one[side] else tr("never") for side in ("baseline", "change")]
                rows.append((about + short(one["text"], 40), *counts, "–", "–", tr("not understood here")))
        self._forced.setVisible(bool(rows))
        fill_table(self._commands, rows, fit_height=True)

    def _make_row(self, arm: Arm) -> FieldRow[Arm]:
        field = self._fields[arm.id] = LineField(f"settings-{arm.id}", tr("Path of the exported settings"))
        field.committed.connect(lambda _: self._on_path_committed())
        pick = button(tr("Choose…"), partial(self._on_choose_clicked, field))
        return FieldRow([label(short(arm.name, 28), wrap=False), field, pick], lambda value: None)

    def _on_choose_clicked(self, field: LineField) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self, tr("Exported settings"), "", tr("Settings (*.ini *.json *.cfg);;All (*)")
        )
        if path:
            field.edit.setText(path)
            self._on_path_committed()

    def _on_path_committed(self) -> None:
        """Check again as soon as every arm has its settings."""
        from oddtwin.core.toolpath.match import SettingsError, read_settings

        found = []
        for field in (self._fields[arm.id] for arm in self._shelf.arms):
            path = named_path(field) if field.text().strip() else None
            if path is None:
                continue
            try:
                found.append(read_settings(read_text_file(path), path.name))
            except (StoreError, SettingsError) as error:
                field.show_error(f"{error}.")
        if len(found) == len(self._shelf.arms):
            self._shelf.use_settings(found)


def _span(first: int, last: int) -> str:
    return f"{first}" if first == last else tr("{first} to {last}", first=first, last=last)


def _shown(value: str | None) -> str:
    return "–" if value is None else short(value, LONGEST)
