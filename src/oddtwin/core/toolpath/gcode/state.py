"""The state of the printer that stays in force from one line to the next."""

from __future__ import annotations

from typing import Final, NamedTuple

AXES: Final = ("x", "y", "z", "e")


class State(NamedTuple):
    """What holds while a move is made; None where the file has not said.

    Parameters
    ----------
    tool : int
        Number of the extruder.
    feature : int
        Place in `vocabulary.FEATURES`.
    object : int
        Place in the file's list of objects; -1 for none.
    print_acceleration, travel_acceleration, retract_acceleration : float
        mm/s².
    jerk_x, jerk_y, jerk_z, jerk_e : float
        Change of speed that needs no ramp, mm/s.
    junction_deviation : float
        mm.
    max_speed_x, max_speed_y, max_speed_z, max_speed_e : float
        mm/s.
    max_acceleration_x, max_acceleration_y, max_acceleration_z, max_acceleration_e : float
        mm/s².
    speed_factor, flow_factor : float
        1 for 100 %.
    fan : float
        Of the part, share of full power, 0 to 1.
    nozzle_c, bed_c, chamber_c : float
        Temperatures that were last asked for, °C; the nozzle's is that of the tool.
    corner_speed : float
        Speed of a square corner, mm/s; where given, the junction deviation follows from it.
    speed : float
        Greatest speed along the path, mm/s.
    advance : float
        Pressure advance of the tool, s or mm/(mm/s), as its command writes it.
    retract_mm : float
        Length of the firmware's retraction, mm.
    fans : tuple of (str, float)
        Every fan by its number or name, and its share of full power.
    spelling : int
        Place of the feature's name in the file's list of those that nobody knows; -1 for a known one.
    """

    tool: int = 0
    feature: int = 0
    object: int = -1
    print_acceleration: float | None = None
    travel_acceleration: float | None = None
    retract_acceleration: float | None = None
    jerk_x: float | None = None
    jerk_y: float | None = None
    jerk_z: float | None = None
    jerk_e: float | None = None
    junction_deviation: float | None = None
    max_speed_x: float | None = None
    max_speed_y: float | None = None
    max_speed_z: float | None = None
    max_speed_e: float | None = None
    max_acceleration_x: float | None = None
    max_acceleration_y: float | None = None
    max_acceleration_z: float | None = None
    max_acceleration_e: float | None = None
    speed_factor: float = 1.0
    flow_factor: float = 1.0
    fan: float = 0.0
    nozzle_c: float | None = None
    bed_c: float | None = None
    chamber_c: float | None = None
    corner_speed: float | None = None
    speed: float | None = None
    advance: float | None = None
    retract_mm: float | None = None
    fans: tuple[tuple[str, float], ...] = ()
    spelling: int = -1
