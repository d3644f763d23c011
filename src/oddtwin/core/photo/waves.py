"""Ringing behind a corner and vertical bands: how strong, how long, and how sure.

The light that leaves a wave of the surface goes with its slope; its contrast is told in % of the local
light. A wave is fitted by its shape (a damped or an even cosine) with cosine and sine free (variable
projection); how sure it is comes from leaving out each strip in turn (the jackknife).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

import numpy as np

from oddtwin.core.arrays import Floats, Interval
from oddtwin.core.language import tr
from oddtwin.core.photo.crop import Crop, RefusedError
from oddtwin.core.photo.strips import Strips, searched, strips_of

AT_MM: Final = 2.0
"""Millimetres from the corner at which the contrast is told."""
LEVEL: Final = 0.01
LEAST_CONTRAST: Final = 0.003
LONGEST_WAVE: Final = 5.0
USUAL_SHAPE: Final = (2.0, 4.0)
"""Wavelength and damping, mm, of the ringing whose smallest size is told where none was found."""
LONGEST_DAMPING: Final = 10.0
LEAST_WAVES: Final = 3.0
MOST_UNEVEN: Final = 2.0
"""Times that a band may be stronger in one half of the wall than in the other."""
ALIKE: Final = 0.08
"""Logarithm of wavelengths that are one."""
LENS: Final = 0.015
"""Share of a contrast that the lens and the curve of light take away, and that no strip shows."""
MOST_COHERENT: Final = 0.6
"""Share of what is left that both halves of the strips have in common, above which it is something else."""


@dataclass(frozen=True, slots=True)
class Wave:
    """A wave that was found.

    Parameters
    ----------
    contrast : float
        Share of the local light: 2 mm from the corner, or of bands everywhere.
    contrast_ci95 : tuple of float
    u : float
        Standard uncertainty of the contrast, within this one picture.
    wavelength_mm, wavelength_u : float
    damping_mm : float or None
        None of bands.
    frequency_hz : float or None
        Where speed and acceleration are known.
    p : float
        Of so good a fit by luck.
    """

    contrast: float
    contrast_ci95: Interval
    u: float
    wavelength_mm: float
    wavelength_u: float
    damping_mm: float | None
    frequency_hz: float | None
    p: float


@dataclass(frozen=True, slots=True)
class NoWave:
    """No wave was found: chance of the best fit by luck, and the contrast that would have been seen."""

    p: float
    smallest: float
    reason: str = ""


@dataclass(frozen=True, slots=True)
class Motion:
    """How the wall was printed: speed, mm/s, and acceleration, mm/s² (None where nobody says)."""

    speed: float | None = None
    accel: float | None = None

    def travelled(self, way: Floats) -> Floats:
        """Return the way that the same time would take at full speed, mm: on the ramp more than was gone."""
        if self.speed is None or self.accel is None:
            return way
        ramp = self.speed**2 / (2 * self.accel)
        slow = self.speed * np.sqrt(2 * np.maximum(way, 0.0) / self.accel)
        found: Floats = np.where(way < ramp, slow, 2 * ramp + way - ramp)
        return found


def find_ringing(
    crop: Crop,
    motion: Motion = Motion(),
    layer_mm: float | None = None,
    corner: str = "left",
    seed: int = 1,
    lead: int = 0,
) -> Wave | NoWave:
    """Look for ringing behind a corner.

    Parameters
    ----------
    crop : Crop
        Of the wall, from the corner on.
    motion : Motion
        How it was printed; without acceleration no frequency is told.
    layer_mm : float or None
        Height of a layer.
    corner : str
        Side of the region on which the corner lies.
    seed : int
        Of the sign flips.
    lead : int
        Columns before the corner, where only its edge is looked for.

    Raises
    ------
    RefusedError
        The region is too small.
    """
    strips = strips_of(crop, layer_mm, corner, lead)
    # On the ramp of the acceleration the same time takes less way: in time the wave is even.
    way = motion.travelled(strips.way)
    shapes = _shapes(float(way[-1]))
    strips, band = _without_band(strips, seed)
    templates = np.stack([_damped(way, wave, damp) for wave, damp in shapes])
    best, p = searched(strips, templates, np.random.default_rng(seed))
    wave, damp = _refined(strips, lambda w, d: _damped(way, w, d), shapes[best])
    amplitude = _amplitude(strips, _damped(way, wave, damp), strips.mean)
    at = float(Motion.travelled(motion, np.array([AT_MM]))[0])
    contrast = amplitude * math.exp(-at / damp)
    # Of a usual wave, not of whatever fitted the surface best.
    smallest = _smallest(strips, _damped(way, *USUAL_SHAPE)) * math.exp(-at / USUAL_SHAPE[1])
    failed = _why_not(strips, _damped(way, wave, damp), contrast, wave, damp, p)
    if failed is None and band is not None and contrast < band.contrast:
        # What is left of a band whose period is not known to all digits looks like a weak wave of its own.
        alike = abs(math.log(wave / band.wavelength_mm)) < ALIKE
        failed = tr("what stands out is what is left of the bands") if alike else None
    if failed is not None:
        return NoWave(p, smallest, failed)

    def again(rows: Floats) -> tuple[float, float, float]:
        one = _refined(_of_rows(strips, rows), lambda w, d: _damped(way, w, d), (wave, damp), near=True)
        size = _amplitude(strips, _damped(way, *one), rows.mean(axis=0)) * math.exp(-at / one[1])
        return math.log(max(size, 1e-9)), math.log(one[0]), math.log(one[1])

    errors, df = _jackknife(strips.profiles, again)
    own = math.hypot(errors[0], LENS)
    known = motion.speed is not None and motion.accel is not None
    return Wave(
        contrast,
        _log_interval(contrast, own, df),
        contrast * own,
        wave,
        wave * errors[1],
        damp,
        motion.speed / wave if known and motion.speed else None,
        p,
    )


def _shapes(length: float) -> list[tuple[float, float]]:
    """Wavelengths and dampings that are tried on a wall of a length, mm."""
    if length < LEAST_WAVES * 0.5:
        raise RefusedError(tr("the region is too short for three waves; mark a longer one"))
    # Evenly on the logarithm: a wave is told as sharply, relatively, whether it is short or long.
    waves = np.geomspace(0.35, min(LONGEST_WAVE, length / LEAST_WAVES), 44).tolist()
    damps = np.geomspace(0.8, LONGEST_DAMPING, 9).tolist()
    # What dies away within half a wave is a bump.
    return [(wave, damp) for wave in waves for damp in damps if damp >= 0.5 * wave]


def find_bands(crop: Crop, layer_mm: float | None = None, seed: int = 1) -> Wave | NoWave:
    """Look for even vertical bands.

    Parameters
    ----------
    crop : Crop
        Of the wall.
    layer_mm : float or None
        Height of a layer.
    seed : int
        Of the sign flips.

    Raises
    ------
    RefusedError
        The region is too small.
    """
    return _bands(strips_of(crop, layer_mm), seed)


def _bands(strips: Strips, seed: int) -> Wave | NoWave:
    length = float(strips.way[-1])
    waves = np.geomspace(0.35, min(8.0, length / LEAST_WAVES), 240)
    templates = np.stack([_even(strips.way, wave) for wave in waves.tolist()])
    best, p = searched(strips, templates, np.random.default_rng(seed))
    wave, _ = _refined(strips, lambda w, _: _even(strips.way, w), (float(waves[best]), 1.0), fixed=True)
    contrast = _amplitude(strips, _even(strips.way, wave), strips.mean)
    smallest = _smallest(strips, _even(strips.way, wave))
    if p > LEVEL or contrast < LEAST_CONTRAST / 2:
        return NoWave(p, smallest, tr("no even wave stands out"))
    # Ringing begins at a corner and dies away; a band has no beginning.
    near, far = (_part(strips, wave, half) for half in (0, 1))
    if max(near, far) > MOST_UNEVEN * min(near, far):
        return NoWave(
            p, smallest, tr("what stands out dies away along the wall, so it is no band but ringing")
        )

    def again(rows: Floats) -> tuple[float, float]:
        # In logarithms, for neither contrast nor length can fall below zero, and their errors are relative.
        one, _ = _refined(
            _of_rows(strips, rows), lambda w, _: _even(strips.way, w), (wave, 1.0), fixed=True, near=True
        )
        return math.log(max(_amplitude(strips, _even(strips.way, one), rows.mean(axis=0)), 1e-9)), math.log(
            one
        )

    errors, df = _jackknife(strips.profiles, again)
    return Wave(
        contrast,
        _log_interval(contrast, errors[0], df),
        contrast * errors[0],
        wave,
        wave * errors[1],
        None,
        None,
        p,
    )


def _part(strips: Strips, wave: float, half: int) -> float:
    """Amplitude of an even wave in the first or the second half of the wall."""
    middle = len(strips.way) // 2
    some = slice(0, middle) if half == 0 else slice(middle, None)
    slow = np.linalg.qr(strips.slow[some])[0]
    template = _even(strips.way[some], wave)
    clean = template - (template @ slow) @ slow.T
    mean = strips.mean[some]
    fit, *_ = np.linalg.lstsq(clean.T, mean - slow @ (slow.T @ mean), rcond=None)
    return float(np.hypot(*fit))


def _without_band(strips: Strips, seed: int) -> tuple[Strips, Wave | None]:
    """Take even bands out of the strips, as the far half shows them: there the ringing has died away."""
    half = len(strips.way) // 2
    far = Strips(
        strips.way[half:], strips.profiles[:, half:], np.linalg.qr(strips.slow[half:])[0], np.ones(1)
    )
    far = Strips(far.way, far.profiles, far.slow, np.full(len(far.way) // 2 + 1, 1.0))
    if float(far.way[-1] - far.way[0]) < 4.0:
        return strips, None
    found = _bands(far, seed)
    if isinstance(found, NoWave) or found.contrast < 2 * LEAST_CONTRAST / 3:
        return strips, None
    both = _even(strips.way, found.wavelength_mm).T
    fit, *_ = np.linalg.lstsq(
        both[half:] - far.slow @ (far.slow.T @ both[half:]), far.profiles.mean(axis=0), rcond=None
    )
    profiles = strips.profiles - both @ fit
    # The band is among what does not count from here on, in the fit as in what is searched.
    slow = np.linalg.qr(np.concatenate([strips.slow, both], axis=1))[0]
    return Strips(strips.way, profiles - (profiles @ slow) @ slow.T, slow, strips.white), found


def _why_not(
    strips: Strips, template: Floats, contrast: float, wave: float, damp: float, p: float
) -> str | None:
    if p > LEVEL:
        return tr("no wave stands out from the surface")
    if contrast < LEAST_CONTRAST:
        return tr("what stands out is weaker than 0.3 %")
    if damp >= 0.98 * LONGEST_DAMPING:
        return tr("what stands out does not die away, so it is no ringing but bands")
    if damp < 0.6 * wave or wave > LONGEST_WAVE:
        return tr("what stands out is one bump and no wave, such as a seam")
    if _coherent(strips, template) > MOST_COHERENT:
        return tr("what stands out is something else that all layers share, such as a seam or a wavy wall")
    return None


def _coherent(strips: Strips, template: Floats) -> float:
    """Share of what the fit leaves that both halves of the strips have in common."""
    # Every other strip, so that neither half has a part of the wall for itself.
    halves = [strips.profiles[place::2].mean(axis=0) for place in (0, 1)]
    left = [half - _fitted(strips, template, half) for half in halves]
    both = float(left[0] @ left[1])
    whole = math.sqrt(float(left[0] @ left[0]) * float(left[1] @ left[1]))
    return max(0.0, both / whole) if whole > 0 else 0.0


def _damped(way: Floats, wave: float, damp: float) -> Floats:
    fall = np.exp(-way / damp)
    turn = 2 * math.pi * way / wave
    found: Floats = np.stack([fall * np.cos(turn), fall * np.sin(turn)])
    return found


def _even(way: Floats, wave: float) -> Floats:
    turn = 2 * math.pi * way / wave
    found: Floats = np.stack([np.cos(turn), np.sin(turn)])
    return found


def _coefficients(strips: Strips, template: Floats, mean: Floats) -> Floats:
    white = strips.whitened(template)
    fit, *_ = np.linalg.lstsq(white.T, strips.whitened(mean[None, :])[0], rcond=None)
    found: Floats = fit
    return found


def _fitted(strips: Strips, template: Floats, mean: Floats) -> Floats:
    wave = _coefficients(strips, template, mean) @ template
    found: Floats = wave - strips.slow @ (strips.slow.T @ wave)
    return found


def _amplitude(strips: Strips, template: Floats, mean: Floats) -> float:
    return float(np.hypot(*_coefficients(strips, template, mean)))


def _smallest(strips: Strips, template: Floats) -> float:
    """Contrast that would have been found: four standard errors of the fit, a search costs that much."""
    rows = strips.whitened(strips.profiles)
    white = strips.whitened(template)
    inverse = np.linalg.pinv(white @ white.T)
    scatter = float((rows - rows.mean(axis=0)).var(axis=0, ddof=1).mean()) / len(rows)
    return 4 * math.sqrt(scatter * float(np.trace(inverse)) / 2)


def _refined(
    strips: Strips,
    shape: Callable[[float, float], Floats],
    start: tuple[float, float],
    *,
    fixed: bool = False,
    near: bool = False,
) -> tuple[float, float]:
    """Return wavelength and damping with the best fit near a start; ``fixed`` holds the damping."""
    from scipy.optimize import minimize

    target = strips.whitened(strips.mean[None, :])[0]

    def loss(some: Floats) -> float:
        white = strips.whitened(shape(math.exp(some[0]), start[1] if fixed else math.exp(some[1])))
        fit, *_ = np.linalg.lstsq(white.T, target, rcond=None)
        return float(((target - fit @ white) ** 2).sum())

    first = np.log(np.array(start[:1] if fixed else start))
    step = 0.01 if near else 0.04
    simplex = np.concatenate([first[None, :], first + step * np.eye(len(first))])
    found = minimize(
        loss,
        first,
        method="Nelder-Mead",
        options={"initial_simplex": simplex, "xatol": 2e-4, "fatol": 1e-10, "maxiter": 90 if near else 200},
    )
    wave = math.exp(found.x[0])
    damp = start[1] if fixed else min(math.exp(found.x[1]), LONGEST_DAMPING)
    return wave, damp


def _of_rows(strips: Strips, rows: Floats) -> Strips:
    return Strips(strips.way, rows, strips.slow, strips.white)


def _jackknife(profiles: Floats, of: Callable[[Floats], tuple[float, ...]]) -> tuple[list[float], int]:
    """Return standard errors by leaving out each strip in turn, and their degrees of freedom."""
    count = len(profiles)
    left = np.array([of(np.delete(profiles, place, axis=0)) for place in range(count)])
    errors = np.sqrt((count - 1) / count * ((left - left.mean(axis=0)) ** 2).sum(axis=0))
    return errors.tolist(), count - 1


def _log_interval(value: float, error: float, df: int) -> Interval:
    from scipy.special import stdtrit

    reach = float(stdtrit(df, 0.975)) * error
    return value * math.exp(-reach), value * math.exp(reach)
