"""The sliced files of a study, and what their check found."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from oddtwin.core.study.workshop import Machine


@dataclass(frozen=True, slots=True)
class ArmFile:
    """The sliced file of one arm and piece.

    Parameters
    ----------
    id, arm_id : int
        In the lab book.
    piece_id : int or None
        Which piece; None where the study names none.
    sha256 : str
        Hash of the content, under which the lab book keeps it.
    name : str
        As it was called when it was chosen.
    size, layers : int
        Bytes, and layers of the print.
    filament_mm, waste_mm : float
        Filament that it takes, and what of it does not stay on the part.
    waste_known : bool
        Whether the file tells what is waste; else ``waste_mm`` says nothing.
    volume_mm3, mass_g : float
        Of that filament as the file says it, mm³ and g; zero in files that were chosen before this was kept.
    seconds : mapping
        Predicted seconds of moves and waits by machine id, without heating and homing.
    """

    id: int
    arm_id: int
    piece_id: int | None
    sha256: str
    name: str
    size: int = 0
    layers: int = 0
    filament_mm: float = 0.0
    waste_mm: float = 0.0
    waste_known: bool = True
    volume_mm3: float = 0.0
    mass_g: float = 0.0
    seconds: Mapping[int, float] = field(default_factory=dict)

    def minutes_on(self, machine: Machine) -> float | None:
        """Return the predicted minutes on a machine with heating and homing; None where not predicted."""
        seconds = self.seconds.get(machine.id)
        return None if seconds is None else seconds / 60 + machine.overhead_min


@dataclass(frozen=True, slots=True)
class TwinCheckResult:
    """The twin check of one piece's files, as `toolpath.match.as_json` gives it, and when it was made."""

    id: int
    piece_id: int | None
    at: datetime
    result: Mapping[str, Any]
