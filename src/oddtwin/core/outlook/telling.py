"""A plan as plain values and as lines of text."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any, Final

from oddtwin.core.design import EXPLAINED
from oddtwin.core.effects import (
    LOOKED_AT_ONCE,
    Chances,
    NoiseFloor,
    Shape,
    chances_of,
    log_of_percent,
    median_rank,
)
from oddtwin.core.judgement import (
    asked_together,
    contrasts,
    planned_level,
    study_confounding,
    typed_noise,
)
from oddtwin.core.language import mark, shown, tr, trn
from oddtwin.core.outlook.calendar import days_of
from oddtwin.core.outlook.power import PAIRS, Aim, one_of, pairs_of, power_of_plan, shape_of, unit_of
from oddtwin.core.outlook.spending import Budget, budget_of
from oddtwin.core.quantities import decimals_for, format_minutes, format_number, with_unit
from oddtwin.core.readings import ResponseKind
from oddtwin.core.runlist import planned_checks
from oddtwin.core.study import Arm, Response, Study

ENOUGH: Final = 0.8
"""Chance with which a plan is called enough."""
_FITTINGS = mark(
    " That leaves out how much the fittings of the hard factor differ among "
    "themselves, which only its switches can tell."
)


@dataclass(frozen=True, slots=True)
class KnownScatter:
    """What is known of a response before printing: scatter of one print, noise floor, and from where."""

    sd: float
    noise: NoiseFloor | None
    source: str

    def aim(self, response: Response) -> Aim:
        """Return what is looked for in a response with a margin.

        Raises
        ------
        ValueError
            It has no margin.
        """
        if response.margin is None:
            raise ValueError(tr("state the margin of {response} first", response=response.name))
        margin = log_of_percent(response.margin) if response.percent else response.margin
        return Aim(response, margin, self.sd, self.noise)


@dataclass(frozen=True, slots=True)
class EarlierNoise:
    """Noise floors of earlier studies for one response: on the same machines and pieces, and anywhere."""

    here: NoiseFloor | None = None
    anywhere: NoiseFloor | None = None


def known_scatter(response: Response, earlier: EarlierNoise | None = None) -> KnownScatter | None:
    """Return the scatter to plan with: typed in, known from earlier twins, or borrowed from similar ones.

    Parameters
    ----------
    response : Response
        With what was typed in.
    earlier : EarlierNoise, optional
        Of other studies. A floor from other machines or pieces tells the scatter, but
        carries no interval.

    Returns
    -------
    KnownScatter or None
        None where nothing is known.
    """
    if (response.kind is ResponseKind.GRADE or response.percent) and response.noise_sd is None:
        # Earlier twins are known in the unit, and no percent of what is not printed yet.
        return None
    if response.noise_sd is not None:
        return KnownScatter(response.noise_sd, typed_noise(response), tr("as typed in"))
    here, anywhere = (earlier.here, earlier.anywhere) if earlier else (None, None)
    if here is not None and here.judges:
        source = tr("known from earlier twins on this machine and piece, {degrees}", degrees=_degrees(here))
        return KnownScatter(here.sd, here, source)
    if anywhere is not None and anywhere.judges:
        source = tr("borrowed from twins on other machines or pieces, {degrees}", degrees=_degrees(anywhere))
        return KnownScatter(anywhere.sd, None, source)
    return None


def plan_as_json(study: Study) -> dict[str, Any]:
    """Return a drawn plan as plain values.

    Parameters
    ----------
    study : Study
        With its runs.
    """
    design = study.plan.design if study.plan else None
    explained = EXPLAINED[design.kind] if design else None
    names = [factor.name for factor in study.factors]
    return {
        "study": study.name,
        "seed": study.plan.seed if study.plan else None,
        "order_version": study.plan.order_version if study.plan else None,
        "design": {
            "kind": design.kind.value if design else None,
            "resolution": design.resolution if design else None,
            "aliases": design.aliases(names) if design else {},
            "sentence": explained.sentence if explained else "",
            "warning": explained.warning if explained else "",
        },
        "arms": [
            {
                "name": arm.name,
                "baseline": arm.is_baseline,
                "role": arm.role.value or None,
                "levels": _levels(study, arm),
            }
            for arm in study.arms
        ],
        "runs": _runs(study),
        "confounding": [
            {"columns": list(item.columns), "sentence": item.sentence, "repair": item.repair, "vif": item.vif}
            for item in study_confounding(study)
        ],
        "power": _power(study),
        "budget": budget_values(budget_of(study)),
        "checks": [{"arm": name, "checks": list(checks)} for name, checks in planned_checks(study)],
    }


def plan_lines(study: Study) -> list[str]:
    """Return a drawn plan as lines of text."""
    values = plan_as_json(study)
    design = values["design"]
    lines = [f"{study.name}: {design['kind']}. {design['sentence']}"] if design["kind"] else [study.name]
    if design["warning"]:
        lines.append(f"  ! {design['warning']}")
    lines += [
        f"{run['order']:3}  {run['code']}  {run['arm']}"
        + "".join(f", {run[name]}" for name in ("machine", "piece") if run[name])
        + tr(", block {run}", run=run["block"])
        for run in values["runs"]
    ]
    lines += [f"  ! {item['sentence']} {item['repair']}" for item in values["confounding"]]
    lines += [
        tr("Entering {item}: check {item2}.", item=item["arm"], item2=", ".join(item["checks"]))
        for item in values["checks"]
    ]
    for response in study.judged:
        sentence = power_sentence(study, response, None)
        if sentence:
            lines.append(sentence)
    lines.append(budget_sentence(budget_of(study), study.rates.currency))
    return lines


def power_sentence(
    study: Study, response: Response, earlier: EarlierNoise | None, comparison: int = 0
) -> str:
    """Say what a drawn plan can find in one response; empty where it has no margin."""
    if response.margin is None:
        return ""
    known = known_scatter(response, earlier)
    if known is None and response.kind is ResponseKind.GRADE:
        said = _by_agreeing(study, response, comparison)
        if said:
            return f"{response.name}: {said}"
    if known is None:
        return tr(
            "{response}: no noise floor is known, so nobody can say what the plan can find.",
            response=response.name,
        )
    planned = power_of_plan(study, known.aim(response), comparison)
    margin = with_unit(format_number(response.margin), response.margin_unit)
    if planned.p_find_margin is None or planned.p_establish_twin is None:
        verb = trn("is", "are", planned.pairs)
        return tr(
            "{response}: {pairs} {verb} too few for a test.",
            response=response.name,
            pairs=_pairs(study, planned, comparison),
            verb=verb,
        )
    several = contrasts(study)
    about = f" ({several[comparison].about})" if len(several) > 1 else ""
    return (
        tr(
            "{response}{about}: {pairs} would find a difference of {margin} with "
            "{p_find_margin:.0f} % chance, and establish a twin with "
            "{p_establish_twin:.0f} % (standard deviation of one print {sd}, {source}).",
            response=response.name,
            about=about,
            pairs=_pairs(study, planned, comparison),
            margin=margin,
            p_find_margin=100 * planned.p_find_margin,
            p_establish_twin=100 * planned.p_establish_twin,
            sd=with_unit(format_number(known.sd), response.margin_unit),
            source=known.source,
        )
        + (shown(_FITTINGS) if several[comparison].plots else "")
        + _among(study, response, comparison)
    )


def floor_sentence(study: Study, response: Response, earlier: EarlierNoise | None) -> str:
    """Say how many pairs would do by what earlier twins scatter, before a plan is drawn; empty if unknown.

    Parameters
    ----------
    study : Study
        Whose response it is.
    response : Response
        With a margin.
    earlier : EarlierNoise or None
        Of other studies.
    """
    known = known_scatter(response, earlier)
    if response.margin is None or known is None or response.noise_sd is not None:
        return ""
    aim = known.aim(response)
    df = known.noise.df if known.noise is not None and known.noise.judges else 0.0
    # By the method that will judge pairs, at the level that counts what is asked together: what is said here
    # is what the plan will say of as many pairs.
    level = planned_level(study, response, 0) if contrasts(study) else LOOKED_AT_ONCE
    chances = chances_of(Shape(response.kind, 1, noise_df=df, level=level), aim.sd, aim.margin, PAIRS)
    enough = next((one.pairs for one in chances if (one.p_find_margin or 0.0) >= ENOUGH), None)
    margin = with_unit(format_number(response.margin), response.margin_unit)
    scatter = (
        f"{with_unit(format_number(known.sd, decimals_for(known.sd)), response.margin_unit)}, {known.source}"
    )
    if enough is None:
        return tr(
            "{response}: {PAIRS} pairs would not yet find {margin} with {ENOUGH:.0f} % "
            "chance (standard deviation of one print {scatter}).",
            response=response.name,
            PAIRS=PAIRS[-1],
            margin=margin,
            ENOUGH=100 * ENOUGH,
            scatter=scatter,
        )
    pairs = tr("1 pair") if enough == 1 else tr("{enough} pairs", enough=enough)
    return tr(
        "{response}: {pairs} would find {margin} with {ENOUGH:.0f} % chance "
        "(standard deviation of one print {scatter}).",
        response=response.name,
        pairs=pairs,
        margin=margin,
        ENOUGH=100 * ENOUGH,
        scatter=scatter,
    )


def _among(study: Study, response: Response, comparison: int) -> str:
    """Say that a comparison is judged as one of many, which its chances already count."""
    asked = asked_together(study, response)
    if asked < 2 or contrasts(study)[comparison].positive:
        return ""
    of_which = tr("of this response") if response.primary else tr("of the responses that do not decide")
    return tr(
        " It is judged as one of {asked} comparisons {of_which}, for which it has to "
        "be clearer; that is counted here.",
        asked=asked,
        of_which=of_which,
    )


def _by_agreeing(study: Study, response: Response, comparison: int) -> str:
    """Say what graded pairs can decide, however much they scatter; empty where none are paired."""
    pairs = pairs_of(study, comparison)
    if not pairs:
        return ""
    asked = asked_together(study, response)
    level = 1 - planned_level(study, response, comparison)
    allowed = median_rank(pairs, level) - 1
    each = tr(", as one of {asked} comparisons", asked=asked) if asked > 1 else ""
    fewest = next(count for count in range(1, 100) if median_rank(count, level))
    if allowed < 0:
        return tr(
            "{pairs} {part}{each} can decide nothing, however they come out; {fewest} "
            "can, where the change does the same in all of them.",
            pairs=pairs,
            part=trn("pair", "pairs", pairs),
            each=each,
            fewest=fewest,
        )
    share = _share_needed(pairs, allowed)
    where = tr("all of them") if not allowed else tr("{pairs} of them", pairs=pairs - allowed)
    return tr(
        "{pairs} pairs{each} decide where the change does the same in {where}; that "
        "is 80\u202f% likely if it does so in {share:.0f}\u202f% of all pairs.",
        pairs=pairs,
        each=each,
        where=where,
        share=100 * share,
    )


def _share_needed(pairs: int, allowed: int) -> float:
    """Share of pairs that must show an effect so that no more than some fail to with 80 % chance."""
    from scipy.special import bdtri

    return 1 - float(bdtri(allowed, pairs, 0.8))


def budget_sentence(budget: Budget, currency: str) -> str:
    """Say what a plan takes in hours, grams and money."""
    parts = [
        f"{budget.runs} {trn('run', 'runs', budget.runs)}",
        tr("{machine_min} of machine time", machine_min=format_minutes(budget.machine_min)),
        tr("{work_min} of hands", work_min=format_minutes(budget.work_min)),
        with_unit(format_number(budget.grams, 0), "g"),
    ]
    if budget.money:
        parts.append(f"{format_number(budget.money, 2)} {currency}")
    return ", ".join(parts) + "."


def budget_values(budget: Budget) -> dict[str, Any]:
    """Return a budget as plain values, sums included."""
    return {
        **asdict(budget),
        "machine_min": budget.machine_min,
        "work_min": budget.work_min,
        "grams": budget.grams,
        "money": budget.money,
    }


def _runs(study: Study) -> list[dict[str, Any]]:
    where, arms, days = study.index.places, study.index.arms, days_of(study)
    return [
        {
            "order": number,
            "code": run.code,
            "arm": arms[run.arm_id].name,
            "levels": _levels(study, arms[run.arm_id]),
            "block": where[run.id][0] or None,
            "machine": where[run.id][1] or None,
            "piece": where[run.id][2] or None,
            "day": days.get(run.id),
            "spool": run.spool or None,
            "place": run.place or None,
            "turn_deg": run.turn_deg if run.place else None,
        }
        for number, run in enumerate(study.runs, 1)
    ]


def _levels(study: Study, arm: Arm) -> dict[str, str]:
    return {factor.name: level.value for factor, level in study.levels_of(arm)}


def _power(study: Study) -> list[dict[str, Any]]:
    found = []
    for response in study.judged:
        known = known_scatter(response)
        if response.margin is None or known is None:
            continue
        aim = known.aim(response)
        planned = power_of_plan(study, aim)
        shape = shape_of(study, aim)
        table = {item.pairs: item for item in chances_of(shape, aim.sd, aim.margin, PAIRS)}
        table[planned.pairs] = planned
        found += [
            {"response": response.name, **asdict(table[pairs]), "planned": pairs == planned.pairs}
            for pairs in sorted(table)
        ]
    return found


def _pairs(study: Study, planned: Chances, comparison: int) -> str:
    unit = unit_of(study, comparison)
    return f"{planned.pairs} {one_of(unit) if planned.pairs == 1 else unit}"


def _degrees(noise: NoiseFloor) -> str:
    return tr("{df} {part} of freedom", df=format_number(noise.df), part=trn("degree", "degrees", noise.df))
