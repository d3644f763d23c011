"""Split-plot orders for a factor that is hard to change: few switches, and an honest error for it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from oddtwin.core.design.order import SeededOrder
from oddtwin.core.language import tr

MOST_EXTRA_SWITCHES: Final = 6
"""Rows of the table of switches beyond the fewest."""


@dataclass(frozen=True, slots=True)
class SwitchPlan:
    """One way to change a hard-to-change factor over a study.

    Parameters
    ----------
    switches : int
        How often the level is changed, the first fitting not counted.
    whole_plots : int
        Runs of prints between two switches.
    error_df : int
        Degrees of freedom for the error between whole plots: plots − levels.
    minutes : float
        Work for all switches.
    critical_t : float
        95 % point of Student's t at ``error_df``: the half-width of the interval in
        standard errors, which a further switch makes smaller.
    """

    switches: int
    whole_plots: int
    error_df: int
    minutes: float
    critical_t: float


def switch_plans(level_minutes: Sequence[float], most: int | None = None) -> list[SwitchPlan]:
    """List how often a hard factor can be changed, from the fewest switches that leave an error.

    Parameters
    ----------
    level_minutes : sequence of float
        Minutes to switch to each level of the factor, two levels or more.
    most : int, optional
        Most whole plots that the runs allow.

    Returns
    -------
    list of SwitchPlan
        The first has one degree of freedom for error: with fewer switches every level is
        fitted once, and its effect cannot be told from that of fitting it.

    Raises
    ------
    ValueError
        Fewer than two levels.
    """
    from scipy.special import stdtrit

    levels = len(level_minutes)
    if levels < 2:
        raise ValueError(tr("a factor has at least two levels"))
    mean = sum(level_minutes) / levels
    last = levels + 1 + MOST_EXTRA_SWITCHES
    return [
        SwitchPlan(
            plots - 1, plots, plots - levels, mean * (plots - 1), float(stdtrit(plots - levels, 0.975))
        )
        for plots in range(levels + 1, min(most or last, last) + 1)
    ]


def whole_plot_levels(levels: int, plots: int, order: SeededOrder) -> list[int]:
    """Draw the level of each whole plot, never the same one twice in a row.

    Parameters
    ----------
    levels : int
        Levels of the hard factor, two or more.
    plots : int
        Whole plots, more than ``levels``.
    order : SeededOrder
        Where the draws come from.

    Returns
    -------
    list of int
        Every level as often as any other, or once more.

    Raises
    ------
    ValueError
        Too few plots to leave an error.
    """
    if plots <= levels:
        raise ValueError(
            tr("plan at least {levels} switches, so that a level is fitted twice", levels=levels)
        )
    drawn: list[int] = []
    while len(drawn) < plots:
        lap = order.shuffled(range(levels))
        # The same level twice in a row would be one fitting, and leave no error to judge by.
        if drawn and lap[0] == drawn[-1]:
            lap[0], lap[1] = lap[1], lap[0]
        drawn += lap
    return drawn[:plots]
