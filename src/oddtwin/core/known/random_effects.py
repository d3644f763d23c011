"""Random effects: what several studies say together, how much they disagree, and what the next would find."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats, Interval
from oddtwin.core.language import tr

STEPS: Final = 500
CLOSE: Final = 1e-12


@dataclass(frozen=True, slots=True)
class Together:
    """What several effects say together.

    Parameters
    ----------
    k : int
        How many.
    estimate, se : float
        Mean effect and its standard error; of Knapp and Hartung, but never smaller than the plain one.
    ci95 : tuple of float
        Its 95 % interval by t with k − 1 degrees of freedom; by the normal figure of a single one.
    tau : float
        Standard deviation between studies.
    q, p : float
        Cochran's Q, and how often it would be so large if all studies had one effect.
    i2 : float
        Share of the scatter that is between studies, 0 to 1.
    prediction95 : tuple of float or None
        Where the next study's true effect lies in 19 of 20; None below three studies.
    """

    k: int
    estimate: float
    se: float
    ci95: Interval
    tau: float
    q: float
    p: float
    i2: float
    prediction95: Interval | None


def random_effects(effects: Sequence[float], variances: Sequence[float]) -> Together:
    """Pool effects by restricted maximum likelihood.

    Parameters
    ----------
    effects : sequence of float, shape (k,)
        One at least, in one unit.
    variances : sequence of float, shape (k,)
        Of each, above zero, in that unit squared.

    Notes
    -----
    REML for the variance between studies (Viechtbauer 2005, from memory); interval by Knapp and Hartung
    (2003) with the plain standard error as its floor, for studies that agree by luck would else be surer
    together than their own scatter allows; prediction by t with k − 2 degrees of freedom (Higgins et al.
    2009).

    Raises
    ------
    ValueError
        There is none, or a variance is not above zero.
    """
    y, v = np.asarray(effects, np.float64), np.asarray(variances, np.float64)
    if not len(y) or len(y) != len(v) or not (v > 0).all() or not np.isfinite(y).all():
        raise ValueError(tr("every effect needs a variance above zero"))
    from scipy.special import chdtrc, stdtrit

    k = len(y)
    fixed = 1 / v
    q = float((fixed * (y - (fixed * y).sum() / fixed.sum()) ** 2).sum())
    tau2 = reml_tau2(y, v)
    w = 1 / (v + tau2)
    mean = float((w * y).sum() / w.sum())
    plain = 1 / math.sqrt(w.sum())
    if k == 1:
        # One study says nothing of how studies differ: its own interval is all there is.
        reach = 1.959964 * plain
        return Together(1, mean, plain, (mean - reach, mean + reach), 0.0, 0.0, 1.0, 0.0, None)
    knapp = math.sqrt(float((w * (y - mean) ** 2).sum()) / (k - 1)) * plain
    # Studies that happen to agree too well would make it narrower than each of them is known; the larger of
    # the two holds its level then too (Knapp and Hartung with the ad hoc correction, from memory).
    se = max(plain, knapp)
    reach = float(stdtrit(k - 1, 0.975)) * se
    typical = (k - 1) * fixed.sum() / (fixed.sum() ** 2 - (fixed**2).sum())
    next_one = None
    # Of two studies the spread between them rests on a single difference: no next one is foretold from that.
    if k > 2:
        further = float(stdtrit(k - 2, 0.975)) * math.sqrt(tau2 + plain**2)
        next_one = (mean - further, mean + further)
    return Together(
        k,
        mean,
        se,
        (mean - reach, mean + reach),
        math.sqrt(tau2),
        q,
        float(chdtrc(k - 1, q)),
        float(tau2 / (tau2 + typical)),
        next_one,
    )


def reml_tau2(y: Floats, v: Floats) -> float:
    """Return the variance between studies by restricted maximum likelihood; zero where that is on the border.

    Parameters
    ----------
    y, v : array, shape (k,)
        Effects and their variances.
    """
    if len(y) < 2:
        return 0.0
    tau2 = max(0.0, float(y.var(ddof=1) - v.mean()))
    for _ in range(STEPS):
        w = 1 / (v + tau2)
        mean = (w * y).sum() / w.sum()
        # Fisher's scoring: it never overshoots for long, and zero is where it is stopped.
        score = (w**2 * ((y - mean) ** 2 - v)).sum() / (w**2).sum() + 1 / w.sum()
        new = max(0.0, float(score))
        if abs(new - tau2) <= CLOSE * (1 + tau2):
            return new
        tau2 = new
    return tau2
