"""What filament, energy, machines and hands cost, and when that was so."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from oddtwin.core.study import Run, Study


@dataclass(frozen=True, slots=True)
class Prices:
    """Prices of a workshop, in its currency.

    Parameters
    ----------
    currency : str
        Sign or letters.
    energy_per_kwh, labour_per_h : float
        Of a kilowatt-hour, and of an hour of hands.
    hands_min : float
        Minutes of hands for one plate: take it off, clean, start the next.
    per_kg : mapping of str to float
        Of a kilogram of filament, by the name of the spool.
    machine_per_h, power_w : mapping of str to float
        Of an hour of a machine, and its mean power in watts, by the name of the machine.
    """

    currency: str = "€"
    energy_per_kwh: float = 0.0
    labour_per_h: float = 0.0
    hands_min: float = 0.0
    per_kg: Mapping[str, float] = field(default_factory=dict)
    machine_per_h: Mapping[str, float] = field(default_factory=dict)
    power_w: Mapping[str, float] = field(default_factory=dict)

    @property
    def known(self) -> bool:
        """Whether anything has a price at all."""
        rates = (self.energy_per_kwh, self.labour_per_h, *self.per_kg.values(), *self.machine_per_h.values())
        return any(rates)

    def filament(self, study: Study, run: Run) -> float:
        """Return the price of a kilogram of what a run is printed of; the study's mean where unknown."""
        if run.spool in self.per_kg:
            return self.per_kg[run.spool]
        # A print whose spool nobody wrote down was not free.
        return self.usual(study)

    def usual(self, study: Study) -> float:
        """Return the mean price of a kilogram of what a study is printed of; 0 where none is known."""
        used = {one.spool for one in study.runs} & set(self.per_kg)
        listed = [self.per_kg[name] for name in used or self.per_kg]
        return sum(listed) / len(listed) if listed else 0.0


def prices_of(study: Study) -> Prices:
    """Return the prices of a study: those that were frozen when it was settled, else those of today.

    Parameters
    ----------
    study : Study
        With its rates, spools, machines and decision.
    """
    if study.decision is not None and study.decision.prices:
        return prices_from(study.decision.prices)
    rates = study.rates
    return Prices(
        rates.currency,
        rates.energy_per_kwh,
        rates.labour_per_h,
        rates.hands_min,
        {spool.name: spool.price_per_kg for spool in study.spools if spool.price_per_kg},
        {machine.name: machine.cost_per_h for machine in study.machines.values()},
        {machine.name: machine.power_w for machine in study.machines.values()},
    )


def prices_values(prices: Prices) -> dict[str, Any]:
    """Return prices as plain values, to be kept with a decision."""
    return {
        "currency": prices.currency,
        "energy_per_kwh": prices.energy_per_kwh,
        "labour_per_h": prices.labour_per_h,
        "hands_min": prices.hands_min,
        "per_kg": dict(prices.per_kg),
        "machine_per_h": dict(prices.machine_per_h),
        "power_w": dict(prices.power_w),
    }


def prices_from(values: Mapping[str, Any]) -> Prices:
    """Return prices from plain values.

    Parameters
    ----------
    values : mapping
        As `prices_values` gives them; what is missing costs nothing.

    Raises
    ------
    ValueError
        A price is no number.
    """

    def price(name: str) -> float:
        return float(values.get(name, 0.0))

    def listed(name: str) -> dict[str, float]:
        return {str(key): float(value) for key, value in dict(values.get(name, {})).items()}

    return Prices(
        str(values.get("currency", "€")),
        price("energy_per_kwh"),
        price("labour_per_h"),
        price("hands_min"),
        listed("per_kg"),
        listed("machine_per_h"),
        listed("power_w"),
    )
