"""Rendered faces with one fault of known size: for eyes that are tested, and as positive controls."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Final

import numpy as np

from oddtwin.core.language import mark, tr
from oddtwin.core.render.kinds import render
from oddtwin.core.render.light import Picture


@dataclass(frozen=True, slots=True)
class TrainedFault:
    """A fault that can be rendered in any size.

    Parameters
    ----------
    name : str
        As the trade calls it.
    kind, setting : str
        What is rendered, and which setting is the size of the fault.
    unit : str
        Of the size.
    start, least, most : float
        A size that everybody sees, and the ends that can be shown.
    others : mapping of str to str
        Settings that stay, with the fault and without.
    sound : mapping of str to str
        Settings of the face without it.
    """

    name: str
    kind: str
    setting: str
    unit: str
    start: float
    least: float
    most: float
    others: Mapping[str, str] = field(default_factory=dict)
    sound: Mapping[str, str] = field(default_factory=dict)


_WALL: Final = {"width_mm": "24", "height_mm": "20", "px_per_mm": "16"}
_FACE: Final = {"width_mm": "24", "height_mm": "20", "px_per_mm": "16"}

FAULTS: Final[tuple[TrainedFault, ...]] = (
    TrainedFault(mark("Ringing"), "ringing", "contrast", "%", 8.0, 0.1, 20.0, _WALL, {"contrast": "0"}),
    TrainedFault(mark("Vertical banding"), "banding", "band", "%", 6.0, 0.1, 20.0, _WALL, {"band": "0"}),
    TrainedFault(
        mark("Layer inconsistency"), "layers", "offset_um", "µm", 12.0, 0.3, 40.0, _WALL, {"offset_um": "0"}
    ),
    TrainedFault(mark("Stringing"), "strings", "string_mm", "mm", 0.3, 0.01, 0.6, _FACE, {"strings": "0"}),
    TrainedFault(mark("Colour bleed"), "bleed", "delta", "share", 0.3, 0.005, 0.8, _FACE, {"delta": "0"}),
    TrainedFault(mark("Overhang droop"), "droop", "droop_mm", "mm", 0.8, 0.02, 3.0, _FACE, {"droop_mm": "0"}),
)
BY_NAME: Final[Mapping[str, TrainedFault]] = {fault.name: fault for fault in FAULTS}


def fault_pair(fault: TrainedFault, size: float, rng: np.random.Generator) -> tuple[Picture, Picture]:
    """Return a face with a fault, and a sound one; they differ in grain and noise as two prints do.

    Parameters
    ----------
    fault : TrainedFault
        Which.
    size : float
        In its unit.
    rng : numpy.random.Generator
        Of everything else.
    """
    # Two seeds: faces with the same grain would be told apart by the grain alone.
    first, second = (int(seed) for seed in rng.integers(0, 2**31, 2))
    return _face(fault, size, first), _face(fault, None, second)


def control_text(fault: TrainedFault, size: float, seed: int) -> str:
    """Return a positive control as the key of a session keeps it."""
    return f"{fault.name}|{size:g}|{seed}"


def rendered_control(text: str) -> Picture:
    """Return the face that a key keeps as text; with ``sound`` before it, the one without the fault.

    Parameters
    ----------
    text : str
        As ``control_text`` writes it.

    Raises
    ------
    ValueError
        It is no such text.
    """
    sound, plain = text.startswith("sound "), text.removeprefix("sound ")
    try:
        name, size, seed = plain.split("|")
        return _face(BY_NAME[name], None if sound else float(size), int(seed) + sound)
    except (KeyError, ValueError):
        raise ValueError(tr("“{text}” is no rendered face", text=text[:60])) from None


def _face(fault: TrainedFault, size: float | None, seed: int) -> Picture:
    settings = {**fault.others, **(fault.sound if size is None else {fault.setting: f"{size:.6g}"})}
    return render(fault.kind, seed, settings)[0]
