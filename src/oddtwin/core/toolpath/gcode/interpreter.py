"""The lines that are not plain moves, row by row of a block: commands and comments."""

from __future__ import annotations

import math
from collections import Counter
from typing import Final

from oddtwin.core.toolpath.gcode.carried import LARGEST, carried_settings
from oddtwin.core.toolpath.gcode.commands import HANDLERS, NAMED
from oddtwin.core.toolpath.gcode.features import FEATURES, tight
from oddtwin.core.toolpath.gcode.machine import Events, Machine
from oddtwin.core.toolpath.gcode.state import State
from oddtwin.core.toolpath.gcode.syntax import MODAL, MOTION, Command, Line, parse_line
from oddtwin.core.toolpath.gcode.vocabulary import Meaning, read_aside, read_comment

TELLING: Final = frozenset(
    {"M16", "M17", "M18", "M23", "M24", "M31", "M75", "M76", "M77", "M78", "M84", "M105", "M110", "M114"}
    | {"M115", "M117", "M118", "M150", "M300", "M862.1", "M862.2", "M862.3", "M862.4", "M862.5", "M862.6"}
    | {
        "EXCLUDE_OBJECT_DEFINE",
        "EXCLUDE_OBJECT_RESET",
        "SET_PRINT_STATS_INFO",
        "RESPOND",
        "TIMELAPSE_TAKE_FRAME",
    }
)
"""Codes that only tell or ask for something: two files may differ in them and print alike."""
SILENT: Final = TELLING | {"G29", "G80", "M413", "M420", "M500", "M501"}
"""Known codes that change nothing that is computed here."""
PLAIN: Final = frozenset({"M201", "M204", "M205"})
"""Codes that change the state by their words alone."""
MOST_OTHERS: Final = 2_000
MOST_REMEMBERED: Final = 50_000
LONGEST_REMEMBERED: Final = 100


class Interpreter:
    """Reads the lines that are not plain moves, and keeps what the file says of itself."""

    def __init__(self) -> None:
        self.machine = Machine()
        self.settings: dict[str, str] = {}
        self.remarks: dict[str, str] = {}
        self.unknown: Counter[str] = Counter()
        self.others: Counter[str] = Counter()
        self.odd_features: dict[str, int] = {}
        self.unreadable: list[int] = []
        self.unreadable_count = 0
        self._in_picture = False
        self._keyed_features = False
        self._pieces: dict[str, list[str]] = {}
        self._carried = 0
        self._known: dict[bytes, tuple[Line, Meaning | None]] = {}
        self._led: dict[tuple[bytes, State], State] = {}

    def read(
        self, others: list[tuple[int, bytes]], asides: list[tuple[int, Meaning]], first_line: int
    ) -> Events:
        """Read the lines of a block that are not plain moves.

        Parameters
        ----------
        others : list of (int, bytes)
            Row in the block, and text.
        asides : list of (int, Meaning)
            Row of a move, and the feature that the comment behind it names.
        first_line : int
            Number of the block's first line in the file.
        """
        self.machine.events = Events()
        rows: list[tuple[int, bytes | Meaning]] = [*others]
        if asides:
            rows = sorted([*rows, *asides], key=lambda one: one[0])
        for row, raw in rows:
            self.machine.row = row
            if isinstance(raw, Meaning):
                self._heed_aside(raw)
                continue
            before = self.machine.state
            led = self._led.get((raw, before))
            if led is not None:
                if led is not before:
                    self.machine.enter(led)
                continue
            line, meaning = self._understand(raw)
            if not line.readable:
                self.unreadable_count += 1
                if len(self.unreadable) < 3:
                    self.unreadable.append(first_line + row)
            if meaning and line.commands:
                self._heed_aside(meaning)
            for command in line.commands:
                self._obey(command)
            if meaning and not line.commands:
                self._heed(meaning)
            leads = _only_leads_on(line, meaning) and not self._in_picture
            if leads and len(self._led) < MOST_REMEMBERED:
                # Files go from one state to the next and back on every layer; the way is looked up.
                self._led[raw, before] = self.machine.state
        return self.machine.events

    def _understand(self, raw: bytes) -> tuple[Line, Meaning | None]:
        found = self._known.get(raw)
        if found is None:
            line = parse_line(raw)
            meaning = None
            if line.comment is not None and line.readable:
                moves = bool(line.commands) and line.commands[0].name in (*MOTION, MODAL)
                if moves:
                    meaning = read_aside(line.comment.encode())
                elif not line.commands:
                    meaning = read_comment(line.comment)
            found = line, meaning
            # The same comments and commands come up on every layer; long lines are pictures, and never come
            # again.
            if len(raw) <= LONGEST_REMEMBERED and len(self._known) < MOST_REMEMBERED:
                self._known[raw] = found
        return found

    def _obey(self, command: Command) -> None:
        name = command.name
        if name in MOTION or name == MODAL:
            self.machine.events.motions.append((self.machine.row, command))
        elif name in HANDLERS:
            HANDLERS[name](self.machine, command.words)
        elif name in NAMED:
            NAMED[name](self.machine, command.named)
        elif name == "M486":
            self.machine.mark_object(command.words, command.text)
        elif name[0] == "T" and name[1:].isdigit():
            self.machine.take_tool(int(name[1:]))
        else:
            if name not in TELLING and len(self.others) < MOST_OTHERS:
                self.others[_written(command)] += 1
            if "START" in name and command.named:
                self.machine.begin(command.named)
            elif name not in SILENT:
                self.unknown[name] += 1

    def _heed_aside(self, meaning: Meaning) -> None:
        """Take in the feature that a comment behind a move names; whole lines that name it know better."""
        if not self._keyed_features:
            self._draw(meaning)

    def _draw(self, meaning: Meaning) -> None:
        if meaning.feature is not None:
            odd = -1
            if meaning.spelling:
                odd = self.odd_features.setdefault(meaning.spelling, len(self.odd_features))
            self.machine.put(feature=FEATURES.index(meaning.feature), spelling=odd)

    def _heed(self, meaning: Meaning) -> None:
        """Take in what a comment says; inside a picture nothing is said."""
        if meaning.thumbnail is not None:
            self._in_picture = meaning.thumbnail
        if self._in_picture:
            return
        if meaning.layer:
            self.machine.events.layers.append((self.machine.row, meaning.layer))
        if meaning.feature is not None:
            self._keyed_features = True
            self._draw(meaning)
        if meaning.piece and self._carried < LARGEST:
            name, text = meaning.piece
            self._carried += len(text)
            self._pieces.setdefault(name, []).append(text)
        if meaning.object is not None:
            self.machine.enter_object(meaning.object)
        if meaning.setting:
            self.settings[meaning.setting[0]] = meaning.setting[1]
        if meaning.remark:
            self.remarks[meaning.remark[0]] = meaning.remark[1]

    def all_settings(self) -> dict[str, str]:
        """Return all settings, and the remarks that are no other spelling of one."""
        known = {tight(key) for key in self.settings}
        found = dict(self.settings)
        # What stands alone on its line comes before what a long text or a weaker spelling says.
        for weaker in (carried_settings(self._pieces), self.remarks):
            fresh = {key: value for key, value in weaker.items() if tight(key) not in known}
            known |= {tight(key) for key in fresh}
            found = fresh | found
        return found


def _only_leads_on(line: Line, meaning: Meaning | None) -> bool:
    """Whether a line does nothing but change the state, and always in the same way."""
    if line.commands:
        return meaning is None and all(command.name in PLAIN for command in line.commands)
    return meaning is not None and meaning.feature is not None and not meaning.spelling


def _written(command: Command) -> str:
    """Return a command as it was written, in one spelling."""
    words = " ".join(
        key + (f"{value:g}" if math.isfinite(value) else "") for key, value in command.words.items()
    )
    return " ".join(part for part in (command.name, words, command.text) if part)
