"""The noise floors of a workshop: on each machine and piece, how old, and whether they move."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any, Final

from oddtwin.core.effects import NoiseFloor
from oddtwin.core.language import mark, tr, trn
from oddtwin.core.quantities import decimals_for, format_number, format_p, with_unit

MOVED: Final = 0.05
"""Below this p the last twins scatter otherwise than those before."""


@dataclass(frozen=True, slots=True)
class TwinsSeen:
    """The twins of one response in one study, on one machine and piece.

    Parameters
    ----------
    response, unit, machine, piece, instrument : str
        Of what, read with what; each may be empty where none was chosen or named.
    study : str
        Its name.
    at : datetime
        When they were printed.
    squares : float
        Sum of squared differences from the mean of each group of twins, in the unit squared.
    df : float
        Degrees of freedom.
    """

    response: str
    unit: str
    machine: str
    piece: str
    instrument: str
    study: str
    at: datetime
    squares: float
    df: float


@dataclass(frozen=True, slots=True)
class KeptFloor:
    """What twins of a response differ on one machine and piece, read with one instrument, over all studies.

    Parameters
    ----------
    response, unit, machine, piece, instrument : str
        Of what, read with what.
    noise : NoiseFloor
        Pooled over the studies.
    studies : int
        How many.
    last : datetime
        When twins were printed last.
    ratio : float or None
        Standard deviation of the last study over that of all before; None with one study alone.
    p : float or None
        Two-sided p of the F test of the two variances; None as above.
    asked : int
        Of how many floors this is asked at once (Bonferroni): of twenty, one moves by luck.
    """

    response: str
    unit: str
    machine: str
    piece: str
    instrument: str
    noise: NoiseFloor
    studies: int
    last: datetime
    ratio: float | None = None
    p: float | None = None
    asked: int = 1

    @property
    def moved(self) -> bool:
        """Whether the last twins scatter otherwise than those before, so many floors being looked at."""
        return self.p is not None and self.p * self.asked < MOVED

    @property
    def drift(self) -> str:
        """What to think of the last twins beside those before; empty with one study alone."""
        if self.ratio is None or self.p is None:
            return ""
        told = tr("last {ratio} × those before", ratio=format_number(self.ratio, 1))
        if not self.moved:
            return tr("{told}, as by luck (p = {p})", told=told, p=format_p(self.p))
        return tr("{told} (p = {p}): look for what changed", told=told, p=format_p(self.p))


def noise_floors(seen: Iterable[TwinsSeen]) -> list[KeptFloor]:
    """Pool the twins of a workshop, and compare the last study with those before it.

    Parameters
    ----------
    seen : iterable of TwinsSeen
        In any order.

    Returns
    -------
    list of KeptFloor
        By response, machine, piece and instrument. Scatter is compared by the F test of two variances.
    """
    groups: dict[tuple[str, ...], list[TwinsSeen]] = defaultdict(list)
    for one in seen:
        if one.df > 0:
            groups[one.response, one.unit, one.machine, one.piece, one.instrument].append(one)
    found = [_pooled(sorted(group, key=lambda one: one.at)) for _, group in sorted(groups.items())]
    asked = sum(one.p is not None for one in found)
    return [replace(one, asked=max(1, asked)) for one in found]


def _pooled(group: Sequence[TwinsSeen]) -> KeptFloor:
    noise = _noise(group)
    last, before = group[-1], group[:-1]
    ratio = p = None
    if before and noise.judges:
        ratio, p = _moved(_noise([last]), _noise(before))
    place = last.response, last.unit, last.machine, last.piece, last.instrument
    return KeptFloor(*place, noise=noise, studies=len(group), last=last.at, ratio=ratio, p=p)


def _noise(group: Sequence[TwinsSeen]) -> NoiseFloor:
    df = sum(one.df for one in group)
    return NoiseFloor(math.sqrt(sum(one.squares for one in group) / df), df)


def _moved(last: NoiseFloor, before: NoiseFloor) -> tuple[float | None, float | None]:
    from scipy.stats import f

    if not before.judges:
        return None, None
    share = (last.sd / before.sd) ** 2
    below = float(f.cdf(share, last.df, before.df))
    return math.sqrt(share), 2 * min(below, 1 - below)


def floor_row(floor: KeptFloor, today: datetime) -> tuple[str, ...]:
    """Return a floor as a row of text, in the columns of ``FLOOR_HEAD``.

    Parameters
    ----------
    floor : KeptFloor
        Any.
    today : datetime
        For its age.
    """
    noise = floor.noise
    places = decimals_for(noise.sd)
    low, high = noise.interval(0.95) if noise.judges else (0.0, 0.0)
    days = max(0, (today - floor.last).days)
    return (
        floor.response,
        floor.machine or "–",
        floor.piece or "–",
        floor.instrument or "–",
        with_unit(format_number(noise.sd, places), floor.unit),
        tr("{low} to {high}", low=format_number(low, places), high=format_number(high, places))
        if noise.judges
        else "–",
        with_unit(format_number(noise.limit, places), floor.unit),
        format_number(noise.df),
        f"{days} {trn('day', 'days', days)}",
        floor.drift or tr("one study alone"),
    )


FLOOR_HEAD: Final = (
    mark("Response"),
    mark("Machine"),
    mark("Piece"),
    mark("Instrument"),
    mark("Scatter of twins"),
    mark("95 % interval"),
    mark("Repeatability limit"),
    mark("Degrees of freedom"),
    mark("Age"),
    mark("Does it move?"),
)


def floors_json(floors: Sequence[KeptFloor]) -> list[dict[str, Any]]:
    """Return floors as figures for a program.

    Parameters
    ----------
    floors : sequence of KeptFloor
        As ``noise_floors`` gives them.
    """
    return [
        {
            "response": one.response,
            "unit": one.unit,
            "machine": one.machine,
            "piece": one.piece,
            "instrument": one.instrument,
            "sd": one.noise.sd,
            "df": one.noise.df,
            "ci95": list(one.noise.interval(0.95)) if one.noise.judges else None,
            "limit": one.noise.limit,
            "studies": one.studies,
            "last": one.last.isoformat(),
            "ratio": one.ratio,
            "p": one.p,
        }
        for one in floors
    ]
