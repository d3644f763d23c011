"""The screen of the stage Plan."""

from __future__ import annotations

import secrets
from collections.abc import Sequence

from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.design import Totals, totals
from oddtwin.core.quantities import format_minutes, format_number, with_unit
from oddtwin.core.study import Plan, Run, RunState, Study, places
from oddtwin.ui.plan.places import MachinesCard, PiecesCard
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    LineField,
    Page,
    button,
    column_label,
    fill_table,
    heading,
    label,
    plain_table,
    row,
    set_quietly,
    spin_box,
)
from oddtwin.ui.workbench import Workbench

_HEAD = ("No.", "Run", "Machine", "Piece", "Pair", "State", "Arm")
_MOST_SHOWN = 400


class PlanView(Page):
    """Where and how often to print, the order drawn from a seed, and what it takes."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._workbench = workbench
        self._study_id: int | None = None
        self._machines, self._pieces = MachinesCard(workbench, theme), PiecesCard(workbench, theme)
        self._machines.chosen.connect(self._show_totals)
        self._pieces.chosen.connect(self._show_totals)
        places = QHBoxLayout()
        places.setSpacing(14)
        places.addWidget(self._machines, 2)
        places.addWidget(self._pieces, 5)
        self.body.addLayout(places)
        self.body.addWidget(Card(heading("How many"), self._numbers(), self._totals(), self._drawing()))
        self.body.addWidget(self._list())
        self.body.addStretch(1)
        self.setFocusProxy(self._pairs)

    def refresh(self) -> None:
        """Show the study in hand."""
        study = self._workbench.study
        if study is None:
            return
        fresh = study.id != self._study_id
        self._study_id = study.id
        plan = study.plan
        machines, pieces = _ticks(study) if fresh or plan else (None, None)
        self._machines.refresh(sorted(study.machines.values(), key=lambda item: item.name), machines)
        self._pieces.refresh(sorted(study.pieces.values(), key=lambda item: item.name), pieces)
        if fresh or plan:
            self._show_plan(plan)
        started = _begun(study)
        self._draw.setVisible(not started)
        self._draw.setText("Draw the order anew" if study.runs else "Draw the order")
        for part in (self._more, self._more_pairs, self._more_label):
            part.setVisible(started and plan is not None)
        self._show_totals()
        self._show_runs(study)
        self.content.setEnabled(self._workbench.can_edit)

    # ------------------------------------------------------------ building

    def _numbers(self) -> QGridLayout:
        self._pairs = spin_box("pairs", 1, 200)
        self._twins = spin_box("twins", 0, 200)
        self._seed = LineField("seed", width=130)
        another = button("Another seed", self._on_another_clicked, name="anotherSeed")
        self._pairs.valueChanged.connect(self._show_totals)
        self._twins.valueChanged.connect(self._show_totals)
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        for line, (text, widget, hint) in enumerate(
            (
                (
                    "Pairs",
                    self._pairs,
                    "for each machine and piece: one print of the baseline, one of the change",
                ),
                (
                    "Twins",
                    self._twins,
                    "further prints of the baseline in all; they show how much twins differ anyway",
                ),
                ("Seed", self._seed, "the same seed draws the same order for ever"),
            )
        ):
            grid.addWidget(column_label(text), line, 0)
            grid.addWidget(widget, line, 1)
            grid.addWidget(label(hint, "quiet", wrap=False), line, 2)
        grid.addWidget(another, 2, 3)
        grid.setColumnStretch(4, 1)
        return grid

    def _totals(self) -> QHBoxLayout:
        self._sum = label("", "lead")
        self._sum.setObjectName("totals")
        layout = QHBoxLayout()
        layout.addWidget(self._sum, 1)
        return layout

    def _drawing(self) -> QHBoxLayout:
        self._draw = button("Draw the order", self._on_draw_clicked, main=True, name="draw")
        self._more_label = label("Runs were started, so their order stays.", "quiet", wrap=False)
        self._more_pairs = spin_box("morePairs", 1, 50)
        self._more = button("Add pairs", self._on_more_clicked, main=True, name="addPairs")
        return row(self._draw, self._more_label, self._more_pairs, self._more, None)

    def _list(self) -> QWidget:
        self._arms = QCheckBox("Show the arms")
        self._arms.setObjectName("showArms")
        self._arms.toggled.connect(self.refresh)
        self._table = plain_table("runs", _HEAD)
        self._list_hint = label("", "quiet")
        return Card(row(heading("Run list"), None, self._arms), self._list_hint, self._table)

    # ------------------------------------------------------------ showing

    def _show_plan(self, plan: Plan | None) -> None:
        set_quietly(self._pairs, self._pairs.setValue, plan.repeats if plan else 4)
        set_quietly(self._twins, self._twins.setValue, plan.twins if plan else 2)
        self._seed.show_text(str(plan.seed if plan else _new_seed()))

    def _show_totals(self) -> None:
        study = self._workbench.study
        if study is None:
            return
        machines, pieces = self._machines.ticked(), self._pieces.ticked()
        if _begun(study):
            self._sum.setText(_taken(study, study.runs))
            return
        cells = len(machines) * len(pieces)
        if not cells:
            self._sum.setText("Tick at least one machine and one piece.")
            return
        pairs, twins = self._pairs.value(), self._twins.value()
        each = [study.pieces[key] for key in pieces if key in study.pieces]
        share = 2 * pairs * len(machines) + twins / max(1, len(each))
        total = totals([(p.minutes * share, (p.part_g + p.waste_g) * share) for p in each])
        runs = 2 * pairs * cells + twins
        unknown = [piece.name for piece in each if not piece.minutes]
        self._sum.setText(
            _takes(runs, total) + (f" (no estimate yet for {', '.join(unknown)})" if unknown else "")
        )

    def _show_runs(self, study: Study) -> None:
        shown = study.runs[:_MOST_SHOWN]
        arms = {arm.id: arm.name for arm in study.arms}
        where = places(study)
        rows = []
        for number, run in enumerate(shown, 1):
            pair, machine, piece = where[run.id]
            rows.append(
                (
                    str(number),
                    run.code,
                    machine or "–",
                    piece or "–",
                    pair or "–",
                    _state(run),
                    arms[run.arm_id] if self._arms.isChecked() else "hidden",
                )
            )
        fill_table(self._table, rows, fit_height=True)
        self._table.setVisible(bool(rows))
        more = (
            f" Only the first {_MOST_SHOWN} of {len(study.runs)} are listed."
            if len(study.runs) > len(rows)
            else ""
        )
        self._list_hint.setText(
            f"Codes say nothing of the arm, so that prints can be judged by their code.{more}"
            if rows
            else "No order is drawn yet. Inside each pair the order is random, so that a drift of the "
            "machine cannot pass for the change."
        )

    # ------------------------------------------------------------ events

    def _on_another_clicked(self) -> None:
        self._seed.show_text(str(_new_seed()))

    def _on_draw_clicked(self) -> None:
        study = self._workbench.study
        seed = self._seed.text().strip()
        if study is None:
            return
        if not (seed.isascii() and seed.isdigit() and len(seed) <= 9):
            self._seed.show_error("Type a whole number of up to nine digits.")
            return
        self._workbench.do(
            operations.draw_runs,
            study_id=study.id,
            repeats=self._pairs.value(),
            twins=self._twins.value(),
            seed=int(seed),
            machine_ids=self._machines.ticked(),
            piece_ids=self._pieces.ticked(),
        )

    def _on_more_clicked(self) -> None:
        study = self._workbench.study
        if study is not None:
            self._workbench.do(operations.add_repeats, study_id=study.id, repeats=self._more_pairs.value())


def _ticks(study: Study) -> tuple[Sequence[int], Sequence[int]]:
    """What the plan says; before there is one, whatever the workshop has only one of."""
    if study.plan:
        return study.plan.machine_ids, study.plan.piece_ids
    only = [list(things) if len(things) == 1 else [] for things in (study.machines, study.pieces)]
    return only[0], only[1]


def _begun(study: Study) -> bool:
    """Whether a run was started or set aside, so that the order stays."""
    return any(run.started or run.set_aside for run in study.runs)


def _taken(study: Study, runs: Sequence[Run]) -> str:
    pieces = [study.piece_of(run) for run in runs if run.state is not RunState.SET_ASIDE]
    total = totals([(p.minutes, p.part_g + p.waste_g) for p in pieces if p])
    return _takes(len(pieces), total)


def _takes(runs: int, total: Totals) -> str:
    return f"{runs} runs, {format_minutes(total.minutes)} of printing, {_grams(total.grams)}"


def _grams(grams: float) -> str:
    if grams >= 1000:
        return with_unit(format_number(grams / 1000, 2), "kg")
    return with_unit(format_number(grams, 0), "g")


def _state(run: Run) -> str:
    return f"set aside: {run.set_aside}" if run.set_aside else run.state.value


def _new_seed() -> int:
    return secrets.randbelow(1_000_000)
