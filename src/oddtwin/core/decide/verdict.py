"""The verdict rule: one function, and the words for what it says."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import TYPE_CHECKING, Any, Final

from oddtwin.core.language import mark, shown
from oddtwin.core.readings import Better

if TYPE_CHECKING:
    # Verdicts are shown on the first screen, which does not wait for NumPy.
    from oddtwin.core.arrays import Interval
    from oddtwin.core.effects import Inference


class Verdict(StrEnum):
    """What can be said of a change in one response."""

    ODD_BETTER = "odd-better"
    ODD_WORSE = "odd-worse"
    ODD = "odd"
    LEANING_BETTER = "leaning-better"
    LEANING_WORSE = "leaning-worse"
    LEANING = "leaning"
    TWIN = "twin"
    NOT_WORSE = "not-worse"
    MIXED = "mixed"
    UNDECIDED = "undecided"

    @property
    def settled(self) -> bool:
        """Whether more prints are not needed: odd, twin, not worse, or better here and worse there."""
        return self.odd or self in (Verdict.TWIN, Verdict.NOT_WORSE, Verdict.MIXED)

    @property
    def words(self) -> str:
        """What a person calls it."""
        return shown(_WORDS[self])

    @property
    def odd(self) -> bool:
        """Whether there is a difference that matters."""
        return self.value.startswith("odd")

    @property
    def leaning(self) -> bool:
        """Whether there is a difference that may matter or not."""
        return self.value.startswith("leaning")


_WORDS: Final = {
    Verdict.ODD_BETTER: mark("odd, better"),
    Verdict.ODD_WORSE: mark("odd, worse"),
    Verdict.ODD: mark("odd"),
    Verdict.LEANING_BETTER: mark("leaning, better"),
    Verdict.LEANING_WORSE: mark("leaning, worse"),
    Verdict.LEANING: mark("leaning"),
    Verdict.TWIN: mark("twin"),
    Verdict.NOT_WORSE: mark("not worse"),
    Verdict.MIXED: mark("mixed"),
    Verdict.UNDECIDED: mark("undecided"),
}


def judge(
    ci95: Interval | None,
    ci90: Interval | None,
    margin: float | None,
    better: Better | None,
    guard: bool = False,
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
    guard : bool
        Whether it is only asked not to get worse.

    Returns
    -------
    Verdict
        *Odd*: the 95 % interval lies wholly at or beyond the margin.
        *Twin*: the 90 % interval lies inside ±margin (two one-sided tests at 5 %).
        *Not worse*, of a guard: the 90 % interval stays short of the margin on the side that is worse (one
        one-sided test at 5 %). *Leaning*: the 95 % interval excludes zero. *Undecided*: none of these. An
        interval that only touches zero does not exclude it, one that touches the margin is not inside.
    """
    if ci95 is None or ci90 is None:
        return Verdict.UNDECIDED
    return from_code(verdict_code(*ci95, *ci90, margin, worse_side(better, guard)), better)


def worse_side(better: Better | None, guard: bool) -> int:
    """Return the sign of what is worse, for a guard; 0 where nothing is guarded."""
    if not guard or better is None:
        return 0
    return -1 if better is Better.HIGHER else 1


def verdict_code(
    low95: Any, high95: Any, low90: Any, high90: Any, margin: float | None, worse: int = 0
) -> Any:
    """Apply the verdict rule to one comparison, or to arrays of many at once.

    Parameters
    ----------
    low95, high95, low90, high90 : float or array of any one shape
        Ends of the intervals, in the response's unit.
    margin : float or None
        In the same unit.
    worse : int
        Sign of what a guard must not become; 0 without a guard.

    Returns
    -------
    int or array of int
        0 undecided, 1 twin, 2 leaning up, 3 leaning down, 4 odd up, 5 odd down, 6 not worse.
    """
    stated = margin is not None
    limit = margin if margin is not None else float("inf")
    # A difference as large as the margin matters; of grades whole steps are all that there is.
    up, down = low95 >= limit, high95 <= -limit
    # Sums and products instead of "and", so that numbers and arrays are judged by the same lines.
    not_odd = 1 - (up + down)
    twin = stated * (low90 > -limit) * (high90 < limit) * not_odd
    open_ = not_odd * (1 - twin)
    leaning = open_ * (2 * (low95 > 0) + 3 * (high95 < 0))
    guarded = not_worse(low90, high90, margin, worse) * open_
    return 4 * up + 5 * down + twin + 6 * guarded + (1 - guarded) * leaning


_UNDIRECTED: Final = {0: Verdict.UNDECIDED, 1: Verdict.TWIN, 6: Verdict.NOT_WORSE}


def from_code(code: int, better: Better | None) -> Verdict:
    """Return the verdict of a code of ``verdict_code``, in the direction that is better."""
    if code in _UNDIRECTED:
        return _UNDIRECTED[code]
    return _directed("odd" if code >= 4 else "leaning", code % 2 == 0, better)


def _directed(stem: str, rises: bool, better: Better | None) -> Verdict:
    if better is None:
        return Verdict(stem)
    improves = rises == (better is Better.HIGHER)
    return Verdict(f"{stem}-{'better' if improves else 'worse'}")


def not_worse(low90: Any, high90: Any, margin: float | None, worse: int) -> Any:
    """Say whether a guard is shown not to get worse: one one-sided test at 5 %, however much else is asked.

    Parameters
    ----------
    low90, high90 : float or array
        Ends of the 90 % interval, in the response's unit.
    margin : float or None
        In the same unit.
    worse : int
        Sign of what the guard must not become; 0 without a guard.

    Returns
    -------
    bool or array of bool
    """
    if margin is None or not worse:
        # Never, as a number or as an array, whichever the ends are.
        return low90 < low90
    return high90 < margin if worse > 0 else low90 > -margin


def within_family(verdict: Verdict, one: Adjusted, guarded: bool = False) -> Verdict:
    """Take back what a verdict says where it is one of many.

    Parameters
    ----------
    verdict : Verdict
        Judged as if nothing else had been asked.
    one : Adjusted
        Its p values, adjusted for all that was asked.
    guarded : bool
        Whether it is a guard that is shown not to get worse.
    """
    # A verdict is only ever taken back: what one question alone could not say, several cannot.
    open_ = verdict
    if verdict.odd and not one.holds(one.beyond, 0.025):
        open_ = Verdict(verdict.value.replace("odd", "leaning"))
    if open_.leaning and not one.holds(one.difference, 0.05):
        open_ = Verdict.UNDECIDED
    if verdict is Verdict.TWIN and not one.holds(one.equivalence, 0.05):
        open_ = Verdict.UNDECIDED
    # What a guard is asked is shown all the same.
    return Verdict.NOT_WORSE if guarded and not (open_.odd or open_ is Verdict.TWIN) else open_


@dataclass(frozen=True, slots=True)
class Adjusted:
    """p values of one question among several, adjusted for their number.

    Parameters
    ----------
    of : int
        How many questions.
    difference, equivalence, beyond : float or None
        As in ``Inference``; None where that was not tested.
    looks : int
        How often the study is looked at by plan; adjusted for that too.
    ci95 : tuple of float, optional
        Where several arms are judged by one model: the 95 % interval that holds for all their
        comparisons together, in the response's unit.
    """

    of: int
    difference: float | None
    equivalence: float | None
    beyond: float | None
    looks: int = 1
    ci95: Interval | None = None

    def at_looks(self, looks: int, level: float) -> Adjusted:
        """Return the same where each of several planned looks is judged at a level of its own.

        Parameters
        ----------
        looks : int
            How many are planned.
        level : float
            Two-sided, as ``level_for_looks`` gives it.
        """

        def spent(p: float | None) -> float | None:
            return None if p is None else min(1.0, p * 0.05 / level)

        return replace(
            self,
            difference=spent(self.difference),
            equivalence=spent(self.equivalence),
            beyond=spent(self.beyond),
            looks=looks,
        )

    @staticmethod
    def holds(p: float | None, level: float) -> bool:
        """Whether a claim holds at a level; one without a test stands on its interval."""
        return p is None or p <= level * (1 + 1e-9)


def adjusted_for_all(inferences: Sequence[Inference]) -> list[Adjusted]:
    """Adjust the p values of several questions for their number (Holm).

    Parameters
    ----------
    inferences : sequence of Inference
        All that was asked.
    """
    from oddtwin.core.effects import holm

    columns = (
        holm([getattr(one, name) for one in inferences])
        for name in ("p_difference", "p_equivalence", "p_beyond")
    )
    asked = sum(one.p_difference is not None for one in inferences)
    return [Adjusted(asked, *row) for row in zip(*columns, strict=True)]
