"""When an upgrade has paid for itself."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

from oddtwin.core.arrays import Interval
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number, format_reading

LATEST: Final = 1e9
"""So many prints nobody makes: a saving that needs more of them is what rounding leaves of none."""


@dataclass(frozen=True, slots=True)
class Payback:
    """After how many prints a cost is saved.

    Parameters
    ----------
    cost : float
        Money, once.
    saving : float
        Money a print; below zero where it costs more.
    prints : float or None
        Infinite where it never pays by what was seen, or only after more than `LATEST`; None where nothing
        is known.
    ci95 : tuple of float or None
        Its 95 % interval; an end is infinite where the saving may be nothing or less.
    minutes : float
        Of a print of the arm; 0 where not known.
    """

    cost: float
    saving: float
    prints: float | None
    ci95: Interval | None
    minutes: float = 0.0

    @property
    def hours(self) -> float | None:
        """Hours of printing until then; None where minutes or prints are not known."""
        return self.prints * self.minutes / 60 if self.prints is not None and self.minutes else None

    def sentence(self, name: str, currency: str, prints_a_month: float = 0.0) -> str:
        """Say it in words.

        Parameters
        ----------
        name : str
            Of the arm.
        currency : str
            Of the money.
        prints_a_month : float
            What the workshop prints; months are told where it is above zero.
        """
        cost = f"{format_number(self.cost, 2)} {currency}"
        if self.prints is None:
            return ""
        if not self.cost:
            return tr("{name} costs nothing to set up.", name=name)
        if math.isinf(self.prints):
            may = self.ci95 is not None and math.isfinite(self.ci95[0])
            soonest = (
                tr("; it may save enough after {count} prints", count=_count(self.ci95[0]))
                if may and self.ci95
                else ""
            )
            return tr(
                "{name} for {cost} never pays back by what was seen{soonest}.",
                name=name,
                cost=cost,
                soonest=soonest,
            )
        told = tr(
            "{name} for {cost} pays back after {count} prints",
            name=name,
            cost=cost,
            count=_count(self.prints),
        )
        if self.ci95 is not None:
            low, high = self.ci95
            end = tr("never") if math.isinf(high) else _count(high)
            told += tr(" (95 % interval {count} to {end})", count=_count(low), end=end)
        if self.hours:
            told += tr(", {ceil} h of printing", ceil=format_number(math.ceil(self.hours), 0))
        if prints_a_month > 0:
            months = format_number(self.prints / prints_a_month, 1)
            told += tr(
                ", {months} months at {prints_a_month} prints a month",
                months=months,
                prints_a_month=format_reading(prints_a_month),
            )
        return f"{told}."


def payback(cost: float, saving: float | None, ci95: Interval | None, minutes: float = 0.0) -> Payback:
    """Return after how many prints a cost is saved: cost ÷ saving.

    The cost is known and only the saving scatters, so that Fieller's interval (1954, from memory) is that of
    the saving turned over: an end at or below zero is never.

    Parameters
    ----------
    cost : float
        Money, zero or more.
    saving : float or None
        Money a print; None where it is not known.
    ci95 : tuple of float or None
        95 % interval of the saving.
    minutes : float
        Of a print of the arm.
    """
    if saving is None:
        return Payback(cost, 0.0, None, None, minutes)
    ends = None if ci95 is None else (_over(cost, ci95[1]), _over(cost, ci95[0]))
    return Payback(cost, saving, _over(cost, saving), ends, minutes)


def _over(cost: float, saving: float) -> float:
    if not cost:
        return 0.0
    return cost / saving if saving * LATEST > cost else math.inf


def _count(prints: float) -> str:
    # Half a print pays nothing back.
    return format_number(math.ceil(prints - 1e-9), 0) if math.isfinite(prints) else "∞"
