"""The commands that are not moves: what they change, row by row of a block."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Final

from oddtwin.core.toolpath.gcode.state import AXES, State
from oddtwin.core.toolpath.gcode.syntax import MODAL, MOTION, Command, Line, parse_line
from oddtwin.core.toolpath.gcode.toolpath import StopKind
from oddtwin.core.toolpath.gcode.vocabulary import FEATURES, Meaning, read_comment, tight

SILENT: Final = frozenset(
    {"G17", "G29", "G80", "M17", "M18", "M73", "M84", "M110", "M105", "M114", "M115", "M117", "M118", "M150"}
    | {"M300", "M413", "M420", "M500", "M501", "M900"}
)
"""Known codes that change nothing that is computed here."""
MOST_REMEMBERED: Final = 50_000
LONGEST_REMEMBERED: Final = 100
INCH: Final = 25.4


@dataclass(slots=True)
class Events:
    """What happened in one block, as (row, what) in order.

    ``motions`` are lines that only the reference parser could read, ``resets`` new
    coordinates by G92, ``homed`` the axes of G28, ``pulled`` filament moved by G10 and G11.
    """

    states: list[tuple[int, int]] = field(default_factory=list)
    modes: list[tuple[int, tuple[bool, bool, float]]] = field(default_factory=list)
    motions: list[tuple[int, Command]] = field(default_factory=list)
    resets: list[tuple[int, dict[str, float]]] = field(default_factory=list)
    homed: list[tuple[int, str]] = field(default_factory=list)
    pulled: list[tuple[int, float]] = field(default_factory=list)
    stops: list[tuple[int, StopKind, float, int]] = field(default_factory=list)
    layers: list[tuple[int, str]] = field(default_factory=list)


class Interpreter:
    """Reads the lines that are not plain moves, and keeps what stays in force."""

    def __init__(self) -> None:
        self.state = State()
        self.states: dict[State, int] = {self.state: 0}
        self.objects: dict[str, int] = {}
        self.settings: dict[str, str] = {}
        self.remarks: dict[str, str] = {}
        self.unknown: Counter[str] = Counter()
        self.odd_features: Counter[str] = Counter()
        self.unreadable: list[int] = []
        self.unreadable_count = 0
        self.relative = False
        self.relative_e: bool | None = None
        self.unit = 1.0
        self.retract_mm = 0.0
        self._flow = 1.0
        self._area = 1.0
        self._retracted = False
        self._in_picture = False
        self._known: dict[bytes, tuple[Line, Meaning | None]] = {}
        self._events = Events()
        self._row = 0

    @property
    def mode(self) -> tuple[bool, bool, float]:
        """Whether positions and filament are given as steps, and millimetres in a unit."""
        relative_e = self.relative if self.relative_e is None else self.relative_e
        return self.relative, relative_e, self.unit

    def read(self, others: list[tuple[int, bytes]], first_line: int) -> Events:
        """Read the lines of a block that are not plain moves.

        Parameters
        ----------
        others : list of (int, bytes)
            Row in the block, and text.
        first_line : int
            Number of the block's first line in the file.
        """
        self._events = Events()
        for row, raw in others:
            self._row = row
            line, meaning = self._understand(raw)
            if not line.readable:
                self.unreadable_count += 1
                if len(self.unreadable) < 3:
                    self.unreadable.append(first_line + row)
            for command in line.commands:
                self._obey(command)
            if meaning:
                self._heed(meaning)
        return self._events

    def _understand(self, raw: bytes) -> tuple[Line, Meaning | None]:
        found = self._known.get(raw)
        if found is None:
            line = parse_line(raw)
            comment = line.comment if not line.commands and line.readable else None
            found = line, None if comment is None else read_comment(comment)
            # The same comments and commands come up on every layer; long lines are pictures, and never come
            # again.
            if len(raw) <= LONGEST_REMEMBERED and len(self._known) < MOST_REMEMBERED:
                self._known[raw] = found
        return found

    def _obey(self, command: Command) -> None:
        name = command.name
        if name in MOTION or name == MODAL:
            self._events.motions.append((self._row, command))
        elif name in HANDLERS:
            HANDLERS[name](self, command.words)
        elif name[0] == "T" and name[1:].isdigit():
            self.stop(StopKind.TOOL, tool=int(name[1:]))
            self._set(tool=int(name[1:]))
        elif name not in SILENT:
            self.unknown[name] += 1

    def _heed(self, meaning: Meaning) -> None:
        """Take in what a comment says; inside a picture nothing is said."""
        if meaning.thumbnail is not None:
            self._in_picture = meaning.thumbnail
        if self._in_picture:
            return
        if meaning.layer:
            self._events.layers.append((self._row, meaning.layer))
        if meaning.spelling:
            self.odd_features[meaning.spelling] += 1
        if meaning.feature is not None:
            self._set(feature=FEATURES.index(meaning.feature))
        if meaning.object is not None:
            place = self.objects.setdefault(meaning.object, len(self.objects)) if meaning.object else -1
            self._set(object=place)
        if meaning.setting:
            self.settings[meaning.setting[0]] = meaning.setting[1]
        if meaning.remark:
            self.remarks[meaning.remark[0]] = meaning.remark[1]

    def all_settings(self) -> dict[str, str]:
        """Return all settings, and the remarks that are no other spelling of one."""
        known = {tight(key) for key in self.settings}
        return {key: value for key, value in self.remarks.items() if tight(key) not in known} | self.settings

    def _set(self, **values: float | None) -> None:
        # Files say the same again and again.
        if all(getattr(self.state, name) == value for name, value in values.items()):
            return
        self.state = self.state._replace(**values)  # type: ignore[arg-type]
        self._events.states.append((self._row, self.states.setdefault(self.state, len(self.states))))

    def stop(self, kind: StopKind, seconds: float = 0.0, tool: int = 0) -> None:
        """Note that the machine stands still here."""
        self._events.stops.append((self._row, kind, seconds, tool))

    def dwell(self, words: dict[str, float]) -> None:
        """G4: P milliseconds, S seconds."""
        seconds = words["S"] if _is(words, "S") else words.get("P", 0.0) / 1000
        self.stop(StopKind.DWELL, seconds if 0 <= seconds < 1e6 else 0.0)

    def pull(self, back: bool, words: dict[str, float]) -> None:
        """G10 and G11: retraction by the firmware, of the length that M207 gave."""
        # With such words G10 sets offsets, which is another command of the same name.
        if any(key in words for key in "LPXYZR") or back == self._retracted:
            return
        self._retracted = back
        self._events.pulled.append((self._row, -self.retract_mm if back else self.retract_mm))

    def measure(self, unit: float) -> None:
        """G20 and G21: millimetres in a unit."""
        self.unit = unit
        self._mode()

    def step(self, relative: bool) -> None:
        """G90 and G91: whether positions are steps."""
        self.relative = relative
        self._mode()

    def step_e(self, relative: bool) -> None:
        """M82 and M83: whether filament is given in steps, whatever the axes do."""
        self.relative_e = relative
        self._mode()

    def _mode(self) -> None:
        self._events.modes.append((self._row, self.mode))

    def home(self, words: dict[str, float]) -> None:
        """G28: home the axes that are named, or all."""
        self._events.homed.append((self._row, "".join(axis for axis in "XYZ" if axis in words) or "XYZ"))
        self.stop(StopKind.HOME)

    def reset(self, words: dict[str, float]) -> None:
        """G92: call the present place by other coordinates; without axes, all are zero."""
        named = {axis: words[axis] * self.unit for axis in "XYZE" if _is(words, axis)}
        self._events.resets.append((self._row, named or dict.fromkeys("XYZE", 0.0)))

    def heat(self, words: dict[str, float], *, bed: bool, wait: bool) -> None:
        """M104, M109, M140, M190."""
        degrees = next((words[key] for key in "SR" if _is(words, key)), None)
        # A tool that waits is heated ahead; that says nothing of the one that prints.
        other_tool = not bed and _is(words, "T") and words["T"] != self.state.tool
        if degrees is not None and not other_tool:
            self._set(**{"bed_c" if bed else "nozzle_c": degrees})
        if wait:
            self.stop(StopKind.HEAT)

    def blow(self, words: dict[str, float], *, off: bool = False) -> None:
        """M106 and M107: the part's fan, 0 to 255."""
        # Higher numbers are fans of the case and of boards, which do not blow at the part.
        if words.get("P", 0.0) not in (0.0, 1.0):
            return
        power = 0.0 if off else words.get("S", 255.0)
        self._set(fan=min(1.0, max(0.0, power / 255)) if math.isfinite(power) else 1.0)

    def accelerate(self, words: dict[str, float]) -> None:
        """M204: accelerations; S sets that of printing and of travel."""
        names = {"P": "print", "T": "travel", "R": "retract"}
        found = {f"{name}_acceleration": words[key] for key, name in names.items() if _above(words, key)}
        if _above(words, "S"):
            found = {"print_acceleration": words["S"], "travel_acceleration": words["S"], **found}
        self._set(**found)

    def limit(self, words: dict[str, float], name: str) -> None:
        """M201, M203 and M205: a limit of every axis that is named; J is the junction deviation."""
        self._set(**{f"{name}_{axis}": words[axis.upper()] for axis in AXES if _above(words, axis.upper())})
        if name == "jerk" and _above(words, "J"):
            self._set(junction_deviation=words["J"])

    def speed_up(self, words: dict[str, float]) -> None:
        """M220: percent of the speed."""
        if _above(words, "S"):
            self._set(speed_factor=words["S"] / 100)

    def push_more(self, words: dict[str, float]) -> None:
        """M221: percent of the flow."""
        if _above(words, "S"):
            self._flow = words["S"] / 100
            self._set(flow_factor=self._flow / self._area)

    def push_volume(self, words: dict[str, float]) -> None:
        """M200: filament is given in cubic millimetres of a strand of diameter D; 0 for millimetres again."""
        diameter = words.get("D", 0.0)
        self._area = math.pi / 4 * diameter**2 if 0.1 < diameter < 100 else 1.0
        self._set(flow_factor=self._flow / self._area)

    def firmware_retract(self, words: dict[str, float]) -> None:
        """M207: length of the retraction by G10, S mm."""
        if _above(words, "S"):
            self.retract_mm = words["S"] * self.unit


def _is(words: dict[str, float], key: str) -> bool:
    return math.isfinite(words.get(key, math.nan))


def _above(words: dict[str, float], key: str) -> bool:
    return 0 < words.get(key, math.nan) < 1e7


Handler = Callable[[Interpreter, dict[str, float]], None]
HANDLERS: Final[dict[str, Handler]] = {
    "G4": Interpreter.dwell,
    "G10": lambda now, words: now.pull(True, words),
    "G11": lambda now, words: now.pull(False, words),
    "G20": lambda now, words: now.measure(INCH),
    "G21": lambda now, words: now.measure(1.0),
    "G28": Interpreter.home,
    "G90": lambda now, words: now.step(False),
    "G91": lambda now, words: now.step(True),
    "G92": Interpreter.reset,
    "M0": lambda now, words: now.stop(StopKind.PAUSE),
    "M1": lambda now, words: now.stop(StopKind.PAUSE),
    "M400": lambda now, words: now.stop(StopKind.PAUSE),
    "M600": lambda now, words: now.stop(StopKind.PAUSE),
    "M82": lambda now, words: now.step_e(False),
    "M83": lambda now, words: now.step_e(True),
    "M104": lambda now, words: now.heat(words, bed=False, wait=False),
    "M109": lambda now, words: now.heat(words, bed=False, wait=True),
    "M140": lambda now, words: now.heat(words, bed=True, wait=False),
    "M190": lambda now, words: now.heat(words, bed=True, wait=True),
    "M106": Interpreter.blow,
    "M107": lambda now, words: now.blow(words, off=True),
    "M201": lambda now, words: now.limit(words, "max_acceleration"),
    "M203": lambda now, words: now.limit(words, "max_speed"),
    "M204": Interpreter.accelerate,
    "M205": lambda now, words: now.limit(words, "jerk"),
    "M207": Interpreter.firmware_retract,
    "M200": Interpreter.push_volume,
    "M220": Interpreter.speed_up,
    "M221": Interpreter.push_more,
}
