"""A ladder weighed up: how far its levels hold, and what each further one would save."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from oddtwin.core.judgement import ladder_advice, ladder_arms
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_list, format_number, with_unit
from oddtwin.core.study import Arm, Study


@dataclass(frozen=True, slots=True)
class LadderPath:
    """The levels of a ladder in their order, and where it ends.

    Parameters
    ----------
    arms : tuple of str
        Names from the safe end on, of those that were printed.
    holds : str
        The last that holds; empty where none was shown to.
    beyond : str
        The first above it that does not; empty where all hold.
    judged_by : str
        Name of the deciding response.
    """

    arms: tuple[str, ...]
    holds: str
    beyond: str
    judged_by: str

    def as_json(self) -> dict[str, Any]:
        """Return it as plain values."""
        return {
            "arms": list(self.arms),
            "holds": self.holds or None,
            "beyond": self.beyond or None,
            "judged_by": self.judged_by,
        }


def ladder_path(study: Study, printed: Sequence[Arm]) -> LadderPath | None:
    """Return the path of a ladder; None where the study is none, or nothing judges it.

    Parameters
    ----------
    study : Study
        Whole.
    printed : sequence of Arm
        Arms with prints that count.
    """
    advice = ladder_advice(study)
    deciding = next((one.name for one in study.responses if one.primary), "")
    if advice is None or (advice.good is None and advice.bad is None):
        return None
    levels = ladder_arms(study)
    names = [arm.name for arm in levels]

    def named(place: int | None) -> str:
        return names[place] if place is not None and place < len(names) else ""

    known = {arm.id for arm in printed}
    path = tuple(arm.name for arm in levels if arm.id in known)
    return LadderPath(path, named(advice.good), named(advice.bad), deciding)


def path_words(
    path: LadderPath,
    baseline: str,
    minutes: Mapping[str, float],
    grams: Mapping[str, float],
    currency: str,
    money: Mapping[str, float],
) -> list[str]:
    """Say what the last level that holds saves, and what the next would save and cost.

    Parameters
    ----------
    path : LadderPath
        Of the ladder.
    baseline : str
        Name of the safe end.
    minutes, grams, money : mapping of str to float
        Mean of a print by arm; an arm may be missing, and money may be empty.
    currency : str
        Of the money.
    """

    def saved(before: str, after: str) -> str:
        parts = []
        for means, unit in ((minutes, "min"), (grams, "g"), (money, currency)):
            if before in means and after in means:
                less = means[before] - means[after]
                places = 2 if unit == currency else 1
                if round(abs(less), places) > 0:
                    shown = with_unit(format_number(abs(less), places), unit)
                    parts.append(f"{shown} {(tr('less') if less > 0 else tr('more'))}")
        return format_list(parts)

    told = []
    if path.holds and path.holds != baseline:
        what = saved(baseline, path.holds)
        told.append(
            tr(
                "{holds} is the last level that holds by {judged_by}",
                holds=path.holds, judged_by=path.judged_by,
            )
            + (
                tr("; on the mean {what} a print than {baseline}.", what=what, baseline=baseline)
                if what
                else "."
            )
        )  # fmt: skip
    elif path.holds:
        told.append(tr(
            "No level beyond {baseline} was shown to hold by {judged_by}.",
            baseline=baseline, judged_by=path.judged_by,
        ))  # fmt: skip
    if path.beyond:
        what = saved(path.holds or baseline, path.beyond)
        told.append(
            tr("{beyond} does not hold", beyond=path.beyond)
            + (tr(", for {what} still.", what=what) if what else ".")
        )
    return told
