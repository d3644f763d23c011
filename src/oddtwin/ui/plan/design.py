"""Design: where and what to print, in which kind of order, drawn from a seed."""

from __future__ import annotations

import secrets
from collections.abc import Sequence

from PySide6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QVBoxLayout, QWidget

from oddtwin import operations
from oddtwin.core.design import EXPLAINED, ORDER_VERSION, Design, DesignKind
from oddtwin.core.language import shown, tr
from oddtwin.core.outlook import budget_of, budget_sentence
from oddtwin.core.quantities import capitalized
from oddtwin.core.runlist import draw_plan, planned_checks
from oddtwin.core.study import LookAt, Plan, Run, Study, faults_unseen, make_up, make_up_words, place_words
from oddtwin.store import load_machine_changes
from oddtwin.ui.plan.ladder import LadderPart
from oddtwin.ui.plan.options import DesignOptions
from oddtwin.ui.plan.places import MachinesCard, PiecesCard, SpoolsRow
from oddtwin.ui.plan.tiles import DesignTiles
from oddtwin.ui.theme import Theme
from oddtwin.ui.widgets import (
    Card,
    LineField,
    button,
    choose,
    column_label,
    explained,
    fill_table,
    heading,
    label,
    parts_of,
    plain_table,
    row,
    spin_box,
)
from oddtwin.ui.workbench import Workbench

_HEAD = (tr("No."), tr("Run"), tr("Machine"), tr("Piece"), tr("Block"), tr("Place"), tr("State"), tr("Arm"))
_MOST_SHOWN = 120


class DesignPanel(QWidget):
    """Machines and pieces, the design with its options, the order, and what it takes."""

    def __init__(self, workbench: Workbench, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._workbench = workbench
        self._study_id: int | None = None
        self._machines, self._pieces = MachinesCard(workbench, theme), PiecesCard(workbench, theme)
        self._spools = SpoolsRow()
        for part in (self._machines, self._pieces, self._spools):
            part.chosen.connect(self._show_totals)
        self._unseen = label("", "error")
        self._unseen.setObjectName("unseen")
        self._pieces.add(self._unseen)
        self._frozen = label("", "quiet")
        self._frozen.setObjectName("frozen")
        self._machines.add(self._frozen)
        where = QHBoxLayout()
        where.setSpacing(14)
        where.addWidget(self._machines, 2)
        where.addWidget(self._pieces, 5)
        self._tiles, self._options = DesignTiles(theme), DesignOptions()
        self._tiles.chosen.connect(self._on_design_chosen)
        self._options.changed.connect(self._show_totals)
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(14)
        self._layout.addLayout(where)
        self._layout.addWidget(self._design_card())
        self._layout.addWidget(self._list())
        self.first = self._options.repeats

    def refresh(self) -> None:
        """Show the study in hand."""
        study = self._workbench.study
        if study is None:
            return
        fresh = study.id != self._study_id
        self._study_id = study.id
        plan = study.plan
        machines, pieces = _ticks(study) if fresh or study.runs else (None, None)
        self._machines.refresh(sorted(study.machines.values(), key=lambda item: item.name), machines)
        self._pieces.refresh(sorted(study.pieces.values(), key=lambda item: item.name), pieces)
        ticked = (plan.spools if plan else ()) if fresh or study.runs else None
        self._spools.refresh([spool.name for spool in study.spools], ticked)
        self._tiles.show_levels([len(factor.levels) for factor in study.factors])
        if fresh or study.runs:
            self._show_plan(plan)
        self._options.show_study(study, self._tiles.kind())
        started = _begun(study)
        self._draw.setVisible(not started)
        self._draw.setText(tr("Draw the order anew") if study.runs else tr("Draw the order"))
        for part in (self._more, self._more_pairs, self._more_label):
            part.setVisible(started and plan is not None)
        self._show_design()
        self._show_totals()
        self._ladder.refresh(study)
        self._show_chain(study)
        self._show_runs(study)
        self._show_frozen(study)

    def dressed_apart(self) -> list[QWidget]:
        """Return what is to be dressed by itself, for not all of it is seen at once."""
        return parts_of(self)

    # ------------------------------------------------------------ building

    def _design_card(self) -> Card:
        self._explained = label("")
        self._explained.setObjectName("explained")
        self._warning = label("", "error")
        self._aliases = plain_table("aliases", (tr("Effect"), tr("cannot be told apart from")))
        self._seed = LineField("seed", width=130)
        another = button(tr("Another seed"), self._on_another_clicked, name="anotherSeed")
        self._sum = label("", "lead")
        self._sum.setObjectName("totals")
        self._checks = label("", "quiet")
        self._draw = button(tr("Draw the order"), self._on_draw_clicked, main=True, name="draw")
        self._more_label = label(tr("Runs were started, so their order stays."), "quiet", wrap=False)
        self._more_pairs = spin_box("morePairs", 1, 50)
        self._more = button(tr("Add blocks"), self._on_more_clicked, main=True, name="addPairs")
        self._ladder = LadderPart(self._workbench)
        seed = row(
            column_label(tr("Seed")),
            self._seed,
            another,
            label(tr("the same seed draws the same order for ever"), "quiet", wrap=False),
            None,
            spacing=14,
        )
        return Card(
            row(heading(tr("Design")), None, explained(self._theme, "twins")),
            self._tiles,
            self._explained,
            self._warning,
            self._options,
            seed,
            self._spools,
            self._aliases,
            self._sum,
            self._checks,
            row(self._draw, self._more_label, self._more_pairs, self._more, None),
            self._ladder,
            self._chain_row(),
        )

    def _chain_row(self) -> QWidget:
        """Offer to put a step of a chain back."""
        self._step = QComboBox()
        self._step.setObjectName("chainStep")
        self._chain = QWidget()
        chain = row(
            column_label(tr("A step that is not kept")),
            self._step,
            button(tr("Put it back"), self._on_back_clicked, name="putBack"),
            label(tr("the steps after it go on without it"), "quiet", wrap=False),
            None,
        )
        chain.setContentsMargins(0, 0, 0, 0)
        self._chain.setLayout(chain)
        return self._chain

    def _list(self) -> QWidget:
        self._arms = QCheckBox(tr("Show the arms"))
        self._arms.setObjectName("showArms")
        self._arms.toggled.connect(self._on_arms_toggled)
        self._table = plain_table("runs", _HEAD)
        self._list_hint = label("", "quiet")
        return Card(row(heading(tr("Run list")), None, self._arms), self._list_hint, self._table)

    # ------------------------------------------------------------ showing

    def _show_plan(self, plan: Plan | None) -> None:
        design = plan.design if plan else Design()
        self._tiles.show_kind(design.kind)
        self._options.show_design(design, plan.repeats if plan else 4, plan.twins if plan else 2)
        self._seed.show_text(str(plan.seed if plan else _new_seed()))

    def _show_design(self) -> None:
        explained = EXPLAINED[self._tiles.kind()]
        self._explained.setText(tr("{sentence} For: {use}", sentence=explained.sentence, use=explained.use))
        self._warning.setText(explained.warning)
        self._warning.setVisible(bool(explained.warning))

    def _show_totals(self) -> None:
        study = self._workbench.study
        if study is None:
            return
        pieces = [study.pieces[key] for key in self._pieces.ticked() if key in study.pieces]
        unseen = faults_unseen(study, pieces)
        self._unseen.setText(tr("No chosen piece can show: {unseen}.", unseen=", ".join(unseen)))
        self._unseen.setVisible(bool(unseen))
        try:
            drawn = study if _begun(study) else draw_plan(study, self._plan(study))
        except ValueError as error:
            self._sum.setText(f"{capitalized(str(error))}.")
            self._checks.setVisible(False)
            self._aliases.setVisible(False)
            return
        budget = budget_of(drawn)
        text = budget_sentence(budget, study.rates.currency)
        if budget.unknown:
            text += tr(" (No estimate yet for {unknown}.)", unknown=", ".join(budget.unknown))
        short = [
            tr("{use} by {short_g:.0f} g", use=use.name, short_g=use.short_g)
            for use in budget.spools
            if use.short_g
        ]
        if short:
            text += tr(" Not enough filament: {short}.", short=", ".join(short))
        self._sum.setText(text)
        checks = planned_checks(drawn)
        self._checks.setText(
            " ".join(
                tr("Entering {name} asks for: {texts}.", name=name, texts=", ".join(texts))
                for name, texts in checks[:3]
            )
        )
        self._checks.setVisible(bool(checks))
        design = drawn.plan.design if drawn.plan else Design()
        aliases = design.aliases([factor.name for factor in study.factors])
        rows = [(effect, "; ".join(others)) for effect, others in aliases.items()]
        fill_table(self._aliases, rows, fit_height=True)
        self._aliases.setVisible(bool(rows))

    def _show_frozen(self, study: Study) -> None:
        """Say from which make-up the study begins."""
        plan = study.plan
        frozen = plan.frozen if plan and study.runs else None
        self._frozen.setVisible(frozen is not None)
        if plan is None or frozen is None:
            return
        with self._workbench.book.reading() as connection:
            changes = load_machine_changes(connection)
        parts = []
        for key in plan.machine_ids:
            made = make_up_words(make_up(changes, key, frozen))
            parts.append(f"{study.machines[key].name}: {made or tr('as bought')}.")
        self._frozen.setText(
            tr(
                "Frozen on {frozen:%Y-%m-%d}. {parts} A later change to them is shown as a threat.",
                frozen=frozen,
                parts=" ".join(parts),
            )
        )

    def _show_chain(self, study: Study) -> None:
        chain = study.plan is not None and study.plan.design.kind is DesignKind.CHAIN and bool(study.runs)
        steps = [(arm.name, arm.id) for arm in study.changed_arms[:-1]] if chain else []
        self._chain.setVisible(bool(steps))
        choose(self._step, steps, self._step.currentData())

    def _show_runs(self, study: Study) -> None:
        if not self._arms.isChecked():
            study = self._workbench.seen or study
        shown = study.runs[:_MOST_SHOWN]
        arms = {arm.id: arm.name for arm in study.arms}
        where = study.index.places
        rows = []
        for number, run in enumerate(shown, 1):
            block, machine, piece = where[run.id]
            rows.append(
                (
                    str(number),
                    run.code,
                    machine or "–",
                    piece or "–",
                    block or "–",
                    place_words(run).removeprefix("place ") or "–",
                    _state(run),
                    arms.get(run.arm_id, "hidden") if self._arms.isChecked() else tr("hidden"),
                )
            )
        fill_table(self._table, rows, fit_height=True)
        self._table.setVisible(bool(rows))
        more = (
            tr(
                " Only the first {MOST_SHOWN} of {runs} are listed.",
                MOST_SHOWN=_MOST_SHOWN,
                runs=len(study.runs),
            )
            if len(study.runs) > len(rows)
            else ""
        )
        self._list_hint.setText(
            tr("Codes say nothing of the arm, so that prints can be judged by their code.{more}", more=more)
            if rows
            else tr(
                "No order is drawn yet. Inside each block the order is random, so that a "
                "drift of the machine cannot pass for the change."
            )
        )

    # ------------------------------------------------------------ events

    def _plan(self, study: Study) -> Plan:
        seed = self._seed.text().strip()
        return Plan(
            repeats=self._options.repeats.value(),
            twins=self._options.twins.value() if self._options.twins.isVisibleTo(self._options) else 0,
            seed=int(seed) if _is_seed(seed) else 0,
            order_version=ORDER_VERSION,
            machine_ids=tuple(self._machines.ticked()),
            piece_ids=tuple(self._pieces.ticked()),
            design=self._options.design(self._tiles.kind()),
            spools=tuple(self._spools.ticked()),
        )

    def _on_design_chosen(self) -> None:
        study = self._workbench.study
        if study is not None:
            self._options.show_study(study, self._tiles.kind())
            self._show_design()
            self._show_totals()

    def _on_arms_toggled(self, on: bool) -> None:
        study = self._workbench.study
        if on and study is not None and study.runs:
            self._workbench.reveal(LookAt.ARMS)
        self.refresh()

    def _on_another_clicked(self) -> None:
        self._seed.show_text(str(_new_seed()))

    def _on_draw_clicked(self) -> None:
        study = self._workbench.study
        if study is None:
            return
        if not _is_seed(self._seed.text().strip()):
            self._seed.show_error(tr("Type a whole number of up to nine digits."))
            return
        plan = self._plan(study)
        self._workbench.do(
            operations.draw_runs,
            study_id=study.id,
            repeats=plan.repeats,
            twins=plan.twins,
            seed=plan.seed,
            machine_ids=plan.machine_ids,
            piece_ids=plan.piece_ids,
            design=plan.design,
            spools=plan.spools,
        )

    def _on_more_clicked(self) -> None:
        study = self._workbench.study
        if study is not None:
            self._workbench.do(operations.add_repeats, study_id=study.id, repeats=self._more_pairs.value())

    def _on_back_clicked(self) -> None:
        study = self._workbench.study
        if study is not None:
            self._workbench.do(
                operations.put_back_step,
                study_id=study.id,
                arm_id=self._step.currentData(),
                name=self._step.currentText(),
            )


def _ticks(study: Study) -> tuple[Sequence[int], Sequence[int]]:
    """What the plan says; before there is one, whatever the workshop has only one of."""
    if study.plan and study.plan.piece_ids:
        return study.plan.machine_ids, study.plan.piece_ids
    only = [list(things) if len(things) == 1 else [] for things in (study.machines, study.pieces)]
    return only[0], only[1]


def _begun(study: Study) -> bool:
    """Whether a run was started or set aside, so that the order stays."""
    return any(run.started or run.set_aside for run in study.runs)


def _state(run: Run) -> str:
    return tr("set aside: {set_aside}", set_aside=run.set_aside) if run.set_aside else shown(run.state)


def _is_seed(text: str) -> bool:
    return text.isascii() and text.isdigit() and len(text) <= 9


def _new_seed() -> int:
    return secrets.randbelow(1_000_000)
