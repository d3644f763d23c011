"""From readings to prints: the print is the unit, however often it was measured."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from oddtwin.core.readings.model import Combine, Reading, ResponseType


@dataclass(frozen=True, slots=True)
class PrintValue:
    """One print reduced to one value of one response.

    Parameters
    ----------
    arm, pair, machine, piece, run, spool, day, setting : str
        As in :class:`Reading`.
    value : float or None
        The mean or sum of its readings, in the response's unit; None without any.
    worst : float or None
        For grades, the worst zone's grade; None for numbers.
    set_aside : str
        Reason why the print does not count; empty when it counts.
    """

    arm: str
    pair: str
    machine: str
    piece: str
    run: str
    spool: str
    day: str
    value: float | None
    worst: float | None = None
    set_aside: str = ""
    setting: str = ""

    @property
    def counts(self) -> bool:
        """Whether the print enters the comparison."""
        return not self.set_aside and self.value is not None


@dataclass(frozen=True, slots=True)
class Block:
    """Prints made alike in all but the arm.

    Parameters
    ----------
    label : str
        What the block is called; empty where prints were not paired.
    baseline, change : tuple of PrintValue
        Its counting prints by arm; several of one arm are twins.
    """

    label: str
    baseline: tuple[PrintValue, ...]
    change: tuple[PrintValue, ...]

    @property
    def complete(self) -> bool:
        """Whether both arms were printed, so that the block gives a difference."""
        return bool(self.baseline and self.change)

    @property
    def difference(self) -> float:
        """Change minus baseline, twins averaged first, in the response's unit."""
        return _mean(self.change) - _mean(self.baseline)


@dataclass(frozen=True, slots=True)
class Prints:
    """All prints of two arms for one response.

    Parameters
    ----------
    baseline, change : tuple of PrintValue
        Prints that count, by arm.
    blocks : tuple of Block
        The same prints arranged in blocks; unpaired prints stand in blocks by
        machine and piece.
    paired : bool
        Whether the readings name pairs.
    pairs : tuple of Block
        The blocks that give a difference, where prints are paired.
    set_aside, missing : tuple of PrintValue
        Prints that were set aside, and prints that have no reading.
    unnamed : int
        Prints without a name that hold one zone several times: perhaps several prints.
    """

    baseline: tuple[PrintValue, ...]
    change: tuple[PrintValue, ...]
    blocks: tuple[Block, ...]
    paired: bool
    pairs: tuple[Block, ...]
    set_aside: tuple[PrintValue, ...]
    missing: tuple[PrintValue, ...]
    unnamed: int

    def twin_groups(self) -> list[list[float]]:
        """Values of prints of one arm in one block, for every such group of two or more."""
        groups = []
        for block in self.blocks:
            for arm in (block.baseline, block.change):
                if len(arm) < 2:
                    continue
                # Blocks without common machine and piece hold no twins across them.
                by_place = defaultdict(list)
                for item in arm:
                    by_place[item.machine, item.piece, item.setting].append(_value(item))
                groups += [values for values in by_place.values() if len(values) > 1]
        return groups


def reduce_prints(
    readings: Iterable[Reading], baseline: str, change: str, target: float | None = None
) -> Prints:
    """Bring readings of one response to one value a print, and prints to pairs.

    Parameters
    ----------
    readings : iterable of Reading
        Of one response; arms other than the two named are left out.
    baseline, change : str
        Names of the two arms.
    target : float, optional
        Where a response should hit a target, the value of a print is its distance
        from the target, in the response's unit.

    Returns
    -------
    Prints
        Numbers averaged (or summed) over readings; grades averaged over zones,
        repeated grades of one zone first.
    """
    grouped: dict[tuple[str, ...], list[Reading]] = defaultdict(list)
    for number, reading in enumerate(readings):
        if reading.arm in (baseline, change):
            grouped[_print_key(reading, number)].append(reading)
    prints = [_reduce(group, target) for group in grouped.values()]
    counting = [item for item in prints if item.counts]
    paired = any(item.pair for item in prints)
    blocks = tuple(_blocks(counting, baseline, paired))
    return Prints(
        baseline=tuple(item for item in counting if item.arm == baseline),
        change=tuple(item for item in counting if item.arm == change),
        blocks=blocks,
        paired=paired,
        pairs=tuple(block for block in blocks if block.complete) if paired else (),
        set_aside=tuple(item for item in prints if item.set_aside),
        missing=tuple(item for item in prints if not item.set_aside and item.value is None),
        unnamed=sum(_may_be_several(group) for group in grouped.values()),
    )


def _print_key(reading: Reading, number: int) -> tuple[str, ...]:
    """Identify the print; without a run name, a row is a print unless it names a zone."""
    place = (reading.arm, reading.pair, reading.machine, reading.piece)
    if reading.run or reading.zone:
        return (*place, reading.run)
    return (*place, "", str(number))


def _may_be_several(group: Sequence[Reading]) -> bool:
    zones = [item.zone for item in group]
    return not group[0].run and len(zones) > len(set(zones))


def _reduce(group: Sequence[Reading], target: float | None) -> PrintValue:
    first = group[0]
    value, worst = _combined(group)
    if value is not None and target is not None:
        value = abs(value - target)
    return PrintValue(
        arm=first.arm,
        pair=first.pair,
        machine=first.machine,
        piece=first.piece,
        run=first.run,
        spool=next((item.spool for item in group if item.spool), ""),
        day=next((item.day for item in group if item.day), ""),
        value=value,
        worst=worst,
        set_aside=next((item.set_aside for item in group if item.set_aside), ""),
        setting=first.setting,
    )


def _combined(group: Sequence[Reading]) -> tuple[float | None, float | None]:
    zones: dict[str, list[float]] = defaultdict(list)
    for item in group:
        if item.value is not None:
            zones[item.zone].append(item.value)
    first = group[0]
    if not zones:
        return None, None
    if len(group) == 1:
        return first.value, first.value if first.type is ResponseType.GRADE else None
    if first.combine is Combine.SUM:
        return math.fsum(value for values in zones.values() for value in values), None
    if first.type is ResponseType.GRADE:
        means = [math.fsum(values) / len(values) for values in zones.values()]
        return math.fsum(means) / len(means), max(max(values) for values in zones.values())
    everything = [value for values in zones.values() for value in values]
    return math.fsum(everything) / len(everything), None


def _blocks(prints: Sequence[PrintValue], baseline: str, paired: bool) -> list[Block]:
    by_label: dict[str, list[PrintValue]] = defaultdict(list)
    for item in prints:
        by_label[item.pair].append(item)
    blocks = []
    for label, members in by_label.items():
        if paired and not label:
            # A print without a pair among paired ones meets no partner.
            blocks += [_block("", [item], baseline) for item in members]
        else:
            blocks += [_block(label, part, baseline) for part in _split_by_place(members, baseline)]
    return blocks


def _split_by_place(members: Sequence[PrintValue], baseline: str) -> list[list[PrintValue]]:
    """Separate a label that was used again on another machine or piece.

    Where no machine and piece saw both arms, the label alone makes the pair: that
    is then a threat to the conclusion, not a reason to lose the prints.
    """
    places: dict[tuple[str, str], list[PrintValue]] = defaultdict(list)
    for item in members:
        places[item.machine, item.piece].append(item)
    if len(places) == 1:
        return [list(members)]
    shared = any(len({item.arm == baseline for item in part}) == 2 for part in places.values())
    return list(places.values()) if shared else [list(members)]


def _block(label: str, members: Sequence[PrintValue], baseline: str) -> Block:
    return Block(
        label=label,
        baseline=tuple(item for item in members if item.arm == baseline),
        change=tuple(item for item in members if item.arm != baseline),
    )


def _value(item: PrintValue) -> float:
    if item.value is None:
        raise ValueError("a print without a reading has no value")
    return item.value


def _mean(items: Sequence[PrintValue]) -> float:
    return math.fsum(_value(item) for item in items) / len(items)
