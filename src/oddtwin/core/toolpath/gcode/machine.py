"""What stays in force from one line to the next, and what each command changes of it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Final

from oddtwin.core.toolpath.gcode.state import AXES, State
from oddtwin.core.toolpath.gcode.syntax import Command
from oddtwin.core.toolpath.gcode.toolpath import StopKind

INCH: Final = 25.4
HOT: Final = ("EXTRUDER", "NOZZLE", "HOTEND")

MOST_PER_SECOND: Final = {"x": 2500.0, "y": 2500.0, "z": 150.0, "e": 500.0}
"""Greatest speeds that are still meant per second, mm/s."""


@dataclass(slots=True)
class Events:
    """What happened in one block, as (row, what) in order.

    ``motions`` are lines that only the reference parser could read, ``resets`` new
    coordinates by G92, ``homed`` the axes of G28, ``pulled`` filament moved by G10 and G11, with
    its speed in mm/s where that is known, ``planes`` what G17 to G19 choose, ``kept`` and ``recalled``
    the arguments of what saves a state or puts it back.
    """

    states: list[tuple[int, int]] = field(default_factory=list)
    modes: list[tuple[int, tuple[bool, bool, float]]] = field(default_factory=list)
    motions: list[tuple[int, Command]] = field(default_factory=list)
    resets: list[tuple[int, dict[str, float]]] = field(default_factory=list)
    homed: list[tuple[int, str]] = field(default_factory=list)
    pulled: list[tuple[int, float, float | None]] = field(default_factory=list)
    planes: list[tuple[int, int]] = field(default_factory=list)
    kept: list[Mapping[str, str]] = field(default_factory=list)
    recalled: list[Mapping[str, str]] = field(default_factory=list)
    stops: list[tuple[int, StopKind, float, int]] = field(default_factory=list)
    layers: list[tuple[int, str]] = field(default_factory=list)


class Machine:
    """What stays in force, and what happened in the block that is read."""

    def __init__(self) -> None:
        self.state = State()
        self.states: dict[State, int] = {self.state: 0}
        self.objects: dict[str, int] = {}
        self.events = Events()
        self.row = 0
        self.pulled_blindly = False
        self.announced_min: float | None = None
        self.unit = 1.0
        self._relative = False
        self._relative_e: bool | None = None
        self._extra_mm = 0.0
        self._pull_speed: float | None = None
        self._push_speed: float | None = None
        self._flow = 1.0
        self._area = 1.0
        self._retracted = False
        self._speed_kept = 1.0
        self._fan_by_share = False
        self._minute_speeds = False
        self._object_number = -1
        self._object_names: dict[int, str] = {}
        self._of_tool: dict[str, dict[int, float]] = {"nozzle_c": {}, "advance": {}}
        self._saved: dict[str, tuple[bool, bool | None, float, float]] = {}

    @property
    def mode(self) -> tuple[bool, bool, float]:
        """Whether positions and filament are given as steps, and millimetres in a unit."""
        relative_e = self._relative if self._relative_e is None else self._relative_e
        return self._relative, relative_e, self.unit

    def put(self, **values: float | tuple[tuple[str, float], ...] | None) -> None:
        """Let some figures of the state hold from here on."""
        # Files say the same again and again.
        if all(getattr(self.state, name) == value for name, value in values.items()):
            return
        self.enter(self.state._replace(**values))  # type: ignore[arg-type]

    def enter(self, state: State) -> None:
        """Let a whole state hold from here on."""
        self.state = state
        self.events.states.append((self.row, self.states.setdefault(state, len(self.states))))

    def stop(self, kind: StopKind, seconds: float = 0.0, tool: int = 0) -> None:
        """Note that the machine stands still here."""
        self.events.stops.append((self.row, kind, seconds, tool))

    def dwell(self, words: dict[str, float]) -> None:
        """G4: P milliseconds, S seconds."""
        seconds = words["S"] if _is(words, "S") else words.get("P", 0.0) / 1000
        self.stop(StopKind.DWELL, seconds if 0 <= seconds < 1e6 else 0.0)

    def pull(self, back: bool, words: dict[str, float]) -> None:
        """G10 and G11: retraction by the firmware, of the length that M207 gave."""
        if _is(words, "P") and any(_is(words, key) for key in "SR"):
            # G10 P0 S215: the temperature of a tool, another command of the same name.
            self.heat({"T": words["P"], "S": words["S" if _is(words, "S") else "R"]}, "nozzle_c", wait=False)
            return
        # With such words it sets offsets, a third one.
        if any(key in words for key in "LPXYZR") or back == self._retracted:
            return
        self._retracted = back
        length = self.state.retract_mm
        self.pulled_blindly |= length is None
        millimetres = -(length or 0.0) if back else (length or 0.0) + self._extra_mm
        self.events.pulled.append((self.row, millimetres, self._pull_speed if back else self._push_speed))

    def measure(self, unit: float) -> None:
        """G20 and G21: millimetres in a unit."""
        self.unit = unit
        self._mode()

    def step(self, relative: bool) -> None:
        """G90 and G91: whether positions are steps."""
        self._relative = relative
        self._mode()

    def step_e(self, relative: bool) -> None:
        """M82 and M83: whether filament is given in steps, whatever the axes do."""
        self._relative_e = relative
        self._mode()

    def _mode(self) -> None:
        self.events.modes.append((self.row, self.mode))

    def home(self, words: dict[str, float]) -> None:
        """G28: home the axes that are named, or all."""
        self.events.homed.append((self.row, "".join(axis for axis in "XYZ" if axis in words) or "XYZ"))
        self.stop(StopKind.HOME)

    def reset(self, words: dict[str, float]) -> None:
        """G92: call the present place by other coordinates; without axes, all are zero."""
        named = {axis: words[axis] * self.unit for axis in "XYZE" if _is(words, axis)}
        self.events.resets.append((self.row, named or dict.fromkeys("XYZE", 0.0)))

    def plane(self, number: int) -> None:
        """G17, G18 and G19: the plane of arcs, XY, ZX or YZ."""
        self.events.planes.append((self.row, number))

    def take_tool(self, tool: int) -> None:
        """Tn: print with another tool, at what was asked for it."""
        self.stop(StopKind.TOOL, tool=tool)
        own = {name: values[tool] for name, values in self._of_tool.items() if tool in values}
        self.put(tool=tool, **own)

    def _set_of_tool(self, name: str, value: float, tool: float) -> None:
        """Keep a figure of one tool; it holds now where that tool prints."""
        number = int(tool) if 0 <= tool < 1000 else 0
        self._of_tool[name][number] = value
        if number == self.state.tool:
            self.put(**{name: value})

    def heat(self, words: dict[str, float], name: str, *, wait: bool) -> None:
        """M104, M109, M140, M190, M141, M191: what is heated, and whether the print waits for it."""
        degrees = next((words[key] for key in "SR" if _is(words, key)), None)
        if degrees is not None:
            if name == "nozzle_c":
                # A tool that waits is heated ahead; that says nothing of the one that prints.
                self._set_of_tool(name, degrees, words["T"] if _is(words, "T") else self.state.tool)
            else:
                self.put(**{name: degrees})
        if wait:
            self.stop(StopKind.HEAT)

    def blow(self, words: dict[str, float], *, off: bool = False) -> None:
        """M106 and M107: a fan, 0 to 255, or its share where the file writes shares."""
        power = 0.0 if off else words.get("S", 255.0)
        self._fan_by_share |= 0 < power < 1
        share = power if self._fan_by_share and power <= 1 else power / 255
        number = words.get("P", 0.0)
        self._blow(f"{number if math.isfinite(number) else 0:g}", share if math.isfinite(share) else 1.0)

    def _blow(self, fan: str, share: float) -> None:
        share = min(1.0, max(0.0, share))
        fans = dict(self.state.fans) | {fan: share}
        # Higher numbers are fans of the case and of boards, which do not blow at the part.
        of_part = {"fan": share} if fan in ("0", "1") else {}
        self.put(fans=tuple(sorted(fans.items())), **of_part)

    def blow_named(self, named: Mapping[str, str]) -> None:
        """SET_FAN_SPEED: a fan by its name, its share of full power."""
        share = _number(named.get("SPEED", ""))
        if share is not None and named.get("FAN"):
            self._blow(named["FAN"].lower(), share)

    def push_ahead(self, words: dict[str, float]) -> None:
        """M900 K and M572 S: pressure advance."""
        for key in "KS":
            if _is(words, key) and words[key] >= 0:
                tool = next((words[place] for place in "TD" if _is(words, place)), self.state.tool)
                self._set_of_tool("advance", words[key], tool)
                return

    def push_ahead_named(self, named: Mapping[str, str]) -> None:
        """SET_PRESSURE_ADVANCE: of the extruder that is named, or of the one that prints."""
        value = _number(named.get("ADVANCE", ""))
        if value is not None:
            tool = _tool_named(named["EXTRUDER"]) if "EXTRUDER" in named else self.state.tool
            self._set_of_tool("advance", value, tool)

    def begin(self, named: Mapping[str, str]) -> None:
        """A macro that starts the print: temperatures by the names of its arguments."""
        for key, value in named.items():
            degrees = _number(value)
            if degrees is None or not 0 <= degrees < 1000:
                continue
            if "BED" in key:
                self.put(bed_c=degrees)
            elif "CHAMBER" in key:
                self.put(chamber_c=degrees)
            elif key in HOT or ("TEMP" in key and any(word in key for word in (*HOT, "TOOL"))):
                self._set_of_tool("nozzle_c", degrees, self.state.tool)

    def bound(self, named: Mapping[str, str]) -> None:
        """SET_VELOCITY_LIMIT: speed, acceleration and the speed of a square corner."""
        found = {key: _number(named.get(key, "")) for key in ("VELOCITY", "ACCEL", "SQUARE_CORNER_VELOCITY")}
        speed, power, corner = (value if value and 0 < value < 1e7 else None for value in found.values())
        if speed:
            self.put(speed=speed)
        if power:
            self.put(print_acceleration=power, travel_acceleration=power)
        if corner:
            self.put(corner_speed=corner)

    def heat_named(self, named: Mapping[str, str]) -> None:
        """SET_HEATER_TEMPERATURE: bed, chamber or an extruder by its name."""
        degrees = _number(named.get("TARGET", "0"))
        heater = named.get("HEATER", "").lower()
        if degrees is None or not heater:
            return
        if "bed" in heater:
            self.put(bed_c=degrees)
        elif "chamber" in heater:
            self.put(chamber_c=degrees)
        elif heater.startswith("extruder"):
            self._set_of_tool("nozzle_c", degrees, _tool_named(heater))

    def take_named(self, named: Mapping[str, str]) -> None:
        """ACTIVATE_EXTRUDER: print with another tool, by its name."""
        if named.get("EXTRUDER", "").lower().startswith("extruder"):
            self.take_tool(_tool_named(named["EXTRUDER"]))

    def mark_object(self, words: dict[str, float], text: str) -> None:
        """M486: S the object that is printed now, A its name, T how many there are."""
        if _is(words, "S"):
            number = int(words["S"]) if -1 <= words["S"] < 1e6 else -1
            self._object_number = number
            if number < 0:
                self.put(object=-1)
                return
            self.enter_object(self._object_names.setdefault(number, f"object {number + 1}"))
        elif text[:1] in ("A", "a") and self._object_number >= 0:
            name = text[1:].strip(' "')
            before = self._object_names.get(self._object_number)
            if name and before in self.objects and name not in self.objects:
                # The number was only its name until now.
                self.objects = {name if key == before else key: at for key, at in self.objects.items()}
                self._object_names[self._object_number] = name

    def enter_object(self, name: str) -> None:
        """EXCLUDE_OBJECT_START and comments: the object that is printed now; without a name none."""
        self.put(object=self.objects.setdefault(name, len(self.objects)) if name else -1)

    def progress(self, words: dict[str, float]) -> None:
        """M73: the minutes that are left; the most is what the file promises for all of it."""
        if _above(words, "R"):
            self.announced_min = max(self.announced_min or 0.0, words["R"])

    def save(self, named: Mapping[str, str]) -> None:
        """SAVE_GCODE_STATE: what is in force, under a name; `Resolver` keeps the coordinates."""
        self.events.kept.append(named)
        self._saved[named.get("NAME", "")] = (
            self._relative,
            self._relative_e,
            self.state.speed_factor,
            self._flow,
        )

    def restore(self, named: Mapping[str, str]) -> None:
        """RESTORE_GCODE_STATE: put back what was saved under a name, if there was any."""
        name = named.get("NAME", "")
        if name in self._saved:
            self.events.recalled.append(named)
            self._relative, self._relative_e, factor, self._flow = self._saved[name]
            self._mode()
            self.put(speed_factor=factor, flow_factor=self._flow / self._area)

    def accelerate(self, words: dict[str, float]) -> None:
        """M204: accelerations; S sets that of printing and of travel."""
        names = {"P": "print", "T": "travel", "R": "retract"}
        found = {f"{name}_acceleration": words[key] for key, name in names.items() if _above(words, key)}
        if _above(words, "S"):
            found = {"print_acceleration": words["S"], "travel_acceleration": words["S"], **found}
        self.put(**found)

    def limit(self, words: dict[str, float], name: str) -> None:
        """M201, M203 and M205: a limit of every axis that is named; J is the junction deviation."""
        found = {axis: words[axis.upper()] for axis in AXES if _above(words, axis.upper())}
        # Written per minute or per second: no machine moves at metres a second, or raises its bed so.
        self._minute_speeds |= name == "max_speed" and any(
            found.get(axis, 0.0) > most for axis, most in MOST_PER_SECOND.items()
        )
        minutes = name == "max_speed" and self._minute_speeds
        self.put(**{f"{name}_{axis}": value / 60 if minutes else value for axis, value in found.items()})
        if name == "jerk" and _above(words, "J"):
            self.put(junction_deviation=words["J"])

    def limit_by_minute(self, words: dict[str, float]) -> None:
        """M566: the jerk in mm/min; where that is used, M203 is per minute too."""
        self._minute_speeds = True
        self.limit({key: value / 60 for key, value in words.items()}, "jerk")

    def speed_up(self, words: dict[str, float]) -> None:
        """M220: percent of the speed; B keeps it, R goes back to what was kept."""
        if "B" in words:
            self._speed_kept = self.state.speed_factor
        if "R" in words:
            self.put(speed_factor=self._speed_kept)
        if _above(words, "S"):
            self.put(speed_factor=words["S"] / 100)

    def push_more(self, words: dict[str, float]) -> None:
        """M221: percent of the flow."""
        if _above(words, "S"):
            self._flow = words["S"] / 100
            self.put(flow_factor=self._flow / self._area)

    def push_volume(self, words: dict[str, float]) -> None:
        """M200: filament is given in cubic millimetres of a strand of diameter D; 0 for millimetres again."""
        diameter = words.get("D", 0.0)
        self._area = math.pi / 4 * diameter**2 if 0.1 < diameter < 100 else 1.0
        self.put(flow_factor=self._flow / self._area)

    def firmware_retract(self, words: dict[str, float]) -> None:
        """M207: length of the retraction by G10, S mm; F is its speed, R more when it is given back."""
        if _is(words, "S") and words["S"] >= 0:
            self.put(retract_mm=words["S"] * self.unit)
        if _is(words, "R"):
            self._extra_mm = words["R"] * self.unit
        if _above(words, "F"):
            self._pull_speed = self._push_speed = words["F"] * self.unit / 60
        if _above(words, "T"):
            self._push_speed = words["T"] * self.unit / 60

    def firmware_recover(self, words: dict[str, float]) -> None:
        """M208: what G11 gives more than G10 took, S mm, and its speed F."""
        if _is(words, "S"):
            self._extra_mm = words["S"] * self.unit
        if _above(words, "F"):
            self._push_speed = words["F"] * self.unit / 60

    def firmware_retract_named(self, named: Mapping[str, str]) -> None:
        """SET_RETRACTION: the same by names; speeds in mm/s."""
        length, extra = (
            _number(named.get("RETRACT_LENGTH", "")),
            _number(named.get("UNRETRACT_EXTRA_LENGTH", "")),
        )
        if length is not None and length >= 0:
            self.put(retract_mm=length)
        self._extra_mm = self._extra_mm if extra is None else extra
        self._pull_speed = _number(named.get("RETRACT_SPEED", "")) or self._pull_speed
        self._push_speed = _number(named.get("UNRETRACT_SPEED", "")) or self._push_speed


def _tool_named(extruder: str) -> int:
    """Return the number of a tool that is called “extruder”, “extruder1”, and so on."""
    digits = "".join(mark for mark in extruder if mark.isdecimal())[:3]
    return int(digits or 0)


def _number(text: str) -> float | None:
    try:
        value = float(text)
    except ValueError:
        return None
    return value if math.isfinite(value) and abs(value) < 1e7 else None


def _is(words: dict[str, float], key: str) -> bool:
    return math.isfinite(words.get(key, math.nan))


def _above(words: dict[str, float], key: str) -> bool:
    return 0 < words.get(key, math.nan) < 1e7
