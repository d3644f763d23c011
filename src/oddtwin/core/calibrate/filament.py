"""Filament: what is left on a spool, how thick it is, and its density by a weighed strand."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, Final

import numpy as np

from oddtwin.core.calibrate.fits import mean_of
from oddtwin.core.calibrate.result import CalibrationError, Result, said
from oddtwin.core.calibrate.rows import Row, step_of
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import format_reading, format_signed

USUAL_DENSITY: Final = 1.24
THICK: Final = 0.15


def spool_left(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return the grams that are left, the length that makes, and diameter and density with their scatter.

    Parameters
    ----------
    rows : sequence of Row
        Any of ``spool_g`` (spool and all), ``core_g`` (empty spool), ``diameter_mm``, and ``strand_g`` with
        ``strand_mm``: its length.
    options : mapping
        ``density`` in g/cm³ where no strand was weighed; ``nominal`` diameter in mm.

    Raises
    ------
    CalibrationError
        Neither a weight with its empty spool nor a diameter is there, or the spool is lighter than its core.
    """

    def column(name: str) -> list[float]:
        return [row[name] for row in rows if row[name] is not None]

    spool, core, diameter = column("spool_g"), column("core_g"), column("diameter_mm")
    strands = [(row["strand_g"], row["strand_mm"]) for row in rows if row["strand_g"] and row["strand_mm"]]
    nominal = options["nominal"]
    more: dict[str, Any] = {}
    warnings: list[str] = []
    told: list[str] = []
    thick = nominal
    if diameter:
        # Flow goes with the square of the diameter: what was measured counts, not what stands on the box.
        thick = _thickness(diameter, step_of(rows, "diameter_mm"), nominal, more, told, warnings)
    density = options["density"]
    if strands:
        density = _density(strands, thick, more, told)
    if not spool or not core:
        if diameter:
            return Result(
                more["diameter_mm"],
                "mm",
                more["diameter_ci95"],
                " ".join(told),
                "",
                tuple(warnings),
                more=more,
            )
        raise CalibrationError(
            tr("Give the weight of the spool and of the same spool when empty, or diameters.")
        )
    left = float(np.mean(spool)) - float(np.mean(core))
    if left < 0:
        raise CalibrationError(tr("The spool weighs less than its empty core; check which is which."))
    metres = left / (density * math.pi / 4 * thick**2)
    more |= {"metres": metres, "core_g": float(np.mean(core))}
    steps = math.hypot(step_of(rows, "spool_g"), step_of(rows, "core_g")) / math.sqrt(12)
    ends = (max(0.0, left - 1.96 * steps), left + 1.96 * steps)
    sentence = tr(
        "{said} are left, about {said2}. {told}",
        said=said(left, "g", ends, 1), said2=said(metres, "m", decimals=0), told=" ".join(told),
    )  # fmt: skip
    return Result(left, "g", ends, sentence.strip(), "", tuple(warnings), more=more)


def _density(
    strands: Sequence[tuple[float, float]], thick: float, more: dict[str, Any], told: list[str]
) -> float:
    """Return the density of weighed strands, g/cm³, and say it."""
    # Grams over cubic millimetres, times a thousand.
    read = mean_of([1000 * grams / (length * math.pi / 4 * thick**2) for grams, length in strands])
    more |= {"density_g_cm3": read.value, "density_ci95": read.ci95}
    noun = trn("strand", "strands", read.n)
    told.append(
        tr("Density {said} by {n} {noun}.", said=said(read.value, "g/cm³", read.ci95, 3), n=read.n, noun=noun)
    )
    return read.value


def _thickness(
    read: Sequence[float],
    step: float,
    nominal: float,
    more: dict[str, Any],
    told: list[str],
    warnings: list[str],
) -> float:
    """Return the mean diameter, and say it."""
    mean = mean_of(read, step)
    flow = 100 * (mean.value / nominal) ** 2 - 100
    more |= {
        "diameter_mm": mean.value, "diameter_ci95": mean.ci95, "diameter_sd": mean.sd, "flow_percent": flow,
    }  # fmt: skip
    told.append(tr("Diameter {said}.", said=said(mean.value, "mm", mean.ci95, 3)))
    told.append(
        tr(
            "That is {flow} % of filament against {nominal} mm.",
            flow=format_signed(flow, 1),
            nominal=format_reading(nominal),
        )
    )
    if abs(mean.value - nominal) > THICK:
        warnings.append(
            tr(
                "The diameter is far from {nominal} mm; check the calliper and the spool.",
                nominal=format_reading(nominal),
            )
        )
    return mean.value
