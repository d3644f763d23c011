"""Lists of the trade that the screens offer; all of it common practice, all editable."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from oddtwin.core.customs.kinds import CONSUMABLE, FIRMWARE, ChangeKind

HELD_CONSTANT: Final = (
    "Same spool (or lot), dried the same",
    "Same sliced file, byte for byte, but for the change",
    "Firmware left alone",
    "Bed cleaned the same way",
    "Same place and orientation on the plate",
    "Same room, door and window as before",
    "What the change disturbs was calibrated again",
)

WASTE_KINDS: Final = ("purge", "tower", "brim", "support", "failed", "other")

SET_ASIDE_REASONS: Final = (
    "came loose from the bed",
    "fell over or broke",
    "filament ran out or tangled",
    "stopped by the machine",
    "wrong settings were loaded",
    "damaged while it was removed",
)

PRINTING_CAUTION: Final = (
    "Hot parts and moving axes: keep hands out while it runs. Stay within reach of a running print, "
    "with a smoke alarm and fresh air; follow the maker’s instructions and your local rules."
)

FAULTS: Final = (
    "Ringing",
    "Vertical banding",
    "Layer inconsistency",
    "Seam",
    "Gaps at starts and ends",
    "Bulged corners",
    "Stringing",
    "Blobs",
    "Scars from supports",
    "Overhang droop",
    "Bridge sag",
    "Ridges on top",
    "Lifted corners",
    "Layer splitting",
    "Elephant’s foot",
    "Colour bleed",
    "Loss of fine detail",
    "Tight or loose fit",
    "Band near the top",
    "Melted tips",
)
"""Faults that are graded by eye, 0 to 4."""

FILAMENT_LINE: Final = "filament, lot or colour"
SWAP_CHECKS: Final = ("purged clean of the last filament, its own profile chosen",)
"""What going back to a filament asks for that was tuned on the machine before."""

DISTURBS: Final[Mapping[str, tuple[str, ...]]] = {
    "nozzle": (
        "Z offset",
        "bed mesh",
        "gantry alignment",
        "nozzle temperature",
        "line widths",
        "flow",
    ),
    "extruder or its drive gear": ("steps per mm", "retraction", "idler tension", "flow"),
    "Bowden to direct drive": (
        "steps per mm",
        "retraction",
        "pressure advance",
        "input shaping for the new carriage mass",
        "homing switch still reached",
    ),
    "hot end or heater": ("temperature control tuning", "Z offset", "flow ceiling"),
    "belts, pulleys, rails": (
        "belt tension on every axis to the same figure",
        "squareness",
        "input shaping",
    ),
    "bed plate, glass, springs": ("level and mesh", "spring tension the same as before"),
    "mass that moves": ("input shaping", "acceleration limits"),
    "where the printer stands": ("input shaping for that place",),
    "fan, duct": ("fan power calibration", "noise at equal airflow", "temperature control"),
    "motor current or acceleration limits": ("skipped steps", "motor and driver temperature"),
    "filament, lot or colour": (
        "temperature",
        "flow",
        "retraction",
        "drying",
        "purge table by colour pair",
    ),
    "firmware": (
        "settings kept through the update",
        "steps per mm",
        "temperature control tuning",
        "acceleration limits",
    ),
    "slicer or its version": ("every setting compared, not just the ones meant",),
}
"""What a change disturbs: redo or check each of these before the next print counts."""

WARRANTY: Final = (
    "Fitting other parts may end the warranty: read the maker’s terms first. Power off and unplug before "
    "touching wiring; mains wiring is for a qualified person."
)

CALIBRATES: Final[Mapping[str, tuple[str, ...]]] = {
    "steps": ("steps per mm",),
    "flow-ceiling": ("flow ceiling", "flow"),
    "belts": ("belt tension on every axis to the same figure",),
    "belt-waves": ("belt tension on every axis to the same figure",),
    "retraction": ("retraction",),
    "temperature": ("nozzle temperature", "temperature"),
    "noise": ("noise at equal airflow",),
    "purge-pairs": ("purge table by colour pair",),
    "fan-power": ("fan power calibration",),
    "motor-skip": ("skipped steps",),
}
"""Which of those checks a calibration is, by the name of its job."""

CAUTIONS: Final[Mapping[str, str]] = {
    "nozzle": "Nozzle and bed stay hot for a while after heating.",
    "hot end or heater": "Power off and unplug before touching wiring; stay within the maker’s ratings, "
    "and leave mains wiring to a qualified person.",
    "belts, pulleys, rails": "Eye protection when tensioning belts; fingers out of the moving gantry.",
    "motor current or acceleration limits": "Stay within the maker’s ratings for motor current.",
    "where the printer stands": "Added weight on top can tip the frame; keep it low and secured.",
    "mass that moves": "Pinch points: power off while parts are exchanged; warranties may end.",
    "fan, duct": "Power off and unplug before touching electronics.",
}
"""Cautions by what is changed; the maker’s instructions and local rules come first."""

_USUALLY: Final[Mapping[str, str]] = {
    ChangeKind.FILAMENT: "filament, lot or colour",
    ChangeKind.PLACE: "where the printer stands",
    FIRMWARE: "firmware",
}

_WORDS: Final[tuple[tuple[str, str], ...]] = (
    ("nozzle", "nozzle"),
    ("direct drive", "Bowden to direct drive"),
    ("extruder", "extruder or its drive gear"),
    ("gear", "extruder or its drive gear"),
    ("hot end", "hot end or heater"),
    ("heater", "hot end or heater"),
    ("belt", "belts, pulleys, rails"),
    ("pulley", "belts, pulleys, rails"),
    ("rail", "belts, pulleys, rails"),
    ("bed", "bed plate, glass, springs"),
    ("glass", "bed plate, glass, springs"),
    ("spring", "bed plate, glass, springs"),
    ("fan", "fan, duct"),
    ("duct", "fan, duct"),
    ("current", "motor current or acceleration limits"),
    ("acceleration", "motor current or acceleration limits"),
    ("mass", "mass that moves"),
)


def usually_disturbs(kind: str, name: str) -> str:
    """Return the line of ``DISTURBS`` that a change usually touches; empty for none.

    Parameters
    ----------
    kind : str
        A ``ChangeKind``, or what else is logged.
    name : str
        What the user calls it; for parts, adjustments and calibrations its words tell.
    """
    if kind in _USUALLY:
        return _USUALLY[kind]
    if kind not in (ChangeKind.PART, ChangeKind.ADJUSTMENT, ChangeKind.CALIBRATION, CONSUMABLE):
        return ""
    lowered = name.casefold()
    return next((line for word, line in _WORDS if word in lowered), "")
