"""From lines to moves: coordinates, units and modes followed through a block at once."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping
from typing import Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.language import tr
from oddtwin.core.toolpath.gcode.arcs import CURVE
from oddtwin.core.toolpath.gcode.columns import FIELDS, Bools, Growing, bend, follow
from oddtwin.core.toolpath.gcode.errors import GcodeError, refuse_too_many
from oddtwin.core.toolpath.gcode.interpreter import Interpreter
from oddtwin.core.toolpath.gcode.layers import cut_off, find_layers
from oddtwin.core.toolpath.gcode.machine import Events
from oddtwin.core.toolpath.gcode.scan import COLUMNS, NONE, REPEATED, Scan
from oddtwin.core.toolpath.gcode.toolpath import DEFAULT_FEED, Flag, Stop, Toolpath

X, Y, Z, E, F = range(5)
FARTHEST: Final = 1e5
STATE_KEPT: Final = b"_GCODE_STATE"


class Resolver:
    """Gathers the moves of a file, block by block."""

    def __init__(self) -> None:
        self.interpreter = Interpreter()
        self.lines = 0
        self._columns = {name: Growing(kind) for name, kind in FIELDS}
        self._moves = 0
        self._last = np.zeros(4)
        self._offset = np.zeros(3)
        self._feed = DEFAULT_FEED
        self._motion = 1
        self._state = 0
        self._mode = (False, False, 1.0)
        self._stops: list[Stop] = []
        self._marks: dict[str, list[int]] = {}
        self._plane = 17
        self._kept: dict[str, tuple[Floats, Floats, float]] = {}
        self._curves: Floats | None = None

    def add(self, block: Scan) -> None:
        """Take in one block of lines.

        Raises
        ------
        GcodeError
            A coordinate lies far outside of any printer, or there are more moves than can be held.
        """
        # What is in force where a state is saved or put back must be known then: a part begins there.
        keeps = [row for row, raw in block.others if STATE_KEPT in raw.upper()]
        for first, end in itertools.pairwise([0, *(row for row in keeps if row), len(block.motion)]):
            self._add(block.part(first, end) if keeps else block)

    def _add(self, block: Scan) -> None:
        rows = len(block.motion)
        events = self.interpreter.read(block.others, block.asides, self.lines + 1)
        values, motion = block.values, block.motion
        further: dict[int, dict[str, float]] = {}
        for row, command in events.motions:
            # The reference parser reads what the fast scanner does not understand; from here on its lines
            # are like all others.
            motion[row] = int(command.name[1:]) if command.name else REPEATED
            for letter, value in command.words.items():
                if letter in COLUMNS:
                    values[COLUMNS.index(letter), row] = value
            if motion[row] >= 2 and not command.words.keys().isdisjoint("KPQ"):
                further[row] = {key: command.words[key] for key in "KPQ" if key in command.words}
        # Order matters: units before speeds, speeds and motion before filament, filament before the walk
        # along the axes.
        relative, relative_e = self._in_millimetres(values, events, rows)
        added = np.zeros(rows, np.int64)
        for named in events.kept:
            self._kept[named.get("NAME", "")] = self._last.copy(), self._offset.copy(), self._feed
        for named in events.recalled:
            added[0] += self._recall(named)
        self._follow_feed(values)
        self._follow_motion(motion)
        delta_e = self._follow_filament(values, relative_e, events)
        states = self._fill(events.states, rows)
        if self.interpreter.machine.state.flow_factor != 1 or events.states:
            delta_e *= np.array([state.flow_factor for state in self.interpreter.machine.states]).take(states)
        for row, millimetres, speed in events.pulled:
            delta_e[row] += millimetres
            motion[row] = 1
            if speed:
                values[F, row] = speed
        self._curves = self._curves_of(motion, further, events.planes)
        self._walk(block, values, delta_e, states, relative, events, added)
        self._note(events, np.concatenate(([0], np.cumsum(added))) + self._moves)
        self._moves += int(added.sum())
        refuse_too_many(self._moves)
        self.lines += rows

    def _recall(self, named: Mapping[str, str]) -> int:
        """Put back coordinates that were kept under a name; returns how many moves that made."""
        last, offset, feed = self._kept[named.get("NAME", "")]
        here = self._last[:3] + self._offset
        there = last[:3] + offset
        self._offset, self._feed = offset.copy(), feed
        # The counter of filament goes on from what it was; the machine stays where it is.
        self._last = np.append(here - offset, last[3])
        length = math.dist(here, there)
        if named.get("MOVE") not in ("1", "True", "true") or not length:
            return 0
        self._last = last.copy()
        self._move_to(there, length, feed, self._state, self.lines + 1)
        return 1

    def _move_to(
        self, where: Floats, length: float, feed: float, state: int, line: int, flag: int = 0
    ) -> None:
        self._append(
            x=where[:1],
            y=where[1:2],
            z=where[2:3],
            e=[0.0],
            length=[length],
            feed=[feed],
            state=[state],
            line=[line],
            flag=[flag],
        )

    def _curves_of(
        self, motion: NDArray[np.int8], further: dict[int, dict[str, float]], planes: list[tuple[int, int]]
    ) -> Floats | None:
        """Return plane and the words K, P and Q of every row; None where all arcs lie flat and once round."""
        if self._plane == 17 and not planes and not further:
            return None
        found = np.full((4, len(motion)), np.nan)
        edges = [row for row, _ in planes]
        found[0] = np.array([self._plane, *(plane for _, plane in planes)], np.float64)[
            np.searchsorted(edges, np.arange(len(motion)), side="right")
        ]
        if planes:
            self._plane = planes[-1][1]
        for row, words in further.items():
            for place, key in enumerate("KPQ", 1):
                found[place, row] = words.get(key, math.nan)
        # P counts turns of an arc; everything else is a length.
        found[1] *= self._mode[2]
        curved = motion == CURVE
        found[2:, curved] *= self._mode[2]
        return found

    def _in_millimetres(self, values: Floats, events: Events, rows: int) -> tuple[Bools | bool, Bools | bool]:
        """Scale all words to millimetres, and tell where positions and filament are steps."""
        # Feed is written per minute, everything else here is per second; inches scale it too, in the same
        # step below.
        values[F] /= 60
        if not events.modes:
            if self._mode[2] != 1:
                values *= self._mode[2]
            return self._mode[0], self._mode[1]
        edges = np.array([row for row, _ in events.modes])
        modes = np.array([self._mode, *(mode for _, mode in events.modes)], np.float64)
        each = modes.T.take(np.searchsorted(edges, np.arange(rows), side="right"), axis=1)
        self._mode = events.modes[-1][1]
        if (each[2] != 1).any():
            values *= each[2]
        return each[0] > 0, each[1] > 0

    def _follow_feed(self, values: Floats) -> None:
        feed = values[F]
        # A feed of zero or less, or none, keeps the one before: that is what firmware does, and it would
        # last for ever.
        feed[~(feed > 0)] = np.nan
        values[F] = follow(feed, False, self._feed)
        self._feed = float(values[F, -1])

    def _follow_motion(self, motion: NDArray[np.int8]) -> None:
        moving = np.flatnonzero(motion != NONE)
        code = motion[moving]
        if (code == REPEATED).any():
            # Each repeated motion looks up the last one that was written, all at once.
            place = np.maximum.accumulate(np.where(code != REPEATED, np.arange(1, len(code) + 1), 0))
            motion[moving] = code = np.concatenate((np.array([self._motion], np.int8), code))[place]
        if len(code):
            self._motion = int(code[-1])

    def _follow_filament(self, values: Floats, relative: Bools | bool, events: Events) -> Floats:
        """Return the filament driven by every row, mm."""
        resets = [(row, named["E"]) for row, named in events.resets if "E" in named]
        word = values[E]
        at = np.array([row for row, _ in resets], np.int64)
        if relative is True:
            # A step is what was written: the difference of two sums from the start of the file would lose
            # digits. The counter goes on, for positions may follow.
            alone = np.asarray(np.nan_to_num(word))
            row, begin = resets[-1] if resets else (0, self._last[E])
            self._last[E] = begin + alone[row:].sum()
            return alone
        steps = word.copy() if isinstance(relative, np.ndarray) else word
        if resets:
            # A reset is a jump of the counter: the sum goes on from its value, and what it jumps over was
            # never driven.
            word[at] = [value for _, value in resets]
            if isinstance(relative, np.ndarray):
                relative = relative.copy()
                relative[at] = False
        place = follow(word, relative, self._last[E])
        delta = np.diff(place, prepend=self._last[E])
        delta[at] = 0.0
        if isinstance(relative, np.ndarray):
            # A step is what was written, not the difference of two sums.
            delta = np.where(relative, np.nan_to_num(steps), delta)
        self._last[E] = place[-1]
        return delta

    def _fill(self, changes: list[tuple[int, int]], rows: int) -> NDArray[np.int32]:
        """Return the state of every row."""
        edges = np.array([0, *(row for row, _ in changes), rows])
        found = np.repeat(np.array([self._state, *(value for _, value in changes)], np.int32), np.diff(edges))
        if changes:
            self._state = changes[-1][1]
        return found

    def _walk(
        self,
        block: Scan,
        values: Floats,
        delta_e: Floats,
        states: NDArray[np.int32],
        relative: Bools | bool,
        events: Events,
        added: NDArray[np.int64],
    ) -> None:
        """Follow the axes from one change of coordinates to the next."""
        rows = len(block.motion)
        homed = dict(events.homed)
        renamed = {row: named for row, named in events.resets if set(named) - {"E"}}
        begin = 0
        # Homing and renamed coordinates are rare; between them the axes are followed by one pass over whole
        # arrays.
        for cut_at in [*sorted({*homed, *renamed}), rows]:
            if cut_at > begin:
                part = slice(begin, cut_at)
                some = relative if isinstance(relative, bool) else relative[part]
                self._segment(
                    block.motion[part], values[:, part], delta_e[part], states[part], some, begin, added
                )
            if cut_at in homed:
                self._home(homed[cut_at], int(states[cut_at]), float(values[F, cut_at]), cut_at)
                added[cut_at] += 1
            elif cut_at in renamed:
                for axis, value in renamed[cut_at].items():
                    if axis != "E":
                        place = "XYZ".index(axis)
                        # The machine stays where it is and its coordinates are renamed; the offset keeps
                        # the path in one system.
                        self._offset[place] += self._last[place] - value
                        self._last[place] = value
            begin = cut_at

    def _home(self, axes: str, state: int, feed: float, row: int) -> None:
        for axis in axes:
            place = "XYZ".index(axis)
            self._last[place] = self._offset[place] = 0.0
        where = self._last[:3] + self._offset
        self._move_to(where, 0.0, feed, state, self.lines + row + 1, Flag.HOME | Flag.BREAK)

    def _segment(
        self,
        motion: NDArray[np.int8],
        values: Floats,
        delta_e: Floats,
        states: NDArray[np.int32],
        relative: Bools | bool,
        first: int,
        added: NDArray[np.int64],
    ) -> None:
        """Turn the rows between two changes of coordinates into moves."""
        before = self._last[:3] + self._offset
        path = np.empty((3, len(motion)))
        for axis in (X, Y, Z):
            path[axis] = follow(values[axis], relative, self._last[axis])
        self._last[:3] = path[:, -1]
        if self._offset.any():
            path += self._offset[:, None]
        self._check(path, delta_e, values[F], first)
        step = np.empty_like(path)
        step[:, 1:] = path[:, 1:] - path[:, :-1]
        step[:, 0] = path[:, 0] - before
        # Three products by hand: squaring the array as a whole and adding up took twice as long on long
        # files.
        square = step[0] * step[0]
        square += step[1] * step[1]
        square += step[2] * step[2]
        length = np.sqrt(square)
        arcs = motion >= 2
        # A line that moves nothing and drives nothing is no move, though arcs may end where they began.
        keep = (length > 0) | (delta_e != 0)
        curved = bool(arcs.any())
        if curved:
            keep |= arcs
        keep &= motion != NONE
        # Rows are taken by number: a mask would be counted through anew for every column.
        rows = np.flatnonzero(keep)
        x, y, z = path.take(rows, axis=1)
        fields = {
            "x": x,
            "y": y,
            "z": z,
            "e": delta_e.take(rows),
            "length": length.take(rows),
            "feed": values[F].take(rows),
            "state": states.take(rows),
            "line": rows + (self.lines + first + 1),
            "flag": np.zeros(len(rows), np.uint8),
        }
        count = keep.astype(np.int64)
        if curved:
            start = np.column_stack((before, path[:, :-1]))
            curves = None if self._curves is None else self._curves[:, first : first + len(motion)][:, keep]
            fields, count[keep] = bend(fields, start[:, keep], motion[keep], values[:, keep], curves)
        added[first : first + len(motion)] += count
        self._append(**fields)

    def _check(self, path: Floats, delta_e: Floats, feed: Floats, first: int) -> None:
        # One look at the extremes; only a damaged file pays for finding the line.
        worst = max(path.max(), -path.min(), np.abs(delta_e).max(), feed.max())
        if worst < FARTHEST:
            return
        rows = (np.abs(path) >= FARTHEST).any(axis=0) | (np.abs(delta_e) >= FARTHEST) | (feed >= FARTHEST)
        line = self.lines + first + int(np.flatnonzero(rows)[0]) + 1
        raise GcodeError(
            tr(
                "line {line}: a number there is far beyond any printer (over {farthest} mm or mm/s); "
                "the file is damaged, so slice the piece again",
                line=line,
                farthest=f"{FARTHEST:.0f}",
            )
        )

    def _append(self, **fields: object) -> None:
        for name, values in fields.items():
            self._columns[name].add(np.asarray(values))

    def _note(self, events: Events, before: NDArray[np.int64]) -> None:
        """Remember standstills and layer marks by the number of the move that follows."""
        for row, kind, seconds, tool in events.stops:
            self._stops.append(Stop(int(before[row]), kind, seconds, tool))
        for row, style in events.layers:
            self._marks.setdefault(style, []).append(int(before[row]))

    def finish(self, size: int, doubts: list[str], notes: list[str]) -> Toolpath:
        """Return all moves.

        Parameters
        ----------
        size : int
            Bytes read.
        doubts, notes : list of str
            What was seen while reading.

        Raises
        ------
        GcodeError
            There is nothing to print.
        """
        columns = {name: column.taken() for name, column in self._columns.items()}
        flag = columns["flag"]
        stops = np.array([stop.move for stop in self._stops if stop.move < len(flag)], np.int64)
        # The machine stands still at a stop, so no corner is taken at speed there.
        flag[stops] |= np.uint8(Flag.BREAK)
        now = self.interpreter
        printing = (columns["e"] > 0) & (columns["length"] > 0)
        if not printing.any():
            raise GcodeError(tr("nothing is printed by it: no move drives filament; is it sliced G-code?"))
        settings = now.all_settings()
        start, height = find_layers(columns["z"], printing, self._marks, settings)
        return Toolpath(
            **columns,
            layer_start=start,
            layer_z=height,
            states=tuple(now.machine.states),
            objects=tuple(now.machine.objects),
            stops=tuple(self._stops),
            settings=settings,
            unknown=dict(now.unknown.most_common()),
            others=dict(now.others),
            odd_features=tuple(now.odd_features),
            announced_min=now.machine.announced_min,
            doubts=(*doubts, *cut_off(settings, len(start))),
            notes=tuple(notes),
            lines=self.lines,
            size=size,
        )
