"""The commands that are not moves: which change each of them stands for."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Final

from oddtwin.core.toolpath.gcode.machine import INCH, Machine
from oddtwin.core.toolpath.gcode.toolpath import StopKind

Handler = Callable[[Machine, dict[str, float]], None]
HANDLERS: Final[dict[str, Handler]] = {
    "G4": Machine.dwell,
    "G10": lambda now, words: now.pull(True, words),
    "G11": lambda now, words: now.pull(False, words),
    "G17": lambda now, words: now.plane(17),
    "G18": lambda now, words: now.plane(18),
    "G19": lambda now, words: now.plane(19),
    "G20": lambda now, words: now.measure(INCH),
    "G21": lambda now, words: now.measure(1.0),
    "G28": Machine.home,
    "G90": lambda now, words: now.step(False),
    "G91": lambda now, words: now.step(True),
    "G92": Machine.reset,
    "M0": lambda now, words: now.stop(StopKind.PAUSE),
    "M1": lambda now, words: now.stop(StopKind.PAUSE),
    "M25": lambda now, words: now.stop(StopKind.PAUSE),
    "M226": lambda now, words: now.stop(StopKind.PAUSE),
    "M400": lambda now, words: now.stop(StopKind.WAIT),
    "M600": lambda now, words: now.stop(StopKind.PAUSE),
    "M601": lambda now, words: now.stop(StopKind.PAUSE),
    "M73": Machine.progress,
    "M82": lambda now, words: now.step_e(False),
    "M83": lambda now, words: now.step_e(True),
    "M104": lambda now, words: now.heat(words, "nozzle_c", wait=False),
    "M109": lambda now, words: now.heat(words, "nozzle_c", wait=True),
    "M140": lambda now, words: now.heat(words, "bed_c", wait=False),
    "M141": lambda now, words: now.heat(words, "chamber_c", wait=False),
    "M190": lambda now, words: now.heat(words, "bed_c", wait=True),
    "M191": lambda now, words: now.heat(words, "chamber_c", wait=True),
    "M106": Machine.blow,
    "M107": lambda now, words: now.blow(words, off=True),
    "M201": lambda now, words: now.limit(words, "max_acceleration"),
    "M203": lambda now, words: now.limit(words, "max_speed"),
    "M204": Machine.accelerate,
    "M205": lambda now, words: now.limit(words, "jerk"),
    "M207": Machine.firmware_retract,
    "M208": Machine.firmware_recover,
    "M200": Machine.push_volume,
    "M220": Machine.speed_up,
    "M221": Machine.push_more,
    "M568": lambda now, words: now.pull(True, words) if "P" in words else None,
    "M566": Machine.limit_by_minute,
    "M572": Machine.push_ahead,
    "M900": Machine.push_ahead,
}
NamedHandler = Callable[[Machine, Mapping[str, str]], None]
NAMED: Final[dict[str, NamedHandler]] = {
    "SET_VELOCITY_LIMIT": Machine.bound,
    "SET_PRESSURE_ADVANCE": Machine.push_ahead_named,
    "SET_RETRACTION": Machine.firmware_retract_named,
    "SET_FAN_SPEED": Machine.blow_named,
    "SET_HEATER_TEMPERATURE": Machine.heat_named,
    "ACTIVATE_EXTRUDER": Machine.take_named,
    "EXCLUDE_OBJECT_START": lambda now, named: now.enter_object(named.get("NAME", "")),
    "EXCLUDE_OBJECT_END": lambda now, named: now.enter_object(""),
    "PAUSE": lambda now, named: now.stop(StopKind.PAUSE),
    "SAVE_GCODE_STATE": Machine.save,
    "RESTORE_GCODE_STATE": Machine.restore,
}
