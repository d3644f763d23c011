"""Which settings differ: declared, able to move the result, or folded away."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from oddtwin.ui.match.shelf import Shelf
from oddtwin.ui.widgets import Card, fill_table, heading, label, plain_table, short

LONGEST = 60


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
        self._table = plain_table("settingsTable", ("Setting", "Baseline", "Change", "What it is"))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(Card(heading("Settings"), self._sentence, self._all, self._table))

    def refresh(self) -> None:
        """Show what the last check found."""
        check = self._shelf.check
        found = check.result.get("settings", {}) if check else {}
        sentences = check.result.get("sentences", [""]) if check else []
        arms = [arm.name for arm in self._shelf.arms]
        self._sentence.setText(sentences[0] if sentences else "Choose the files under Files first.")
        harmless = found.get("harmless", {})
        self._all.setVisible(bool(harmless))
        self._all.setText(f"Show the {len(harmless)} without effect on the paths")
        self._table.setVisible(
            bool(found) and any(found.get(kind) for kind in ("declared", "undeclared", "harmless"))
        )
        self._table.setColumnCount(len(arms) + 2)
        self._table.setHorizontalHeaderLabels(["Setting", *(short(name, 24) for name in arms), "What it is"])
        rows = []
        for kind, words in (("undeclared", "not declared, can move the result"), ("declared", "declared")):
            for key, values in found.get(kind, {}).items():
                rows.append((key, *(_shown(value) for value in values), words))
        if self._all.isChecked():
            rows += [
                (key, *(_shown(value) for value in item["values"]), f"harmless: {item['reason']}")
                for key, item in harmless.items()
            ]
        fill_table(self._table, rows, fit_height=True)


def _shown(value: str | None) -> str:
    return "–" if value is None else short(value, LONGEST)
