"""A study's factors and nuisances as columns, for the confounding check."""

from __future__ import annotations

from oddtwin.core.confounding import Column, ColumnKind, Confounding, check_confounding
from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.design import DesignKind
from oddtwin.core.judgement.listing import whole_plots
from oddtwin.core.language import tr
from oddtwin.core.study.printed import Run, RunState, printed_order
from oddtwin.core.study.question import Arm, ArmRole, Factor
from oddtwin.core.study.whole import Study


def study_confounding(study: Study, made: bool = False) -> list[Confounding]:
    """Look for what cannot be told apart in a study.

    Parameters
    ----------
    study : Study
        With its runs.
    made : bool
        Whether only prints that were made and count are looked at, not the whole plan.

    Returns
    -------
    list of Confounding
        Factors of a pack, which are changed together on purpose, are not compared with
        each other.
    """
    runs = [run for run in study.runs if run.state is not RunState.SET_ASIDE]
    if made:
        runs = [run for run in runs if run.state is RunState.PRINTED]
    if len(runs) < 2:
        return []
    return check_confounding(study_columns(study, runs), [run.code for run in runs])


def study_columns(study: Study, runs: list[Run]) -> list[Column]:
    """Return a column for each factor and each recorded nuisance of some runs."""
    where = study.index.places
    arms = study.index.arms
    found = [*_factor_columns(study, [arms[run.arm_id] for run in runs])]
    meant = {factor.kind for factor in study.factors}
    order = sorted(runs, key=printed_order)
    turn = {run.id: number for number, run in enumerate(order, 1)}
    nuisances = {
        "machine": [where[run.id][1] for run in runs] if ChangeKind.MACHINE not in meant else [],
        "piece": [where[run.id][2] for run in runs],
        "pair": [where[run.id][0] for run in runs] if _blocks_matter(study, runs) else [],
        "spool": [run.spool for run in runs] if ChangeKind.FILAMENT not in meant else [],
        "day": [run.started.date().isoformat() if run.started else "" for run in runs],
        "operator": [run.operator for run in runs],
        "place on the plate": [str(run.place) if run.place else "" for run in runs],
    }
    found += [
        Column(name, ColumnKind.NUISANCE, tuple(values)) for name, values in nuisances.items() if values
    ]
    # Of two or three prints the order says nothing: any of them comes first.
    if len(runs) > 3:
        numbers = tuple(str(turn[run.id]) for run in runs)
        found.append(Column(tr("order of printing"), ColumnKind.TREND, numbers))
    return found


def _blocks_matter(study: Study, runs: list[Run]) -> bool:
    """Whether a block may hide an arm: where every block holds several arms, none can.

    Between two switches of a split plot the hard factor stays; that is its design.
    """
    there: dict[int, set[int]] = {}
    for run in runs:
        there.setdefault(run.block_id, set()).add(run.arm_id)
    return not whole_plots(study) and any(len(arms) < 2 for arms in there.values())


def _factor_columns(study: Study, arms: list[Arm]) -> list[Column]:
    design = study.plan.design if study.plan else None
    pack = design is None or design.kind is DesignKind.PAIRS
    if (pack and len(study.factors) != 1) or not study.factors:
        names = tuple(study.baseline.name if arm.is_control else arm.name for arm in arms)
        columns = [Column("change", ColumnKind.FACTOR, names)]
    else:
        columns = [
            Column(factor.name, ColumnKind.FACTOR, tuple(_value(study, arm, factor, place) for arm in arms))
            for place, factor in enumerate(study.factors)
        ]
    if any(arm.is_control for arm in arms):
        control = tuple(tr("yes") if arm.is_control else tr("no") for arm in arms)
        columns.append(Column("control", ColumnKind.FACTOR, control))
    return columns


def _value(study: Study, arm: Arm, factor: Factor, place: int) -> str:
    if arm.role is ArmRole.CENTRE:
        return ""
    if not arm.level_ids and not arm.is_baseline and not arm.role:
        return factor.levels[-1].value or arm.name
    level = dict(study.levels_of(arm))[factor]
    return level.value or tr("level {index}", index=factor.levels.index(level) + 1)
