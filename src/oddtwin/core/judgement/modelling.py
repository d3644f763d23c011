"""Which comparisons are judged by a model of all prints of the design, and what stands in its rows."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from oddtwin.core.design import DesignKind
from oddtwin.core.effects import IN_STEPS, LinearModel, Modelled, Row, every_effect
from oddtwin.core.judgement.contrast import Contrast, PlannedPrint
from oddtwin.core.readings import PrintValue, ResponseKind
from oddtwin.core.study.printed import RunState, printed_order
from oddtwin.core.study.question import Response
from oddtwin.core.study.tidy import print_values
from oddtwin.core.study.whole import Place, Study, derived, derived_from

ARM_BY_ARM = (DesignKind.PAIRS, DesignKind.SEVERAL, DesignKind.LADDER, DesignKind.CHAIN)
"""Designs in which every arm stands by itself; in a fraction the factors do."""


CROSSED_WHOLE = (DesignKind.FACTORIAL, DesignKind.CROSSOVER, DesignKind.SPLIT_PLOT)
"""Designs in which every combination of levels is an arm. In a split plot the blocks are the whole plots,
so that the factors that are easy to change are judged by the scatter inside them."""


def model_of(study: Study, contrast: Contrast) -> LinearModel | None:
    """Return the model that judges a comparison together with the other arms of its design.

    Parameters
    ----------
    study : Study
        With its plan.
    contrast : Contrast
        One of its comparisons.

    Returns
    -------
    LinearModel or None
        None where two arms are all there is, or the prints pair by themselves.
    """
    if study.plan is None or contrast.plots:
        return None
    kind, weights = study.plan.design.kind, _weights(contrast)
    arms = [arm.name for arm in study.arms]
    if not set(weights) <= set(arms):
        return None
    drift = kind is DesignKind.CHAIN or study.plan.design.drift
    # Two arms alone pair by themselves, unless something is to be taken out of them.
    few = len(arms) < 3 and not (drift or study.covariates)
    if kind is DesignKind.FRACTION and not contrast.paired:
        model = _by_factors(study, contrast)
    elif few or not (kind in CROSSED_WHOLE or (kind in ARM_BY_ARM and len(weights) == 2)):
        model = None
    else:
        model = _by_arms(arms, weights)
    if model is None:
        return None
    named = tuple(one.name for one in usable_covariates(study))
    return replace(model, drift=drift, covariates=named, effects=_every_effect(study))


def _weights(contrast: Contrast) -> dict[str, float]:
    """Return the share of each arm in a comparison; those of a side add up to one."""
    if contrast.corners:
        share = 1 / len(contrast.corners)
        return {
            name: sign * share
            for corners in contrast.corners.values()
            for name, sign in zip(corners, (1, -1, -1, 1), strict=True)
        }
    count = Counter(contrast.sides.values())
    return {name: (1 if is_change else -1) / count[is_change] for name, is_change in contrast.sides.items()}


def _sides(weights: Mapping[str, float]) -> tuple[frozenset[str], frozenset[str]]:
    return (
        frozenset(name for name, share in weights.items() if share < 0),
        frozenset(name for name, share in weights.items() if share > 0),
    )


def _by_arms(arms: Sequence[str], weights: Mapping[str, float]) -> LinearModel | None:
    """Every arm by itself; None where a side has none."""
    sides = _sides(weights)
    if not all(sides):
        return None
    coding = {name: tuple(float(name == other) for other in arms) for name in arms}
    return LinearModel(coding, tuple(weights.get(name, 0.0) for name in arms), sides)


def _by_factors(study: Study, contrast: Contrast) -> LinearModel | None:
    """The effects of all factors at once: what the others do is then no scatter of this one."""
    crossed = [arm for arm in study.arms if arm.name in contrast.sides]
    coding = {
        arm.name: tuple(
            float(any(level.id in arm.level_ids for level in factor.levels[1:])) for factor in study.factors
        )
        for arm in crossed
    }
    columns = list(zip(*coding.values(), strict=True))
    asked = tuple(float(contrast.sides[arm.name]) for arm in crossed)
    if asked not in columns:
        return None
    weights = tuple(float(place == columns.index(asked)) for place in range(len(columns)))
    return LinearModel(coding, weights, _sides(_weights(contrast)), alone=False)


@derived
def usable_covariates(study: Study) -> tuple[Response, ...]:
    """Return the covariates that every print was read of; before anything is printed, all of them.

    Parameters
    ----------
    study : Study
        Whole.
    """
    # One print without it would fall out of the model, and its block with it.
    unread = unread_of(study)
    return tuple(one for one in study.covariates if not unread[one.id])


@derived
def unread_of(study: Study) -> dict[int, tuple[str, ...]]:
    """Return the codes of the prints that each covariate was not read of, by the covariate's id.

    Parameters
    ----------
    study : Study
        Whole.
    """
    made = [run for run in study.runs if run.finished and not run.set_aside]
    read = {(item.run_id, item.response_id) for item in study.readings}
    return {
        one.id: tuple(run.code for run in made if (run.id, one.id) not in read) for one in study.covariates
    }


@derived_from("arms", "factors", "plan")
def _every_effect(study: Study) -> dict[str, tuple[float, ...]] | None:
    """Signs of all arms in every effect of a two-level design; None where the design is none."""
    kinds = (DesignKind.FACTORIAL, DesignKind.FRACTION, DesignKind.CROSSOVER)
    if study.plan is None or study.plan.design.kind not in kinds:
        return None
    if any(len(factor.levels) != 2 for factor in study.factors):
        return None
    return every_effect(
        {
            arm.name: [int(factor.levels[1].id in arm.level_ids) for factor in study.factors]
            for arm in study.arms
        }
    )


def modelled(
    study: Study, contrast: Contrast, kind: ResponseKind, prints: Sequence[PrintValue]
) -> Modelled | None:
    """Bring all prints of one response to the model of a comparison.

    Parameters
    ----------
    study : Study
        Whole.
    contrast : Contrast
        One of its comparisons.
    kind : ResponseKind
        Of the response.
    prints : sequence of PrintValue
        Of all arms.

    Returns
    -------
    Modelled or None
        None where there is no model, it cannot be solved, or some values are known only by limits.
    """
    model = None if kind in IN_STEPS else model_of(study, contrast)
    if model is None:
        return None
    used = [item for item in prints if item.counts and item.arm in model.coding]
    # One value that is not known would take its whole print, and with it its block, out of the balance.
    if any(item.value is None or item.reach is not None for item in used):
        return None
    order = _order_made(study)
    along = _along(study)
    rows = [
        _row(
            contrast,
            item.arm,
            Place(item.pair, item.machine, item.piece),
            order.get(item.run, 0.0),
            along.get(item.run, ()),
        )
        for item in used
    ]
    solved = model.solve(rows)
    if solved is None:
        return None
    return Modelled(solved, np.array([item.value for item in used], dtype=np.float64))


@derived
def _along(study: Study) -> dict[str, tuple[float, ...]]:
    """What every covariate was at each print, by the run's code."""
    values = print_values(study)
    columns = [
        {item.run: item.value for item in values[one.id] if item.value is not None}
        for one in usable_covariates(study)
    ]
    codes = [run.code for run in study.runs if columns and all(run.code in column for column in columns)]
    return {code: tuple(column[code] for column in columns) for code in codes}


@derived
def _order_made(study: Study) -> dict[str, float]:
    """Place of each print among those that its machine made, lost ones included, by the run's code."""
    made = [run for run in study.runs if run.state in (RunState.PRINTED, RunState.SET_ASIDE)]
    return _counted(study, [run.code for run in sorted(made, key=printed_order)])


def _counted(study: Study, codes: Sequence[str]) -> dict[str, float]:
    # Machines drift each by itself: the third print of one says nothing of the third of another.
    machines = {run.code: study.index.places[run.id].machine for run in study.runs}
    last: dict[str, int] = defaultdict(int)
    found = {}
    for code in codes:
        last[machines[code]] += 1
        found[code] = float(last[machines[code]])
    return found


def planned_rows(
    study: Study, contrast: Contrast, model: LinearModel
) -> tuple[list[PlannedPrint], list[Row]]:
    """Return all prints that a model will have, before any is made.

    Parameters
    ----------
    study : Study
        With its runs.
    contrast : Contrast
        One of its comparisons.
    model : LinearModel
        Of that comparison.
    """
    # As the prints of two arms they are gathered by plate and plot; which arm each is of, its run tells.
    wide = replace(
        contrast,
        corners={},
        sides={name: contrast.sides.get(name, False) for name in model.coding},
        partners=dict.fromkeys(model.coding, ""),
        blocks=None,
    )
    prints = wide.prints(study, {})
    arms = study.index.arms
    order = _counted(
        study, [run.code for run in sorted(study.runs, key=lambda run: run.position) if not run.reprint_of]
    )
    rows = []
    # Nobody knows what the room will be like: covariates are taken to fall as they like, and cost what
    # they cost then.
    drawn = np.random.default_rng(study.plan.seed if study.plan else 0).normal(
        size=(len(study.runs), len(model.covariates))
    )
    for item in prints:
        run, along = study.runs[item.runs[0]], tuple(drawn[item.runs[0]].tolist())
        place = study.index.places[run.id]
        rows.append(_row(contrast, arms[run.arm_id].name, place, order[run.code], along))
    return prints, rows


def _row(contrast: Contrast, arm: str, place: Place, order: float, along: tuple[float, ...] = ()) -> Row:
    # A machine that differs because it is the question is no part of the block.
    own = "" if "machine" in contrast.meant else place.machine
    return Row(arm, (place.pair, own, place.piece), place.machine, order, along)
