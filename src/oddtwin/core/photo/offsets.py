"""Layers that are out of line: how far, from their shading in light from above.

A layer that stands out by more than the one below leans the wall there, and a lamp above shows the lean:
contrast = slope / tan(elevation). The noise of both halves of the wall is not the same, the layers are: their
covariance is free of noise. Between neighbours the difference scatters √2 times as much as the layers.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats, Interval
from oddtwin.core.language import tr
from oddtwin.core.photo.crop import Crop, RefusedError
from oddtwin.core.photo.trace import Trace, along
from oddtwin.core.quantities import format_number, format_reading

LEAST_PX: Final = 4.0
FEWEST: Final = 20
BLOCK: Final = 5
USUAL_ELEVATION: Final = 30.0
LENS_PX: Final = 0.5
"""Standard deviation of the blur of a sharp photograph, px (common practice, no source)."""


@dataclass(frozen=True, slots=True)
class LayerOffset:
    """How far layers are out of line.

    Parameters
    ----------
    um, u : float
        Standard deviation of a layer, µm, and its standard uncertainty.
    ci95 : tuple of float
    layers : int
        How many were seen.
    trace : Trace
        Where one ends and the next begins.
    """

    um: float
    u: float
    ci95: Interval
    layers: int
    trace: Trace = field(default_factory=Trace, compare=False)


def layer_offset(crop: Crop, layer_mm: float, elevation_deg: float = USUAL_ELEVATION) -> LayerOffset:
    """Measure how far layers are out of line.

    Parameters
    ----------
    crop : Crop
        A wall lit from above, layers one over the other.
    layer_mm : float
        Height of a layer.
    elevation_deg : float
        Of the lamp above the wall's normal.

    Raises
    ------
    RefusedError
        A layer is smaller than four pixels, or fewer than twenty are in view.
    """
    from scipy.special import stdtrit

    period = layer_mm * crop.scale()
    if period < LEAST_PX:
        raise RefusedError(
            tr(
                "a layer is {period} pixels high, and {LEAST_PX} are needed; come closer with the camera",
                period=format_number(period, 1),
                LEAST_PX=format_reading(LEAST_PX),
            )
        )
    grey = crop.grey
    if grey.shape[0] / period < FEWEST:
        raise RefusedError(tr("fewer than {FEWEST} layers are in view; mark a higher region", FEWEST=FEWEST))
    # Two halves of one wall are two looks at the same layers.
    middle = grey.shape[1] // 2
    halves = [grey[:, :middle].mean(axis=1), grey[:, middle:].mean(axis=1)]
    # Where a layer begins nobody knows: where the two halves agree most.
    phases = np.arange(0, period, 0.5)
    both = [[_by_layer(half, period, float(phase)) for half in halves] for phase in phases]
    chosen = max(range(len(both)), key=lambda one: float(np.mean(both[one][0] * both[one][1])))
    product = both[chosen][0] * both[chosen][1]
    # Between neighbours of opposite sign the lens takes most away.
    factor = layer_mm / _kept(period) * math.tan(math.radians(elevation_deg)) / math.sqrt(2) * 1000
    value = math.sqrt(max(float(product.mean()), 0.0)) * factor
    count = len(product) // BLOCK
    blocks = product[: count * BLOCK].reshape(count, BLOCK).mean(axis=1)
    left = np.sqrt(np.maximum((blocks.sum() - blocks) / (count - 1), 0.0)) * factor
    error = math.sqrt((count - 1) / count * float(((left - left.mean()) ** 2).sum()))
    reach = float(stdtrit(count - 1, 0.975)) * error
    across = np.array([0.0, float(grey.shape[1])])
    edges = np.arange(phases[chosen], grey.shape[0], period)
    trace = Trace(tuple(along(across, np.full(2, edge)) for edge in edges.tolist()))
    return LayerOffset(value, error, (max(0.0, value - reach), value + reach), len(product), trace)


def _kept(period: float) -> float:
    """Share of the contrast of single layers that the lens leaves."""
    leak = LENS_PX / math.sqrt(2 * math.pi) / period
    # Differences of neighbours are correlated by −½; each gives a share to the one on either side.
    return math.sqrt((1 - 2 * leak) ** 2 + 2 * leak**2 - 2 * leak * (1 - 2 * leak))


def _by_layer(profile: Floats, period: float, phase: float) -> Floats:
    """Return the light of each layer, as a share of the light about it."""
    edges = np.arange(phase, len(profile), period)
    sums = np.concatenate(([0.0], np.cumsum(profile)))
    at = np.interp(edges, np.arange(len(sums)), sums)
    layers = np.log(np.maximum(np.diff(at) / period, 1e-6))
    x = np.linspace(-1, 1, len(layers))
    slow = np.linalg.qr(np.stack([x**power for power in range(4)], axis=1))[0]
    found: Floats = layers - slow @ (slow.T @ layers)
    return found
