"""Commands in force: what files set by commands of their own, compared along the path.

Settings and paths may be the same while a temperature, a fan or an acceleration is not: it is
set by a line of its own. For every layer and feature the shares of each value are compared.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from oddtwin.core.language import mark, shown, tr
from oddtwin.core.quantities import capitalized, format_list, format_number, with_unit
from oddtwin.core.toolpath.gcode.state import State
from oddtwin.core.toolpath.match.declared import Declared
from oddtwin.core.toolpath.match.values import plain_key
from oddtwin.core.toolpath.sliced import Sliced

NOT_SET: Final = mark("not set")
LEAST_SHARE: Final = 0.001
"""Of the time; less is a moment, as a fan that starts one line later."""
APART: Final = 0.05
"""Share of a feature in a layer from which its values count as others."""
MOST_TOLD: Final = 5

Value = float | None
Shares = dict[tuple[int, int], dict[Value, float]]


@dataclass(frozen=True, slots=True)
class Quantity:
    """A quantity that commands set.

    Parameters
    ----------
    name, unit : str
    field : str
        Of the state; for a fan its number or name stands in ``fan``.
    words, unless : frozenset of str
        A declared factor with one of them in its name may change it, unless it has one of those.
    factor : float
        From the state's unit to ``unit``.
    fan : str or None
    """

    name: str
    unit: str
    field: str
    words: frozenset[str]
    factor: float = 1.0
    fan: str | None = None
    unless: frozenset[str] = frozenset()

    def of(self, state: State) -> Value:
        """Return its value in a state; None where the file has not set it."""
        value = dict(state.fans).get(self.fan) if self.fan is not None else getattr(state, self.field)
        return None if value is None else round(value * self.factor, 6)

    def written(self, value: Value) -> str:
        """Return a value in words."""
        return shown(NOT_SET) if value is None else with_unit(format_number(float(f"{value:.6g}")), self.unit)


def _words(text: str) -> frozenset[str]:
    return frozenset(text.split())


HEAT: Final = _words("temperature temperatures temp nozzle hotend extruder")
SPEED_UP: Final = _words("acceleration accelerations accel")
CORNERS: Final = _words("jerk junction corner square cornering deviation")
LIMITS: Final = _words("limit limits max maximum")
QUANTITIES: Final = (
    Quantity(mark("nozzle temperature"), "°C", "nozzle_c", HEAT, unless=_words("bed plate chamber")),
    Quantity(mark("bed temperature"), "°C", "bed_c", _words("bed plate")),
    Quantity(mark("chamber temperature"), "°C", "chamber_c", _words("chamber enclosure")),
    Quantity(mark("acceleration of printing"), "mm/s²", "print_acceleration", SPEED_UP),
    Quantity(mark("acceleration of travel"), "mm/s²", "travel_acceleration", SPEED_UP),
    Quantity(mark("acceleration of retraction"), "mm/s²", "retract_acceleration", SPEED_UP),
    Quantity(mark("jerk of X"), "mm/s", "jerk_x", CORNERS),
    Quantity(mark("jerk of Y"), "mm/s", "jerk_y", CORNERS),
    Quantity(mark("jerk of Z"), "mm/s", "jerk_z", CORNERS),
    Quantity(mark("jerk of E"), "mm/s", "jerk_e", CORNERS),
    Quantity(mark("junction deviation"), "mm", "junction_deviation", CORNERS),
    Quantity(mark("speed of a square corner"), "mm/s", "corner_speed", CORNERS),
    Quantity(mark("greatest speed of X"), "mm/s", "max_speed_x", LIMITS),
    Quantity(mark("greatest speed of Y"), "mm/s", "max_speed_y", LIMITS),
    Quantity(mark("greatest speed of Z"), "mm/s", "max_speed_z", LIMITS),
    Quantity(mark("greatest speed of E"), "mm/s", "max_speed_e", LIMITS),
    Quantity(mark("greatest acceleration of X"), "mm/s²", "max_acceleration_x", LIMITS),
    Quantity(mark("greatest acceleration of Y"), "mm/s²", "max_acceleration_y", LIMITS),
    Quantity(mark("greatest acceleration of Z"), "mm/s²", "max_acceleration_z", LIMITS),
    Quantity(mark("greatest acceleration of E"), "mm/s²", "max_acceleration_e", LIMITS),
    Quantity(mark("greatest speed"), "mm/s", "speed", LIMITS),
    Quantity(mark("speed override"), "%", "speed_factor", _words("override feedrate"), 100.0),
    Quantity(mark("flow override"), "%", "flow_factor", _words("flow override multiplier extrusion"), 100.0),
    Quantity(mark("pressure advance"), "", "advance", _words("advance pressure linear")),
    Quantity(mark("retraction of the firmware"), "mm", "retract_mm", _words("retraction retract")),
)
FAN_WORDS: Final = _words("fan fans cooling cool minimum")
"""A minimum time of a layer makes the fan run faster, too."""


@dataclass(frozen=True, slots=True)
class CommandDifference:
    """One quantity that commands set otherwise in two files.

    Parameters
    ----------
    name, unit : str
    baseline, change : str
        The value that holds longest where they differ.
    share_of_time : float
        Of the baseline's print, 0 to 1, in which it differs.
    layers : tuple of (int, int)
        Runs of layers in which it differs, first and last, counted from 1; empty where the files
        have different layers.
    declared : str
        The factor that may change it; empty for none.
    idle : bool
        It differs only while nothing is laid.
    """

    name: str
    unit: str
    baseline: str
    change: str
    share_of_time: float
    layers: tuple[tuple[int, int], ...] = ()
    declared: str = ""
    idle: bool = False

    @property
    def sentence(self) -> str:
        """Say what is set to which value, for how long and where."""
        where = ""
        if self.layers:
            first, last = self.layers[0][0], self.layers[-1][1]
            within = tr("in layer") if first == last else tr("in layers")
            where = f", {within} {first}" + (tr(" to {last}", last=last) if last != first else "")
        return tr(
            "{name} by commands: {baseline} in the baseline, {change} in the change, for "
            "{percent} of the time{where}{part}.",
            name=capitalized(self.name),
            baseline=self.baseline,
            change=self.change,
            percent=_percent(self.share_of_time),
            where=where,
            part=tr(", while nothing is laid") if self.idle else "",
        )


@dataclass(frozen=True, slots=True)
class OtherCommand:
    """A command that is not understood: as it is written, and how often it stands in either file."""

    text: str
    baseline: int
    change: int

    @property
    def counts(self) -> str:
        """How often each file has it, in words."""
        return tr(
            "{times} in the baseline, {times2} in the change",
            times=_times(self.baseline),
            times2=_times(self.change),
        )


@dataclass(frozen=True, slots=True)
class CommandCheck:
    """What commands set otherwise in two files, and which others they have."""

    differences: tuple[CommandDifference, ...]
    others: tuple[OtherCommand, ...]

    @property
    def undeclared(self) -> list[CommandDifference]:
        """What nobody declared."""
        return [one for one in self.differences if not one.declared]

    @property
    def names(self) -> list[str]:
        """What nobody declared, by name."""
        return [one.name for one in self.undeclared] + (
            [tr("commands not understood here")] if self.others else []
        )

    @property
    def sentences(self) -> list[str]:
        """Say everything that nobody declared."""
        found = [one.sentence for one in self.undeclared]
        if self.others:
            told = [f"“{one.text}” ({one.counts})" for one in self.others[:MOST_TOLD]]
            more = len(self.others) - MOST_TOLD
            told += [tr("{more} more", more=more)] if more > 0 else []
            found.append(tr("Commands that are not understood here differ: {told}.", told=format_list(told)))
        return found


def check_commands(baseline: Sliced, change: Sliced, declared: Sequence[Declared] = ()) -> CommandCheck:
    """Compare what two files set by commands of their own.

    Parameters
    ----------
    baseline, change : Sliced
        The files.
    declared : sequence of Declared
        What is meant to differ.
    """
    same_layers = baseline.path.layers == change.path.layers
    files = (baseline, change)
    weights = [_weights(file, by_layer=same_layers) for file in files]
    idle = [_weights(file, by_layer=same_layers, idle=True) for file in files]
    found = []
    for quantity in _quantities(baseline, change):
        ours, theirs = (_shares(file, quantity, held) for file, held in zip(files, weights, strict=True))
        difference = _compared(quantity, ours, theirs, same_layers)
        if difference is None and quantity.fan is not None:
            # A fan may cool the part, or a tool that waits, while nothing is laid.
            ours, theirs = (_shares(file, quantity, held) for file, held in zip(files, idle, strict=True))
            difference = _compared(quantity, *_only_in_one(ours, theirs), same_layers, idle=True)
        if difference is not None:
            found.append(_excused(difference, quantity, declared))
    return CommandCheck(tuple(found), tuple(_others(baseline.path.others, change.path.others)))


def _quantities(*files: Sliced) -> Iterator[Quantity]:
    yield from QUANTITIES
    fans = sorted({fan for file in files for state in file.path.states for fan, _ in state.fans})
    for fan in fans:
        yield Quantity(tr("fan {fan}", fan=fan), "%", "fans", FAN_WORDS, 100.0, fan)


def _weights(file: Sliced, *, by_layer: bool, idle: bool = False) -> dict[tuple[int, int], float]:
    """Return the seconds of every state in every layer, by (layer, state); the first layer is 0.

    Counted are the seconds in which something is laid, or those in which nothing is.
    """
    path = file.path
    begin = int(path.layer_start[0])
    layer = np.searchsorted(path.layer_start, np.arange(begin, path.moves), side="right") - 1
    if not by_layer:
        # The first layer has values of its own on purpose, in files of any height.
        layer = np.minimum(layer, 1)
    states = len(path.states)
    key = layer * states + path.state[begin:]
    own = np.where(path.lays()[begin:] != idle, file.plan.time[begin:], 0.0)
    for stop in path.stops if idle else ():
        if begin <= stop.move < path.moves:
            own[stop.move - begin] += stop.seconds
    seconds = np.bincount(key, own)
    return {divmod(place, states): float(seconds[place]) for place in np.flatnonzero(seconds).tolist()}


def _shares(file: Sliced, quantity: Quantity, weights: Mapping[tuple[int, int], float]) -> Shares:
    """Return the seconds of every value, by layer and feature."""
    values = [quantity.of(state) for state in file.path.states]
    found: Shares = {}
    for (layer, state), seconds in weights.items():
        held = found.setdefault((layer, file.path.states[state].feature), {})
        held[values[state]] = held.get(values[state], 0.0) + seconds
    return found


def _only_in_one(ours: Shares, theirs: Shares) -> tuple[Shares, Shares]:
    """Return the shares where a value stands in one file and never in the other.

    How long nothing is laid changes with speeds and retractions, so that shares alone say nothing there.
    """
    keys = {key for key in ours.keys() & theirs.keys() if ours[key].keys() != theirs[key].keys()}
    return {key: ours[key] for key in keys}, {key: theirs[key] for key in keys}


def _compared(
    quantity: Quantity, ours: Shares, theirs: Shares, same_layers: bool, *, idle: bool = False
) -> CommandDifference | None:
    total = sum(sum(held.values()) for held in ours.values())
    apart = 0.0
    layers: set[int] = set()
    mine: Counter[Value] = Counter()
    other: Counter[Value] = Counter()
    for key in ours.keys() & theirs.keys():
        here, there = ours[key], theirs[key]
        seconds, seconds_there = sum(here.values()), sum(there.values())
        share = sum(
            abs(here.get(value, 0.0) / seconds - there.get(value, 0.0) / seconds_there)
            for value in here.keys() | there.keys()
        )
        # Half the sum of the distances of two distributions: the share that has another value.
        if share / 2 <= APART:
            continue
        apart += seconds * share / 2
        layers.add(key[0])
        mine.update(here)
        other.update(there)
    if not total or apart / total < LEAST_SHARE:
        return None
    return CommandDifference(
        quantity.name,
        quantity.unit,
        quantity.written(_usual(mine, other)),
        quantity.written(_usual(other, mine)),
        apart / total,
        tuple(_runs(layers)) if same_layers else (),
        idle=idle,
    )


def _usual(mine: Counter[Value], other: Counter[Value]) -> Value:
    """Return the value that one file has longer than the other, by most."""
    return max(mine, key=lambda value: mine[value] / mine.total() - other[value] / other.total())


def _runs(layers: set[int]) -> Iterator[tuple[int, int]]:
    """Yield runs of layers, counted from 1."""
    first = last = None
    for layer in sorted(layers):
        if last is None or layer > last + 1:
            if first is not None and last is not None:
                yield first + 1, last + 1
            first = layer
        last = layer
    if first is not None and last is not None:
        yield first + 1, last + 1


def _excused(
    difference: CommandDifference, quantity: Quantity, declared: Sequence[Declared]
) -> CommandDifference:
    """Name the factor that may change a quantity, if there is one."""
    for factor in declared:
        words = set(plain_key(factor.name).split("_"))
        trait = factor.trait
        words |= set(plain_key(trait.name).split("_")) if trait else set()
        if factor.pack or (words & quantity.words and not words & quantity.unless):
            return replace(difference, declared=factor.name)
    return difference


def _others(ours: Mapping[str, int], theirs: Mapping[str, int]) -> Iterator[OtherCommand]:
    """Yield the commands that stand in one file more often than in the other."""
    for text in dict.fromkeys([*ours, *theirs]):
        if ours.get(text, 0) != theirs.get(text, 0):
            yield OtherCommand(re.sub(r"\s+", " ", text)[:80], ours.get(text, 0), theirs.get(text, 0))


def _times(count: int) -> str:
    return {0: tr("never"), 1: tr("once")}.get(count, tr("{count} times", count=count))


def _percent(share: float) -> str:
    return f"{100 * share:.0f} %" if share >= 0.01 else f"{format_number(100 * share, 1)} %"
