"""A sliced file with its plan, and its figures by feature and tool."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, fields
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.language import tr
from oddtwin.core.parallel import each
from oddtwin.core.quantities import format_list, format_number, with_unit
from oddtwin.core.toolpath.gcode import FEATURES, WASTE, Feature, StopKind, Toolpath
from oddtwin.core.toolpath.motion import Limits, Plan, plan_motion
from oddtwin.core.toolpath.sliced.blocks import blocks
from oddtwin.core.toolpath.sliced.filament import Filament, FilamentSource, SpoolSays, filaments_told
from oddtwin.core.toolpath.sliced.pushed import pushed_filament, retraction_starts
from oddtwin.core.toolpath.sliced.said import Said, differences_told, filaments_said, said_of, said_words

SHORTEST_MM: Final = 0.05
"""Shorter moves say nothing about the flow: their figures are mostly rounding."""


@dataclass(frozen=True, slots=True)
class Tally:
    """Figures of some moves: counts, millimetres printed and travelled, filament, and seconds."""

    moves: int = 0
    path_mm: float = 0.0
    travel_mm: float = 0.0
    filament_mm: float = 0.0
    volume_mm3: float = 0.0
    mass_g: float = 0.0
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
    filaments : dict of int to Filament
        Of every tool that occurs.
    source : FilamentSource
        Who told the filament.
    groups : dict of Group to Tally
        Figures by tool, feature and object.
    """

    path: Toolpath
    plan: Plan
    pushed: Floats
    limits: Limits
    filaments: dict[int, Filament]
    source: FilamentSource
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

    @property
    def filament(self) -> Filament:
        """Filament of the tool that lays most."""
        tools = self.by_tool()
        return self.filaments[max(tools, key=lambda tool: tools[tool].filament_mm)]

    def of_filament(self, name: str) -> Floats:
        """Return a figure of the filament of every state; shape (states,)."""
        return np.array([getattr(self.filaments[state.tool], name) for state in self.path.states])

    @property
    def mass_g(self) -> float:
        """Mass of all that leaves the nozzle."""
        return self.total.mass_g

    @property
    def waste(self) -> Tally | None:
        """Figures of what does not stay on the part; None where the file names no feature."""
        features = self.by_feature()
        if not set(features) - {Feature.UNNAMED, Feature.PURGE}:
            return None
        return sum((tally for feature, tally in features.items() if feature in WASTE), Tally())

    @property
    def said(self) -> Said:
        """What the file says that it takes."""
        return said_of(self.path, filaments_said(self.path.settings, self.filaments).get(min(self.filaments)))

    @property
    def notes(self) -> tuple[str, ...]:
        """What the user should know about the figures, as sentences."""
        found = [*self.path.notes]
        if self.waste is None:
            found.append(tr("This file names no feature that is understood, so its waste is not known."))
        odd = self.odd_features()
        if odd:
            words = [f"“{name}” ({with_unit(format_number(mm, 0), 'mm')})" for name, mm in odd.items()]
            found.append(
                tr(
                    "Features with names that are not known count as “other”: {words}.",
                    words=format_list(words),
                )
            )
        spool = self.filament if self.source is FilamentSource.SPOOL else None
        flow = self._usual_flow()
        found += differences_told(self.said, self.time_s, self.total.filament_mm, self.mass_g, flow, spool)
        return tuple(found)

    @property
    def told(self) -> tuple[str, ...]:
        """Whose filament the masses are reckoned with, and what the file says of itself, as sentences."""
        grams = {tool: tally.mass_g for tool, tally in self.by_tool().items()}
        own = filaments_told(self.filaments, grams)
        return tuple(part for part in (self.source.told(self.filaments), own, said_words(self.said)) if part)

    def odd_features(self) -> dict[str, float]:
        """Return the length of path in every feature whose name nobody knows, mm; the longest first."""
        path = self.path
        spelling = np.array([state.spelling for state in path.states])
        if not (spelling >= 0).any():
            return {}
        own = np.where(path.lays(), path.length, 0.0)
        length = np.bincount(path.state, own, len(spelling))
        found = {name: float(length[spelling == place].sum()) for place, name in enumerate(path.odd_features)}
        return dict(sorted(found.items(), key=lambda item: -item[1]))

    def _usual_flow(self) -> float:
        """Return the flow override that most filament is laid with."""
        path = self.path
        laid = np.bincount(path.state, self.pushed, len(path.states))
        return path.states[int(laid.argmax())].flow_factor

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
        area = self.of_filament("area_mm2").take(self.path.state[part])
        flow = self.pushed[part] * self.plan.peak[part] * area
        return np.where(long, flow / np.where(long, length, 1.0), 0.0)

    @property
    def max_flow_mm3_s(self) -> float:
        """Greatest volume flow of the file, mm³/s."""
        return max((float(self.flow(part).max()) for part in blocks(self.path.moves)), default=0.0)


def analyse(
    path: Toolpath,
    limits: Limits | None = None,
    spool: SpoolSays | None = None,
    job: Job = UNWATCHED,
) -> Sliced:
    """Plan a toolpath and add up its figures.

    Parameters
    ----------
    path : Toolpath
        The moves of a sliced file.
    limits : Limits, optional
        Of the machine.
    spool : SpoolSays, optional
        What the lab book says of the filament; the rest is as the file says for each tool, else as usual.
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
    tools = sorted({state.tool for state in path.states})
    spool, said = spool or SpoolSays(), filaments_said(path.settings, tools)
    filaments = {tool: spool.over(said.get(tool)) for tool in tools}
    told = FilamentSource.FILE if said else FilamentSource.USUAL
    source = FilamentSource.SPOOL if spool.density_g_cm3 or spool.diameter_mm else told
    groups = _groups(path, plan, pushed, filaments)
    return Sliced(path, plan, pushed, limits, filaments, source, groups)


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


def _groups(path: Toolpath, plan: Plan, pushed: Floats, filaments: dict[int, Filament]) -> dict[Group, Tally]:
    """Add up the moves by tool, feature and object; what is pushed standing still counts as purge."""
    states = len(path.states)
    pulls, wipes = retraction_starts(path.e), wipe_starts(path)

    def add_up(part: slice) -> Floats:
        length = path.length[part]
        out = pushed[part]
        # Counted by state first: there are a few hundred states and a million moves, and the groups follow
        # from the states.
        key = path.state[part] + states * ((length == 0) & (out > 0))
        printed = length * (path.e[part] > 0)
        weights = None, printed, length - printed, out, plan.time[part]
        sums = [np.bincount(key, weight, 2 * states) for weight in weights]
        starts = [np.bincount(key[begins[part]], minlength=2 * states) for begins in (pulls, wipes)]
        return np.array([*sums, *starts], np.float64)

    sums = np.zeros((7, 2 * states))
    for part in each(add_up, blocks(path.moves)):
        sums += part
    groups: dict[Group, Tally] = {}
    for place in np.flatnonzero(sums[0]).tolist():
        state = path.states[place % states]
        feature = FEATURES[state.feature]
        where = Group(state.tool, Feature.PURGE if place >= states else feature, state.object)
        moves, printed_mm, travelled, out_mm, seconds, pulled, wiped = sums[:, place].tolist()
        volume = out_mm * filaments[state.tool].area_mm2
        mass = filaments[state.tool].grams(volume)
        own = Tally(int(moves), printed_mm, travelled, out_mm, volume, mass, seconds, int(pulled), int(wiped))
        groups[where] = groups.get(where, Tally()) + own
    return groups
