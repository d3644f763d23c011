"""What another purge multiplier, another matrix, or more pieces on a plate would give.

Purge: mm³ × density / 1000 = grams; total = sum over changes of the pair's volume times the
multiplier, not less than a minimum and not more than a maximum (common practice, no source).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

from oddtwin.core.language import tr
from oddtwin.core.toolpath.gcode import Feature, StopKind
from oddtwin.core.toolpath.gcode.features import tight
from oddtwin.core.toolpath.purge.ledger import PurgeLedger, PurgePair
from oddtwin.core.toolpath.sliced import Sliced, numbers_in

Pair = tuple[int, int]

MULTIPLIERS: Final = frozenset(
    {"purge multiplier", "flush multiplier", "purge volume multiplier", "purging multiplier"}
)
MATRICES: Final = frozenset(
    {"flush volumes matrix", "wiping volumes matrix", "purge volumes matrix", "purging volumes matrix"}
    | {"purge matrix", "flush matrix", "purge volumes", "flush volumes", "wiping volumes"}
)


@dataclass(frozen=True, slots=True)
class PurgeLimits:
    """Least and most that is purged at one change, mm³.

    Parameters
    ----------
    least_mm3, most_mm3 : float
        Of every change.
    least_of, most_of : mapping
        Of the changes of some pairs of colours (before, after) instead.

    Raises
    ------
    ValueError
        A least is negative or above its most.
    """

    least_mm3: float = 0.0
    most_mm3: float = math.inf
    least_of: Mapping[Pair, float] = field(default_factory=dict)
    most_of: Mapping[Pair, float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if not 0 <= self.least_mm3 <= self.most_mm3:
            raise ValueError(tr("give a least purge of zero or more, and a most that is not below it"))
        for pair in self.least_of.keys() | self.most_of.keys():
            if not 0 <= self.least(pair) <= self.most(pair):
                raise ValueError(
                    tr(
                        "tool {pair} to tool {pair2}: give a least purge of zero or more, and a most "
                        "that is not below it",
                        pair=pair[0],
                        pair2=pair[1],
                    )
                )

    def least(self, pair: Pair) -> float:
        """Return the least that is purged at a change of a pair of colours, mm³."""
        return self.least_of.get(pair, self.least_mm3)

    def most(self, pair: Pair) -> float:
        """Return the most that is purged at a change of a pair of colours, mm³."""
        return self.most_of.get(pair, self.most_mm3)

    def held(self, pair: Pair, volume_mm3: float) -> float:
        """Return a volume within the limits, mm³."""
        return min(max(volume_mm3, self.least(pair)), self.most(pair))

    def at_floor(self, pair: Pair, volume_mm3: float) -> bool:
        """Whether the least holds a volume (mm³) up, so that a smaller multiplier changes nothing."""
        return volume_mm3 <= self.least(pair)


@dataclass(frozen=True, slots=True)
class PurgeOutlook:
    """What is purged at one multiplier: mm³ and g in all, and how many changes are held by the minimum."""

    multiplier: float
    volume_mm3: float
    mass_g: float
    at_minimum: int


def multiplier_said(settings: Mapping[str, str]) -> float:
    """Return the purge multiplier that a file was sliced with; 1 where it says none.

    Parameters
    ----------
    settings : mapping
        Of the file, as written.
    """
    for key, value in settings.items():
        number = next(iter(numbers_in(value)), 0.0) if tight(key) in MULTIPLIERS else 0.0
        if 0 < number < 100:
            return number / (100 if "%" in value else 1)
    return 1.0


def matrix_said(settings: Mapping[str, str]) -> dict[Pair, float]:
    """Return the purge volumes that a file was sliced with, at multiplier 1.

    Parameters
    ----------
    settings : mapping
        Of the file, as written.

    Returns
    -------
    dict
        mm³ by colour before and after; empty where the file has no square table of them.
    """
    for key, value in settings.items():
        if tight(key) in MATRICES:
            numbers = numbers_in(value)
            colours = math.isqrt(len(numbers))
            if colours > 1 and colours**2 == len(numbers) and min(numbers) >= 0:
                return {
                    (before, after): numbers[before * colours + after]
                    for before in range(colours)
                    for after in range(colours)
                    if before != after
                }
    return {}


def matrix_of(pairs: Sequence[PurgePair], settings: Mapping[str, str]) -> dict[Pair, float]:
    """Return the volume of every change that occurs, at multiplier 1.

    Parameters
    ----------
    pairs : sequence of PurgePair
        As they are laid.
    settings : mapping
        Of the file: its own matrix comes first; else what is laid, over the file's multiplier.
    """
    said, now = matrix_said(settings), multiplier_said(settings)
    return {
        (pair.before, pair.after): said.get((pair.before, pair.after), pair.each_mm3 / now) for pair in pairs
    }


def purge_outlook(
    pairs: Sequence[PurgePair],
    matrix: Mapping[Pair, float],
    multiplier: float,
    limits: PurgeLimits = PurgeLimits(),
) -> PurgeOutlook:
    """Return what the same changes would purge at another multiplier.

    Parameters
    ----------
    pairs : sequence of PurgePair
        As they are now.
    matrix : mapping
        mm³ by pair at multiplier 1, as `matrix_of` gives it or as typed.
    multiplier : float
        Zero or more, as a slicer counts it.
    limits : PurgeLimits
        Of the changes.

    Raises
    ------
    ValueError
        The multiplier is negative.
    """
    if multiplier < 0:
        raise ValueError(tr("give a multiplier of zero or more"))
    volume, mass, held = 0.0, 0.0, 0
    for pair in pairs:
        of = pair.before, pair.after
        wanted = matrix[of] * multiplier
        held += pair.changes * limits.at_floor(of, wanted)
        every = pair.changes * limits.held(of, wanted)
        volume += every
        # Each pair keeps the density of the colours it is made of.
        mass += every * (pair.mass_g / pair.volume_mm3 if pair.volume_mm3 else 0.0)
    return PurgeOutlook(multiplier, volume, mass, held)


def minimum_multiplier(matrix: Mapping[Pair, float], limits: PurgeLimits) -> float:
    """Return the multiplier under which every change is held by its minimum, so that less changes nothing.

    Parameters
    ----------
    matrix : mapping
        mm³ by pair at multiplier 1.
    limits : PurgeLimits
        Of the changes.
    """
    return min((limits.least(pair) / volume for pair, volume in matrix.items() if volume), default=0.0)


@dataclass(frozen=True, slots=True)
class Share:
    """What one piece of a plate takes.

    Parameters
    ----------
    copies : int
        Pieces on the plate.
    waste_g : float
        Its share of purge and tower.
    mass_g : float
        All that is laid for it, waste included.
    time_s : float
        Its own printing and its share of the changes.
    """

    copies: int
    waste_g: float
    mass_g: float
    time_s: float


def shares_by_batch(sliced: Sliced, ledger: PurgeLedger, useful: int, copies: Sequence[int]) -> list[Share]:
    """Return what each useful piece takes when other numbers of them share a plate.

    Parameters
    ----------
    sliced : Sliced
        The file, planned.
    ledger : PurgeLedger
        Of the file.
    useful : int
        Useful pieces on its plate: a second object that purge goes into is one, if it is of use.
    copies : sequence of int
        Numbers of pieces to tell it for: all of a plate share the same changes.

    Raises
    ------
    ValueError
        There is no piece.
    """
    if useful < 1 or min(copies, default=1) < 1:
        raise ValueError(tr("a plate holds at least one piece"))
    features = sliced.by_feature()
    shared_s = sliced.waits().get(StopKind.TOOL.value, 0.0) + sum(
        features[feature].time_s for feature in (Feature.TOWER, Feature.PURGE) if feature in features
    )
    own_g, own_s = sliced.mass_g - ledger.mass_g, sliced.time_s - shared_s
    return [
        Share(
            count,
            ledger.mass_g / count,
            own_g / useful + ledger.mass_g / count,
            own_s / useful + shared_s / count,
        )
        for count in copies
    ]
