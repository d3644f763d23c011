"""A sliced file with its plan, and its figures by feature and tool."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, fields
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.toolpath.gcode import FEATURES, WASTE, Feature, StopKind, Toolpath
from oddtwin.core.toolpath.motion import Limits, Plan, plan_motion
from oddtwin.core.toolpath.sliced.filament import Filament

BLOCK: Final = 1 << 16
SHORTEST_MM: Final = 0.05
"""Shorter moves say nothing about the flow: their figures are mostly rounding."""


@dataclass(frozen=True, slots=True)
class Tally:
    """Figures of some moves: counts, millimetres printed and travelled, filament, and seconds."""

    moves: int = 0
    path_mm: float = 0.0
    travel_mm: float = 0.0
    filament_mm: float = 0.0
    time_s: float = 0.0
    retractions: int = 0
    wipes: int = 0

    def __add__(self, other: Tally) -> Tally:
        return Tally(*(getattr(self, field.name) + getattr(other, field.name) for field in fields(self)))


class Group(NamedTuple):
    """What moves are added up by: tool, feature, and place in the list of objects (-1 for none)."""

    tool: int
    feature: Feature
    object: int


@dataclass(frozen=True, slots=True)
class Sliced:
    """A sliced file, read and planned.

    Parameters
    ----------
    path : Toolpath
    plan : Plan
    pushed : numpy.ndarray, shape (moves,)
        Filament that leaves the nozzle for good, mm: what a retraction takes back and
        gives again is not counted.
    limits : Limits
    filament : Filament
    groups : dict of Group to Tally
        Figures by tool, feature and object.
    """

    path: Toolpath
    plan: Plan
    pushed: Floats
    limits: Limits
    filament: Filament
    groups: dict[Group, Tally]

    @property
    def total(self) -> Tally:
        """Figures of the whole file."""
        return sum(self.groups.values(), Tally())

    def by_feature(self) -> dict[Feature, Tally]:
        """Return the figures of every feature that occurs, in the order of the table of features."""
        found = self._added("feature")
        return {feature: found[feature] for feature in FEATURES if feature in found}

    def by_tool(self) -> dict[int, Tally]:
        """Return the figures of every tool that occurs."""
        return dict(sorted(self._added("tool").items()))

    def by_object(self) -> dict[str, Tally]:
        """Return the figures of every object that the file names."""
        found = self._added("object")
        return {name: found[place] for place, name in enumerate(self.path.objects) if place in found}

    def _added(self, part: str) -> dict[Any, Tally]:
        found: dict[Any, Tally] = {}
        for group, tally in self.groups.items():
            key = getattr(group, part)
            found[key] = found.get(key, Tally()) + tally
        return found

    def grams(self, filament_mm: float) -> float:
        """Return the mass of some millimetres of filament."""
        return self.filament.grams_along(filament_mm)

    @property
    def mass_g(self) -> float:
        """Mass of all that leaves the nozzle."""
        return self.grams(self.total.filament_mm)

    @property
    def waste_mm(self) -> float:
        """Filament that does not stay on the part."""
        return sum(tally.filament_mm for feature, tally in self.by_feature().items() if feature in WASTE)

    def waits(self) -> dict[str, float]:
        """Return the seconds at which nothing moves, by cause."""
        found = {StopKind.DWELL.value: sum(stop.seconds for stop in self.path.stops)}
        found[StopKind.TOOL.value] = self.tool_changes * self.limits.tool_change_s
        found["heating and homing"] = self.limits.overhead_s
        return {cause: seconds for cause, seconds in found.items() if seconds}

    @property
    def tool_changes(self) -> int:
        """How often the tool is changed once printing has begun or a first tool was chosen."""
        return sum(1 for _ in tool_changes(self.path, self.pushed))

    @property
    def raw_s(self) -> float:
        """Seconds of moves and waits, before the machine's own prints correct them."""
        return self.plan.seconds + sum(self.waits().values())

    @property
    def time_s(self) -> float:
        """Predicted seconds of the print."""
        return self.limits.scale * self.raw_s + self.limits.offset_s

    @property
    def retractions(self) -> int:
        """How often filament is pulled back."""
        return self.total.retractions

    @property
    def wipes(self) -> int:
        """How many retractions go on while the nozzle moves."""
        return self.total.wipes

    @property
    def layer_s(self) -> Floats:
        """Seconds of every layer, dwells included; shape (layers,)."""
        path = self.path
        seconds = np.add.reduceat(self.plan.time, path.layer_start)
        for stop in path.stops:
            layer = int(np.searchsorted(path.layer_start, stop.move, side="right")) - 1
            if stop.seconds and layer >= 0:
                seconds[layer] += stop.seconds
        return np.asarray(seconds)

    def flow(self, moves: slice | None = None) -> Floats:
        """Return the greatest volume flow of some moves, mm³/s; 0 where it cannot be told."""
        part = slice(0, self.path.moves) if moves is None else moves
        length = self.path.length[part]
        long = length >= SHORTEST_MM
        flow = self.pushed[part] * self.plan.peak[part] * self.filament.area_mm2
        return np.where(long, flow / np.where(long, length, 1.0), 0.0)

    @property
    def max_flow_mm3_s(self) -> float:
        """Greatest volume flow of the file, mm³/s."""
        return max((float(self.flow(part).max()) for part in blocks(self.path.moves)), default=0.0)


def analyse(
    path: Toolpath,
    limits: Limits | None = None,
    filament: Filament | None = None,
    job: Job = UNWATCHED,
) -> Sliced:
    """Plan a toolpath and add up its figures.

    Parameters
    ----------
    path : Toolpath
        The moves of a sliced file.
    limits : Limits, optional
        Of the machine.
    filament : Filament, optional
        By default 1.75 mm and 1.24 g/cm³.
    job : Job
        Told the share that is done; stops the work between blocks of moves.

    Raises
    ------
    CancelledError
        The job was cancelled.
    """
    limits = limits or Limits()
    plan = plan_motion(path, limits, job=job)
    pushed = pushed_filament(path)
    return Sliced(path, plan, pushed, limits, filament or Filament(), _groups(path, plan, pushed))


def pushed_filament(path: Toolpath) -> Floats:
    """Return what every move adds to the most filament that its tool has pushed so far, mm."""
    tools = path.of_state("tool")
    if (tools == tools[0]).all():
        return _rise(path.e)
    tool = tools.take(path.state)
    pushed = np.zeros(path.moves)
    for number in np.unique(tools):
        own = np.flatnonzero(tool == number)
        pushed[own] = _rise(path.e[own])
    return pushed


def _rise(e: Floats) -> Floats:
    reached = np.cumsum(e)
    # Only what goes beyond the farthest point yet is laid: pulling back and pushing again comes to nothing.
    np.maximum.accumulate(reached, out=reached)
    np.maximum(reached, 0.0, out=reached)
    return np.diff(reached, prepend=0.0)


def blocks(count: int) -> Iterator[slice]:
    """Yield slices of some moves at a time."""
    for begin in range(0, count, BLOCK):
        yield slice(begin, min(count, begin + BLOCK))


def retraction_starts(e: Floats) -> NDArray[np.bool_]:
    """Return which moves begin to pull filament back; shape (moves,)."""
    driven = np.flatnonzero(e)
    back = e[driven] < 0
    starts = np.zeros(len(e), bool)
    starts[driven[back & ~np.concatenate(([False], back[:-1]))]] = True
    return starts


def tool_changes(path: Toolpath, pushed: Floats) -> Iterator[tuple[int, int, int]]:
    """Yield every change of tool: move before which it is made, tool before, tool after."""
    stops = [stop for stop in path.stops if stop.kind is StopKind.TOOL]
    if not stops:
        return
    printing = np.flatnonzero(pushed)
    first = int(printing[0]) if len(printing) else path.moves
    now: int | None = None
    for stop in stops:
        # A file that prints before it names a tool prints with the first.
        before = 0 if now is None and stop.move > first else now
        if before is not None and before != stop.tool:
            yield stop.move, before, stop.tool
        now = stop.tool


def wipe_starts(path: Toolpath) -> NDArray[np.bool_]:
    """Return which moves begin to pull filament back while the nozzle moves; shape (moves,)."""
    wiping = (path.e < 0) & (path.length > 0)
    return wiping & ~np.concatenate(([False], wiping[:-1]))


def _groups(path: Toolpath, plan: Plan, pushed: Floats) -> dict[Group, Tally]:
    """Add up the moves by tool, feature and object; what is pushed standing still counts as purge."""
    states = len(path.states)
    sums = np.zeros((7, 2 * states))
    pulls, wipes = retraction_starts(path.e), wipe_starts(path)
    for part in blocks(path.moves):
        length = path.length[part]
        out = pushed[part]
        still = (length == 0) & (out > 0)
        key = path.state[part] + states * still
        prints = path.e[part] > 0
        printed = np.where(prints, length, 0.0)
        weights = (None, printed, length - printed, out, plan.time[part], pulls[part], wipes[part])
        for row, weight in enumerate(weights):
            # Counted by state first: there are a few hundred states and a million moves, and the groups
            # follow from the states.
            sums[row] += np.bincount(key, weight, 2 * states)
    groups: dict[Group, Tally] = {}
    for place in np.flatnonzero(sums[0]).tolist():
        state = path.states[place % states]
        feature = FEATURES[state.feature]
        where = Group(state.tool, Feature.PURGE if place >= states else feature, state.object)
        moves, printed_mm, travelled, filament, seconds, pulled, wiped = sums[:, place].tolist()
        own = Tally(int(moves), printed_mm, travelled, filament, seconds, int(pulled), int(wiped))
        groups[where] = groups.get(where, Tally()) + own
    return groups
