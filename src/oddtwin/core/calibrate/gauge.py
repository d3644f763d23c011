"""Instrument study: how much of what readings differ by is the instrument, who reads it, and the pieces.

Pieces and people are crossed and random; components of variance come from the mean squares, and those below
zero are zero. The interaction is pooled with the repeats where nothing shows it (p of .25 and more).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.calibrate.fits import ends_of
from oddtwin.core.calibrate.result import CalibrationError, Result, said
from oddtwin.core.calibrate.rows import Row, step_of
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number, format_reading

POOLED: Final = 0.25
DRAWS: Final = 2000
KINDS: Final = 1.41
"""Two pieces are of different kinds where they are so many standard deviations of the gauge apart (AIAG, from
memory)."""


@dataclass(frozen=True, slots=True)
class Components:
    """Standard deviations of what readings differ by.

    Parameters
    ----------
    repeats : float
        The same person, the same piece.
    people, interaction, pieces : float
    p_interaction : float or None
        None where there is one person.
    pooled : bool
        Whether the interaction was taken for repeats.
    """

    repeats: float
    people: float
    interaction: float
    pieces: float
    p_interaction: float | None
    pooled: bool

    @property
    def gauge(self) -> float:
        """Of the instrument in anybody's hands."""
        return math.sqrt(self.repeats**2 + self.people**2 + self.interaction**2)

    @property
    def total(self) -> float:
        """Of everything."""
        return math.hypot(self.gauge, self.pieces)


def components_of(data: Floats, pool: bool | None = None) -> Components:
    """Return the components of a crossed study.

    Parameters
    ----------
    data : array of shape (people, repeats, pieces)
        Two repeats and two pieces at least.
    pool : bool, optional
        Whether the interaction counts as repeats; by its p where it is not given.
    """
    people, repeats, pieces = data.shape
    grand = data.mean()
    by_person, by_piece, cells = data.mean(axis=(1, 2)), data.mean(axis=(0, 1)), data.mean(axis=1)
    ss_people = repeats * pieces * float(((by_person - grand) ** 2).sum())
    ss_pieces = people * repeats * float(((by_piece - grand) ** 2).sum())
    ss_cells = repeats * float(((cells - grand) ** 2).sum())
    ss_between = max(0.0, ss_cells - ss_people - ss_pieces)
    ss_repeats = float(((data - cells[:, None, :]) ** 2).sum())
    df_between, df_repeats = (people - 1) * (pieces - 1), people * pieces * (repeats - 1)
    ms_repeats = ss_repeats / df_repeats
    p = None
    if df_between:
        p = _p_of(ss_between / df_between, ms_repeats, df_between, df_repeats)
    pooled = (p is None or p >= POOLED) if pool is None else pool
    error = (ss_between + ss_repeats) / (df_between + df_repeats) if pooled else ms_repeats
    # Of random pieces and people both are held against what they do to one another, not against repeats.
    against = error if pooled else ss_between / max(df_between, 1)
    between = 0.0 if pooled else max(0.0, (against - error) / repeats)
    of_people = 0.0
    if people > 1:
        of_people = max(0.0, (ss_people / (people - 1) - against) / (repeats * pieces))
    of_pieces = max(0.0, (ss_pieces / (pieces - 1) - against) / (people * repeats))
    return Components(
        math.sqrt(error), math.sqrt(of_people), math.sqrt(between), math.sqrt(of_pieces), p, pooled
    )


def _p_of(ms: float, error: float, df: int, df_error: int) -> float:
    from scipy.special import fdtrc

    if error <= 0:
        return 1.0 if ms <= 0 else 0.0
    return float(fdtrc(df, df_error, ms / error))


def instrument_study(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return the share of variation that is the instrument, and whether it can see the margin.

    Parameters
    ----------
    rows : sequence of Row
        ``piece``, ``person`` and ``reading``.
    options : mapping
        Maybe ``margin``, the smallest difference that matters.

    Raises
    ------
    CalibrationError
        Not every person read every piece equally often, or there is one piece or one reading of each.
    """
    data = _crossed(rows)
    found = components_of(data)
    step = step_of(rows, "reading")
    if found.total <= 0:
        raise CalibrationError(
            tr("All readings are the same: the pieces, or the steps of the instrument, tell nothing.")
        )
    percent = 100 * found.gauge / found.total
    kinds = math.floor(KINDS * found.pieces / found.gauge) if found.gauge else None
    ends = _drawn(data.shape, found)
    limit = 1.96 * math.sqrt(2) * max(found.gauge, step / math.sqrt(12))
    told = tr(
        "The instrument makes {said} of what readings differ by; two readings of one "
        "piece differ by up to {limit} in 95 of 100 cases.",
        said=said(percent, "%", ends, 0),
        limit=format_number(limit, 3),
    )
    seen, advice = _margin_words(limit, options.get("margin"))
    told += seen
    more = {
        "kinds": kinds,
        "repeatability_limit": limit,
        "p_interaction": found.p_interaction,
        "pooled": found.pooled,
    }
    warnings = [] if data.shape[0] > 1 else [tr("One person read: what people differ by is not known.")]
    if step > found.gauge > 0 or not found.gauge:
        warnings.append(
            tr(
                "The step of {step} is as large as what readings scatter by: it hides what they differ by.",
                step=format_reading(step),
            )
        )
    return Result(percent, "%", ends, told, advice, tuple(warnings), _table(found), more)


def _table(found: Components) -> tuple[dict[str, Any], ...]:
    """Return what readings differ by, source by source."""
    parts = (
        ("repeats", found.repeats),
        ("people", found.people),
        (tr("people × pieces"), found.interaction),
        (tr("instrument in all"), found.gauge),
        ("pieces", found.pieces),
        ("total", found.total),
    )
    return tuple({"source": name, "sd": sd, "percent_of_study": 100 * sd / found.total} for name, sd in parts)


def _margin_words(limit: float, margin: float | None) -> tuple[str, str]:
    """Return whether a margin can be seen, and what to do where it cannot."""
    if not margin:
        return "", ""
    if limit <= margin:
        return tr(" It can see a margin of {margin}.", margin=format_number(margin)), ""
    # The mean of n readings scatters by the root of n less.
    needed = math.ceil((limit / margin) ** 2)
    told = tr(" It cannot see a margin of {margin} by one reading.", margin=format_number(margin))
    return told, tr("read each piece {needed} times, or take a finer instrument", needed=needed)


def _crossed(rows: Sequence[Row]) -> Floats:
    """Return the readings; shape (people, repeats, pieces)."""
    cells: dict[tuple[str, str], list[float]] = {}
    for row in rows:
        cells.setdefault((row["person"] or "", row["piece"]), []).append(row["reading"])
    people = list(dict.fromkeys(person for person, _ in cells))
    pieces = list(dict.fromkeys(piece for _, piece in cells))
    counts = {len(cells.get((person, piece), ())) for person in people for piece in pieces}
    if len(counts) > 1:
        raise CalibrationError(
            tr("Every person reads every piece, all equally often; some readings are missing.")
        )
    if len(pieces) < 2 or counts.pop() < 2:
        raise CalibrationError(
            tr("Take two pieces or more, and let each person read each of them twice or more.")
        )
    return np.array([np.array([cells[person, piece] for piece in pieces]).T for person in people])


def _drawn(shape: tuple[int, ...], found: Components) -> tuple[float, float]:
    """Return the 95 % interval of the share, from studies that are drawn as this one came out."""
    rng = np.random.default_rng(0)
    people, repeats, pieces = shape
    shares = []
    for _ in range(DRAWS):
        data = rng.normal(0, found.repeats or 1e-12, (people, repeats, pieces))
        data += (
            rng.normal(0, 1, (people, 1, 1)) * found.people + rng.normal(0, 1, (1, 1, pieces)) * found.pieces
        )
        data += rng.normal(0, 1, (people, 1, pieces)) * found.interaction
        # Pooled as the study was: choosing anew in each draw would mix two models.
        drawn = components_of(data, found.pooled)
        shares.append(100 * drawn.gauge / drawn.total if drawn.total else 100.0)
    return ends_of(np.array(shares))
