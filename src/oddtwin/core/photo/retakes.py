"""Retakes: how far photographs of the same print differ, which is the camera's doing and not the print's."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Final

from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import format_number, with_unit

ENOUGH: Final = 5
"""Degrees of freedom from which on the camera's repeatability can be relied on."""


@dataclass(frozen=True, slots=True)
class Repeatability:
    """How well a camera repeats a figure.

    Parameters
    ----------
    sd : float
        Standard deviation of one photograph about its print, in the figure's unit.
    df : int
        Degrees of freedom: retakes beyond the first, over all prints.
    """

    sd: float
    df: int

    def words(self, unit: str) -> str:
        """Return it as a sentence, with what it takes where that is too little."""
        size = with_unit(format_number(self.sd, 3), unit)
        noun = trn("retake", "retakes", self.df)
        told = tr(
            "Photographs of one print differ by {size} (standard deviation, {df} {noun})",
            size=size,
            df=self.df,
            noun=noun,
        )
        more = ENOUGH - self.df
        if more <= 0:
            return f"{told}."
        return tr(
            "{told}; put prints away, take them out and photograph them {more} times more to rely on that.",
            told=told,
            more=more,
        )


def repeatability(prints: Iterable[Sequence[float]]) -> Repeatability | None:
    """Pool the scatter of retakes over prints.

    Parameters
    ----------
    prints : iterable of sequence of float
        Figures of the photographs of each print, in one unit.

    Returns
    -------
    Repeatability or None
        None where no print was photographed twice. Of pairs it is the root of the sum of squared
        differences over twice their number.
    """
    squares, df = 0.0, 0
    for values in prints:
        mean = math.fsum(values) / max(1, len(values))
        squares += math.fsum((value - mean) ** 2 for value in values)
        df += max(0, len(values) - 1)
    return Repeatability(math.sqrt(squares / df), df) if df else None
