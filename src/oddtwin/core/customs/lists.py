"""Lists of the trade that the screens offer; all of it common practice, all editable."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from oddtwin.core.customs.kinds import CONSUMABLE, FIRMWARE, ChangeKind
from oddtwin.core.language import mark

HELD_CONSTANT: Final = (
    mark("Same spool (or lot), dried the same"),
    mark("Same sliced file, byte for byte, but for the change"),
    mark("Firmware left alone"),
    mark("Bed cleaned the same way"),
    mark("Same place and orientation on the plate"),
    mark("Same room, door and window as before"),
    mark("What the change disturbs was calibrated again"),
)

WASTE_KINDS: Final = (
    mark("purge"),
    mark("tower"),
    mark("brim"),
    mark("support"),
    mark("failed"),
    mark("other"),
)

SET_ASIDE_REASONS: Final = (
    mark("came loose from the bed"),
    mark("fell over or broke"),
    mark("filament ran out or tangled"),
    mark("stopped by the machine"),
    mark("wrong settings were loaded"),
    mark("damaged while it was removed"),
)

PRINTING_CAUTION: Final = mark(
    "Hot parts and moving axes: keep hands out while it runs. Stay within reach of a running print, with "
    "a smoke alarm and fresh air; follow the maker’s instructions and your local rules."
)

FAULTS: Final = (
    mark("Ringing"),
    mark("Vertical banding"),
    mark("Layer inconsistency"),
    mark("Seam"),
    mark("Gaps at starts and ends"),
    mark("Bulged corners"),
    mark("Stringing"),
    mark("Blobs"),
    mark("Scars from supports"),
    mark("Overhang droop"),
    mark("Bridge sag"),
    mark("Ridges on top"),
    mark("Lifted corners"),
    mark("Layer splitting"),
    mark("Elephant’s foot"),
    mark("Colour bleed"),
    mark("Loss of fine detail"),
    mark("Tight or loose fit"),
    mark("Band near the top"),
    mark("Melted tips"),
)
"""Faults that are graded by eye, 0 to 4."""

FILAMENT_LINE: Final = mark("filament, lot or colour")
SWAP_CHECKS: Final = (mark("purged clean of the last filament, its own profile chosen"),)
"""What going back to a filament asks for that was tuned on the machine before."""

DISTURBS: Final[Mapping[str, tuple[str, ...]]] = {
    mark("nozzle"): (
        mark("Z offset"),
        mark("bed mesh"),
        mark("gantry alignment"),
        mark("nozzle temperature"),
        mark("line widths"),
        mark("flow"),
    ),
    mark("extruder or its drive gear"): (
        mark("steps per mm"),
        mark("retraction"),
        mark("idler tension"),
        mark("flow"),
    ),
    mark("Bowden to direct drive"): (
        mark("steps per mm"),
        mark("retraction"),
        mark("pressure advance"),
        mark("input shaping for the new carriage mass"),
        mark("homing switch still reached"),
    ),
    mark("hot end or heater"): (mark("temperature control tuning"), mark("Z offset"), mark("flow ceiling")),
    mark("belts, pulleys, rails"): (
        mark("belt tension on every axis to the same figure"),
        mark("squareness"),
        mark("input shaping"),
    ),
    mark("bed plate, glass, springs"): (mark("level and mesh"), mark("spring tension the same as before")),
    mark("mass that moves"): (mark("input shaping"), mark("acceleration limits")),
    mark("where the printer stands"): (mark("input shaping for that place"),),
    mark("fan, duct"): (
        mark("fan power calibration"),
        mark("noise at equal airflow"),
        mark("temperature control"),
    ),
    mark("motor current or acceleration limits"): (
        mark("skipped steps"),
        mark("motor and driver temperature"),
    ),
    mark("filament, lot or colour"): (
        mark("temperature"),
        mark("flow"),
        mark("retraction"),
        mark("drying"),
        mark("purge table by colour pair"),
    ),
    mark("firmware"): (
        mark("settings kept through the update"),
        mark("steps per mm"),
        mark("temperature control tuning"),
        mark("acceleration limits"),
    ),
    mark("slicer or its version"): (mark("every setting compared, not just the ones meant"),),
}
"""What a change disturbs: redo or check each of these before the next print counts."""

WARRANTY: Final = mark(
    "Fitting other parts may end the warranty: read the maker’s terms first. Power off and unplug before "
    "touching wiring; mains wiring is for a qualified person."
)

CALIBRATES: Final[Mapping[str, tuple[str, ...]]] = {
    "steps": (mark("steps per mm"),),
    "flow-ceiling": (mark("flow ceiling"), mark("flow")),
    "belts": (mark("belt tension on every axis to the same figure"),),
    "belt-waves": (mark("belt tension on every axis to the same figure"),),
    "retraction": (mark("retraction"),),
    "temperature": (mark("nozzle temperature"), mark("temperature")),
    "noise": (mark("noise at equal airflow"),),
    "purge-pairs": (mark("purge table by colour pair"),),
    "fan-power": (mark("fan power calibration"),),
    "motor-skip": (mark("skipped steps"),),
}
"""Which of those checks a calibration is, by the name of its job."""

CAUTIONS: Final[Mapping[str, str]] = {
    mark("nozzle"): mark("Nozzle and bed stay hot for a while after heating."),
    mark("hot end or heater"): mark(
        "Power off and unplug before touching wiring; stay within the maker’s "
        "ratings, and leave mains wiring to a qualified person."
    ),
    mark("belts, pulleys, rails"): mark(
        "Eye protection when tensioning belts; fingers out of the moving gantry."
    ),
    mark("motor current or acceleration limits"): mark("Stay within the maker’s ratings for motor current."),
    mark("where the printer stands"): mark("Added weight on top can tip the frame; keep it low and secured."),
    mark("mass that moves"): mark("Pinch points: power off while parts are exchanged; warranties may end."),
    mark("fan, duct"): mark("Power off and unplug before touching electronics."),
}
"""Cautions by what is changed; the maker’s instructions and local rules come first."""

_USUALLY: Final[Mapping[str, str]] = {
    ChangeKind.FILAMENT: mark("filament, lot or colour"),
    ChangeKind.PLACE: mark("where the printer stands"),
    FIRMWARE: "firmware",
}

_WORDS: Final[tuple[tuple[str, str], ...]] = (
    ("nozzle", "nozzle"),
    (mark("direct drive"), mark("Bowden to direct drive")),
    ("extruder", mark("extruder or its drive gear")),
    ("gear", mark("extruder or its drive gear")),
    (mark("hot end"), mark("hot end or heater")),
    ("heater", mark("hot end or heater")),
    ("belt", mark("belts, pulleys, rails")),
    ("pulley", mark("belts, pulleys, rails")),
    ("rail", mark("belts, pulleys, rails")),
    ("bed", mark("bed plate, glass, springs")),
    ("glass", mark("bed plate, glass, springs")),
    ("spring", mark("bed plate, glass, springs")),
    ("fan", mark("fan, duct")),
    ("duct", mark("fan, duct")),
    ("current", mark("motor current or acceleration limits")),
    ("acceleration", mark("motor current or acceleration limits")),
    ("mass", mark("mass that moves")),
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
