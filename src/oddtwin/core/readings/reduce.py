"""From readings to prints: the print is the unit, however often it was measured."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace

from oddtwin.core.language import tr
from oddtwin.core.readings.model import Reading
from oddtwin.core.readings.value import Rule, value_of


@dataclass(frozen=True, slots=True)
class PrintValue:
    """One print reduced to one value of one response.

    Parameters
    ----------
    arm, pair, machine, piece, run, plate, spool, day, setting : str
        As in :class:`Reading`.
    value : float or None
        As `value_of` makes it of its readings, in the response's unit; None without any.
    worst : float or None
        For grades, the worst zone's grade; None for numbers.
    reach : tuple of float or None
        Where the value lies, where that is all that is known.
    words : tuple of str
        For words, all that were read.
    set_aside : str
        Reason why the print does not count; empty when it counts.
    repeats : int
        How often the spot that was read most was read.
    tries : int
        Of a yes or no, of how many the value is the share.
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
    reach: tuple[float, float] | None = None
    words: tuple[str, ...] = ()
    set_aside: str = ""
    setting: str = ""
    plate: str = ""
    repeats: int = 1
    tries: int = 1

    @property
    def counts(self) -> bool:
        """Whether the print enters the comparison."""
        return not self.set_aside and (self.value is not None or bool(self.words))


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
    def measured(self) -> bool:
        """Whether its prints have numbers, and not only words."""
        return all(item.value is not None for item in (*self.baseline, *self.change))

    @property
    def difference(self) -> float:
        """Change minus baseline, twins averaged first, in the response's unit."""
        return _mean(self.change) - _mean(self.baseline)

    @property
    def matched(self) -> list[float]:
        """Change minus baseline of each two prints that were made one after the other.

        A block with two prints of either arm is two pairs; a twin beyond that has no partner.
        """
        return [_value(new) - _value(old) for old, new in zip(self.baseline, self.change, strict=False)]


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
                    # What is known only as above a limit says nothing of scatter.
                    if item.value is not None and item.reach is None:
                        by_place[item.machine, item.piece, item.setting].append(item.value)
                groups += [values for values in by_place.values() if len(values) > 1]
        return groups


def reduce_prints(readings: Iterable[Reading], baseline: str, change: str, rule: Rule) -> Prints:
    """Bring readings of one response to one value a print, and prints to pairs.

    Parameters
    ----------
    readings : iterable of Reading
        Of one response; arms other than the two named are left out.
    baseline, change : str
        Names of the two arms.
    rule : Rule
        How readings of one print become its value.
    """
    return arranged(prints_of(readings, rule), baseline, change)


def prints_of(readings: Iterable[Reading], rule: Rule) -> list[PrintValue]:
    """Bring readings of one response to one value a print.

    Parameters
    ----------
    readings : iterable of Reading
        Of one response.
    rule : Rule
        How readings of one print become its value.

    Returns
    -------
    list of PrintValue
        In the order in which the prints first come up.
    """
    grouped: dict[tuple[str, ...], list[Reading]] = defaultdict(list)
    for number, reading in enumerate(readings):
        grouped[_print_key(reading, number)].append(reading)
    return [_reduce(group, rule) for group in grouped.values()]


def arranged(values: Iterable[PrintValue], baseline: str, change: str) -> Prints:
    """Arrange prints of two arms in pairs.

    Parameters
    ----------
    values : iterable of PrintValue
        Of one response; arms other than the two named are left out.
    baseline, change : str
        Names of the two arms.
    """
    prints = [item for item in values if item.arm in (baseline, change)]
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
        missing=tuple(item for item in prints if not item.set_aside and not item.counts),
        unnamed=sum(not item.run and item.repeats > 1 for item in prints),
    )


def pooled(values: Iterable[PrintValue], unit_of: Callable[[PrintValue], str]) -> list[PrintValue]:
    """Bring the prints of each unit to one value, so that they are not counted as many.

    Parameters
    ----------
    values : iterable of PrintValue
        Of one response.
    unit_of : callable
        Names the whole plot, plate or machine that a print belongs to.

    Returns
    -------
    list of PrintValue
        The mean of the prints of one unit and arm that count, under the unit's name as run; prints
        that do not count stand by themselves.
    """
    gathered: dict[tuple[str, str, str], list[PrintValue]] = defaultdict(list)
    rest = []
    for item in values:
        if item.counts and item.value is not None:
            gathered[item.machine, unit_of(item), item.arm].append(item)
        else:
            rest.append(item)
    found = [
        replace(
            items[0],
            value=math.fsum(item.value or 0.0 for item in items) / len(items),
            worst=max((item.worst for item in items if item.worst is not None), default=None),
            reach=_reach(items),
            run=unit,
            tries=sum(item.tries for item in items),
        )
        for (_, unit, _), items in gathered.items()
    ]
    return found + rest


def _reach(items: Sequence[PrintValue]) -> tuple[float, float] | None:
    """Return where the mean of some prints lies; None where all of them are known."""
    if all(item.reach is None for item in items):
        return None
    ends = [item.reach or (_value(item), _value(item)) for item in items]
    # Not fsum, which refuses to add infinite ends.
    return sum(low for low, _ in ends) / len(ends), sum(high for _, high in ends) / len(ends)


def _print_key(reading: Reading, number: int) -> tuple[str, ...]:
    """Identify the print; without a run name, a row is a print unless it names a place on it."""
    place = (reading.arm, reading.pair, reading.machine, reading.piece)
    if reading.run or reading.zone or reading.waste:
        return (*place, reading.run)
    return (*place, "", str(number))


def _reduce(group: Sequence[Reading], rule: Rule) -> PrintValue:
    first = group[0]
    found = value_of(group, rule)
    spots = [item.spot for item in group]
    return PrintValue(
        arm=first.arm,
        pair=first.pair,
        machine=first.machine,
        piece=first.piece,
        run=first.run,
        spool=next((item.spool for item in group if item.spool), ""),
        day=next((item.day for item in group if item.day), ""),
        value=found.value if found else None,
        worst=found.worst if found else None,
        reach=found.reach if found else None,
        words=tuple(item.word for item in group if item.word),
        set_aside=next((item.set_aside for item in group if item.set_aside), ""),
        setting=first.setting,
        plate=first.plate,
        repeats=max(map(spots.count, set(spots))),
        tries=found.tries if found else 1,
    )


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
    # The same pair number on two machines is two pairs where a machine holds both sides, else one pair
    # across them.
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
        raise ValueError(tr("a print without a reading has no value"))
    return item.value


def _mean(items: Sequence[PrintValue]) -> float:
    return math.fsum(_value(item) for item in items) / len(items)
