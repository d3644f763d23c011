"""What a rehearsal takes for true."""

from __future__ import annotations

import math
from dataclasses import dataclass

from oddtwin.core.effects import NoiseFloor
from oddtwin.core.language import tr


@dataclass(frozen=True, slots=True)
class Assumed:
    """What is taken for true of one response.

    Parameters
    ----------
    response_id : int
        Of the study.
    effect : float
        True difference, change minus baseline, in the response's unit.
    sd : float
        Standard deviation of one print, in the same unit, zero or more.
    noise : NoiseFloor, optional
        A noise floor that the analysis would already know.
    """

    response_id: int
    effect: float
    sd: float
    noise: NoiseFloor | None = None

    def __post_init__(self) -> None:
        """Refuse what cannot be assumed."""
        if not (math.isfinite(self.sd) and self.sd >= 0 and math.isfinite(self.effect)):
            raise ValueError(tr("the assumed effect and scatter must be numbers, the scatter zero or more"))


@dataclass(frozen=True, slots=True)
class Conditions:
    """What happens to the prints.

    Parameters
    ----------
    lost : float
        Chance that a print is lost, from 0 to below 1.
    drift_sd : float
        Drift from the first print to the last, in standard deviations of one print.
    """

    lost: float = 0.05
    drift_sd: float = 0.0

    def __post_init__(self) -> None:
        """Refuse conditions that cannot be."""
        if not 0 <= self.lost < 1:
            raise ValueError(tr("the share of lost prints lies between 0 and 99 %"))
        if not math.isfinite(self.drift_sd):
            raise ValueError(tr("the drift must be a number"))
