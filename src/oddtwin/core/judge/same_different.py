"""Same or different: how often eyes say “different” of odd pairs, and of twins.

In standard deviations of what is seen, by the difference of the two looks (Macmillan and Creelman, Detection
Theory; formulas from memory): P(different | twins) = 2Φ(−k/√2), and
P(different | odd) = Φ((d′ − k)/√2) + Φ((−d′ − k)/√2).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from oddtwin.core.arrays import Interval
from oddtwin.core.judge.discrimination import FARTHEST, exact_share
from oddtwin.core.language import tr


@dataclass(frozen=True, slots=True)
class SameDifferent:
    """What the answers “same” and “different” say.

    Parameters
    ----------
    odd, odd_different : int
        Pairs that do differ, and how often “different” was said of them.
    twins, twins_different : int
        Twin pairs, and how often “different” was said of them: false alarms.
    chance : float
        Of so many more on odd pairs by luck (Fisher's exact test, one-sided).
    hits, false_alarms : float
        Shares; with 95 % intervals beside them.
    d_prime : float or None
        None where twins were never shown, or where everything or nothing was called different.
    """

    odd: int
    odd_different: int
    twins: int
    twins_different: int
    chance: float | None
    hits: float
    hits_ci95: Interval
    false_alarms: float | None
    false_alarms_ci95: Interval | None
    d_prime: float | None


def same_different(odd: int, odd_different: int, twins: int, twins_different: int) -> SameDifferent:
    """Work out what the answers “same” and “different” say.

    Parameters
    ----------
    odd, odd_different, twins, twins_different : int
        As in `SameDifferent`.

    Raises
    ------
    ValueError
        No odd pair was shown, or more were called different than there are.
    """
    if odd < 1 or not 0 <= odd_different <= odd or not 0 <= twins_different <= twins:
        raise ValueError(tr("show odd pairs too, and count no more answers than pairs"))
    hits = odd_different / odd
    false = twins_different / twins if twins else None
    return SameDifferent(
        odd,
        odd_different,
        twins,
        twins_different,
        _fisher(odd, odd_different, twins, twins_different) if twins else None,
        hits,
        exact_share(odd_different, odd, 0.95),
        false,
        exact_share(twins_different, twins, 0.95) if twins else None,
        d_prime_of_shares(hits, false) if false is not None else None,
    )


def d_prime_of_shares(hits: float, false_alarms: float) -> float | None:
    """Return the d′ behind two shares of “different”; None where a share of 0 or 1 leaves it open.

    Parameters
    ----------
    hits, false_alarms : float
        Of odd pairs and of twins, 0 to 1.
    """
    from scipy.optimize import brentq
    from scipy.special import ndtr, ndtri

    # At or below the false alarms nothing is seen, whatever the model.
    if hits <= false_alarms:
        return 0.0
    if not 0 < false_alarms < 1:
        return None
    edge = -math.sqrt(2) * float(ndtri(false_alarms / 2))

    def missing(d: float) -> float:
        root = math.sqrt(2)
        return float(ndtr((d - edge) / root) + ndtr((-d - edge) / root)) - hits

    return float(brentq(missing, 0.0, FARTHEST)) if missing(FARTHEST) > 0 else math.inf


def _fisher(odd: int, odd_different: int, twins: int, twins_different: int) -> float:
    """Chance that so many or more of all “different” fall on odd pairs."""
    said = odd_different + twins_different
    ways = math.comb(odd + twins, said)
    return (
        sum(math.comb(odd, k) * math.comb(twins, said - k) for k in range(odd_different, min(odd, said) + 1))
        / ways
    )
