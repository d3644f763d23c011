"""The verdict rule: one function, and the words for what it says."""

from __future__ import annotations

from enum import StrEnum

from oddtwin.core.readings import Better

Interval = tuple[float, float]


class Verdict(StrEnum):
    """What can be said of a change in one response."""

    ODD_BETTER = "odd-better"
    ODD_WORSE = "odd-worse"
    ODD = "odd"
    LEANING_BETTER = "leaning-better"
    LEANING_WORSE = "leaning-worse"
    LEANING = "leaning"
    TWIN = "twin"
    UNDECIDED = "undecided"

    @property
    def settled(self) -> bool:
        """Whether more prints are not needed: odd, or twin."""
        return self.value.startswith("odd") or self is Verdict.TWIN


def judge(
    ci95: Interval | None, ci90: Interval | None, margin: float | None, better: Better | None
) -> Verdict:
    """Turn the intervals of a difference into a verdict.

    Parameters
    ----------
    ci95, ci90 : tuple of float, or None
        Confidence intervals of change − baseline, in the response's unit; None where
        the prints allow none.
    margin : float or None
        Smallest difference that matters, in the same unit, above zero. Without it
        nothing is ``twin`` and nothing is ``odd``.
    better : Better or None
        Which direction is better; without it the verdict has no direction.

    Returns
    -------
    Verdict
        *Odd*: the 95 % interval excludes zero and lies wholly beyond the margin.
        *Twin*: the 90 % interval lies inside ±margin (two one-sided tests at 5 %).
        *Leaning*: the 95 % interval excludes zero. *Undecided*: none of these. An
        interval that only touches a limit is not beyond, inside or excluding it.
    """
    if ci95 is None or ci90 is None:
        return Verdict.UNDECIDED
    low, high = ci95
    if margin is not None:
        if low > margin or high < -margin:
            return _directed("odd", low > margin, better)
        if ci90[0] > -margin and ci90[1] < margin:
            return Verdict.TWIN
    if low > 0 or high < 0:
        return _directed("leaning", low > 0, better)
    return Verdict.UNDECIDED


def _directed(stem: str, rises: bool, better: Better | None) -> Verdict:
    if better is None:
        return Verdict(stem)
    improves = rises == (better is Better.HIGHER)
    return Verdict(f"{stem}-{'better' if improves else 'worse'}")
