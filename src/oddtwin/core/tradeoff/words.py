"""What follows from a study that was weighed up, in sentences and as plain values."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from oddtwin.core.arrays import Interval
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_list, format_number
from oddtwin.core.study import Role
from oddtwin.core.tradeoff.figure import MONEY, Figure
from oddtwin.core.tradeoff.path import path_words
from oddtwin.core.tradeoff.switching import Stretch
from oddtwin.core.tradeoff.weighed import Weighed


def sentences(weighed: Weighed, prints_a_month: float = 0.0) -> list[str]:
    """Return what follows, in sentences: the front, who is beaten by whom, the order, paybacks, and switches.

    Parameters
    ----------
    weighed : Weighed
        From `weigh`.
    prints_a_month : float
        What the workshop prints; 0 where nobody knows.
    """
    told = []
    if weighed.shut_out:
        told += [tr("{name} is out: {why}.", name=name, why=why) for name, why in weighed.shut_out.items()]
    if len(weighed.front) == 1:
        told.append(tr("Nothing beats {front} on anything that was weighed.", front=weighed.front[0]))
    elif weighed.front:
        told.append(tr("No arm wins on everything; not beaten: {front}.", front=format_list(weighed.front)))
    told += [
        tr("{name} is beaten by {by}: nowhere better, and worse somewhere.", name=name, by=format_list(by))
        for name, by in weighed.dominated.items()
    ]
    told += _order_words(weighed)
    told += _path_words(weighed)
    told += [_saving_words(name, one, weighed.prices.currency) for name, one in weighed.savings.items()]
    told += [
        payback.sentence(name, weighed.prices.currency, prints_a_month)
        for name, payback in weighed.paybacks.items()
    ]
    told += _switch_words(weighed)
    if weighed.estimated and weighed.prices.known:
        told.append(tr("Some prints were not weighed or timed: what their piece should take stands for it."))
    return [text for text in told if text]


def _path_words(weighed: Weighed) -> list[str]:
    """Say how far a ladder holds, and what that saves."""
    if weighed.path is None:
        return []
    minutes, money = (
        {name: of[key].value for name, of in weighed.figures.items() if key in of}
        for key in (Role.TIME.value, MONEY)
    )
    grams = {name: of["grams"] for name, of in weighed.costs.items()}
    return path_words(weighed.path, weighed.baseline, minutes, grams, weighed.prices.currency, money)


def _saving_words(name: str, saved: Figure, currency: str) -> str:
    """Say what a print of an arm saves, and whether that is more than scatter."""
    if saved.ci95 is None:
        seen = _money(abs(saved.value), currency)
        return tr("What a print of {name} saves cannot be told: {seen} was seen once.", name=name, seen=seen)
    low, high = saved.ci95
    if low <= 0 <= high:
        least, most = (_money(abs(end), currency) for end in (low, high))
        return tr(
            "{name} costs as much as the baseline within the scatter: {least} more to {most} less a print.",
            name=name,
            least=least,
            most=most,
        )
    verb = tr("saves") if saved.value > 0 else tr("costs")
    ends = sorted(abs(end) for end in (low, high))
    interval = tr("{money} to {money2}", money=_money(ends[0], currency), money2=_money(ends[1], currency))
    more = "" if saved.value > 0 else tr(" more")
    return tr(
        "{name} {verb} {money}{more} a print (95 % interval {interval}).",
        name=name,
        verb=verb,
        money=_money(abs(saved.value), currency),
        more=more,
        interval=interval,
    )


def _money(amount: float, currency: str) -> str:
    # Cents below ten of them are told in full: 0.00 would be nothing.
    return f"{format_number(amount, 2) if amount >= 0.1 or not amount else f'{amount:.2g}'} {currency}"


def _order_words(weighed: Weighed) -> list[str]:
    pick = weighed.pick
    order = format_list([axis.name for axis in weighed.axes], tr(", then "))
    if len(pick.arms) == 1 and pick.decided_by:
        tied = [weighed.axis(key).name for key in pick.tied_on]
        before = tr("all tie on {tied}, and ", tied=format_list(tied)) if tied else ""
        by = weighed.axis(pick.decided_by).name
        return [
            tr(
                "In the order {order}: {before}{arms} wins by {by}.",
                order=order,
                before=before,
                arms=pick.arms[0],
                by=by,
            )
        ]
    if len(pick.arms) > 1:
        return [
            tr("In the order {order}: {arms} tie throughout.", order=order, arms=format_list(list(pick.arms)))
        ]
    return []


def _switch_words(weighed: Weighed) -> list[str]:
    currency = weighed.prices.currency
    told = []
    worth = (
        tr("a grade step of {axis} is worth", axis=weighed.axis(weighed.grade_axis).name)
        if weighed.grade_axis
        else ""
    )
    for stretches, unit in ((weighed.by_gram, tr("a kilogram costs")), (weighed.by_grade, worth)):
        if len(stretches) > 1:
            last = stretches[-1]
            parts = [f"{one.name} {_stretch_words(one, one is last, currency)}" for one in stretches]
            told.append(tr("Cheapest where {unit}: {parts}.", unit=unit, parts=format_list(parts, "; ")))
        elif stretches:
            end = (
                ""
                if math.isinf(stretches[0].high)
                else tr(", up to {money}", money=_money(stretches[0].high, currency))
            )
            told.append(
                tr(
                    "{stretches} is the cheapest whatever {unit}{end}.",
                    stretches=stretches[0].name,
                    unit=unit,
                    end=end,
                )
            )
    return told


def _stretch_words(one: Stretch, last: bool, currency: str) -> str:
    low, high = (_money(end, currency) for end in (one.low, one.high))
    # How far was looked is no limit of its own.
    if last:
        return tr("more than {low}", low=low)
    return tr("less than {high}", high=high) if not one.low else tr("{low} to {high}", low=low, high=high)


def weighed_json(weighed: Weighed) -> dict[str, Any]:
    """Return what was weighed as plain values; what is infinite is null."""
    return {
        "axes": [
            {
                "key": axis.key,
                "name": axis.name,
                "unit": axis.unit,
                "better": "higher" if axis.better < 0 else "lower",
                "tie": axis.tie,
            }
            for axis in weighed.axes
        ],
        "arms": {
            name: {key: {"value": one.value, "ci95": _ends(one.ci95), "n": one.n} for key, one in of.items()}
            for name, of in weighed.figures.items()
        },
        "ladder": None
        if weighed.path is None
        else {
            "arms": list(weighed.path.arms),
            "holds": weighed.path.holds or None,
            "beyond": weighed.path.beyond or None,
        },
        "front": list(weighed.front),
        "dominated": {name: list(by) for name, by in weighed.dominated.items()},
        "shut_out": dict(weighed.shut_out),
        "priorities": {"arms": list(weighed.pick.arms), "decided_by": weighed.pick.decided_by or None},
        "costs": {
            name: {"value": of[MONEY].value, "ci95": _ends(of[MONEY].ci95), **weighed.costs.get(name, {})}
            for name, of in weighed.figures.items()
            if MONEY in of
        },
        "savings": {
            name: {"value": one.value, "ci95": _ends(one.ci95)} for name, one in weighed.savings.items()
        },
        "payback": {
            name: {
                "cost": one.cost,
                "saving": one.saving,
                "prints": _end(one.prints),
                "hours": _end(one.hours),
                "ci95": _ends(one.ci95),
            }
            for name, one in weighed.paybacks.items()
        },
        "switches": {"per_kg": _switches(weighed.by_gram), "per_grade": _switches(weighed.by_grade)},
        "currency": weighed.prices.currency,
        "sentences": sentences(weighed),
    }


def _switches(stretches: Sequence[Stretch]) -> list[dict[str, Any]]:
    return [{"arm": one.name, "from": one.low, "to": _end(one.high)} for one in stretches]


def _end(value: float | None) -> float | None:
    return value if value is not None and math.isfinite(value) else None


def _ends(ends: Interval | None) -> list[float | None] | None:
    return None if ends is None else [_end(end) for end in ends]
