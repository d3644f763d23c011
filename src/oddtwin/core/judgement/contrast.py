"""Which comparisons a design makes: the arms on each side, and what pairs their prints."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import combinations
from typing import NamedTuple

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.design import DesignKind
from oddtwin.core.readings import PrintValue, pooled
from oddtwin.core.study.question import Arm, ArmRole, Factor
from oddtwin.core.study.tidy import unit_names
from oddtwin.core.study.whole import Study, derived_from

INTERACTING = (DesignKind.FACTORIAL, DesignKind.CROSSOVER)
MOST_INTERACTING = 4
CROSSED = (DesignKind.FACTORIAL, DesignKind.FRACTION, DesignKind.CROSSOVER, DesignKind.SPLIT_PLOT)


@dataclass(frozen=True, slots=True)
class PlannedPrint:
    """One print of a comparison, before it is made.

    Parameters
    ----------
    block : str
        Name of the block; empty where prints are not paired.
    is_change : bool
        On which side it stands.
    setting, machine, piece : str
        What must be alike for two prints of a side to be twins.
    unit : str
        Code of the run, or name of the whole plot.
    runs : tuple of int
        The runs behind it by their place in the study: one, or all of a whole plot.
    less : tuple of int
        Runs that are taken from them, where an effect and not a print is compared.
    """

    block: str
    is_change: bool
    setting: str
    machine: str
    piece: str
    unit: str
    runs: tuple[int, ...] = ()
    less: tuple[int, ...] = ()


class Corners(NamedTuple):
    """Names of the four arms that two factors of two levels make."""

    neither: str
    first: str
    second: str
    both: str


@dataclass(frozen=True, slots=True)
class Contrast:
    """One comparison of a study.

    Parameters
    ----------
    baseline, change : str
        What stands on either side, in words.
    sides : mapping of str to bool
        Name of each arm that enters, and whether it stands on the side of the change.
    partners : mapping of str to str
        What else must be alike inside a pair, by the name of the arm: the levels of the
        other factors.
    paired : bool
        Whether prints of one block and the same ``partners`` make a pair.
    plots : bool
        Whether whole plots are compared, not prints: for a factor that is hard to change.
    meant : frozenset of str
        Of "machine" and "spool", what differs because it is the question itself.
    title : str
        What is compared, where the two sides do not say it.
    blocks : frozenset of str, optional
        Names of the blocks that were drawn with both sides; None where all are.
    corners : mapping of str to Corners
        Of an interaction, by the levels of the other factors: then the effect of the first factor
        with the second is compared with its effect without, block by block.
    """

    baseline: str
    change: str
    sides: Mapping[str, bool]
    partners: Mapping[str, str]
    paired: bool = True
    plots: bool = False
    meant: frozenset[str] = frozenset()
    title: str = ""
    blocks: frozenset[str] | None = None
    corners: Mapping[str, Corners] = field(default_factory=dict)

    @property
    def about(self) -> str:
        """What is compared, in words."""
        return self.title or f"{self.change} against {self.baseline}"

    def values(self, prints: Iterable[PrintValue], plots: Mapping[str, str]) -> list[PrintValue]:
        """Return the prints of the arms that enter, as those of two arms.

        Parameters
        ----------
        prints : iterable of PrintValue
            Of one response.
        plots : mapping of str to str
            Whole plot of each run by its code; used where whole plots are compared.
        """
        chosen = [
            item
            for item in prints
            if item.arm in self.sides and (self.blocks is None or item.pair in self.blocks)
        ]
        if self.corners:
            return self._effects(chosen)
        if not self.plots:
            return [self._relabelled(item, self._pair(item)) for item in chosen]
        # Prints between two switches are one plot, and are not counted as many.
        sided = [self._relabelled(item, "") for item in chosen]
        of_plots = [replace(item, pair=item.machine or "all", piece="") for item in sided]
        return pooled(of_plots, lambda item: plots.get(item.run, item.run))

    def prints(self, study: Study, plots: Mapping[str, str]) -> list[PlannedPrint]:
        """Return the prints that enter, before any is made.

        Parameters
        ----------
        study : Study
            With its runs.
        plots : mapping of str to str
            Whole plot of each run by its code.
        """
        # Prints of one plot or plate fall on one key, and are counted once, as they will be judged.
        gathered: dict[PlannedPrint, list[int]] = defaultdict(list)
        if self.corners:
            return self._planned_effects(study)
        own = unit_names(study)
        where, arms = study.index.places, {arm.id: arm.name for arm in study.arms}
        for index, run in enumerate(study.runs):
            name = arms[run.arm_id]
            if name in self.sides and run.reprint_of is None:
                pair, machine, piece = where[run.id]
                if self.blocks is not None and pair not in self.blocks:
                    continue
                there = PrintValue(name, pair, machine, piece, run.code, "", "", None)
                row = self._relabelled(there, pair)
                kind = PlannedPrint(
                    block=(machine or "all") if self.plots else self._pair(there),
                    is_change=self.sides[name],
                    setting=row.setting,
                    machine=row.machine,
                    piece="" if self.plots else piece,
                    unit=plots.get(run.code, run.code) if self.plots else own[run.id],
                )
                gathered[kind].append(index)
        return [replace(kind, runs=tuple(runs)) for kind, runs in gathered.items()]

    def _effects(self, chosen: Iterable[PrintValue]) -> list[PrintValue]:
        """Return the effect of the first factor with and without the second, of every block that has all."""
        there: dict[tuple[str, str, str], dict[str, list[PrintValue]]] = defaultdict(
            lambda: defaultdict(list)
        )
        for item in chosen:
            if item.counts and item.value is not None and item.reach is None:
                there[item.pair, item.machine, item.piece][item.arm].append(item)
        found = []
        for (pair, *_), arms in there.items():
            for partner, corners in self.corners.items():
                if not all(arms[name] for name in corners):
                    continue
                mean = {
                    name: sum(one.value or 0.0 for one in arms[name]) / len(arms[name]) for name in corners
                }
                for arm, with_it, without in (
                    (self.baseline, corners.first, corners.neither),
                    (self.change, corners.both, corners.second),
                ):
                    one = arms[with_it][0]
                    found.append(
                        replace(
                            one,
                            arm=arm,
                            pair=f"{pair} · {partner}",
                            value=mean[with_it] - mean[without],
                            worst=None,
                        )
                    )
        return found

    def _planned_effects(self, study: Study) -> list[PlannedPrint]:
        there: dict[tuple[str, str, str], dict[str, list[int]]] = defaultdict(lambda: defaultdict(list))
        names = {arm.id: arm.name for arm in study.arms}
        for index, run in enumerate(study.runs):
            if run.reprint_of is None:
                pair, machine, piece = study.index.places[run.id]
                there[pair, machine, piece][names[run.arm_id]].append(index)
        return [
            PlannedPrint(
                f"{pair} · {partner}",
                is_change,
                "",
                machine,
                piece,
                f"{pair} {partner} {is_change}",
                tuple(arms[with_it]),
                tuple(arms[without]),
            )
            for (pair, machine, piece), arms in there.items()
            for partner, corners in self.corners.items()
            if all(arms[name] for name in corners)
            for is_change, with_it, without in (
                (False, corners.first, corners.neither),
                (True, corners.both, corners.second),
            )
        ]

    def _pair(self, item: PrintValue) -> str:
        if not self.paired:
            return ""
        other = self.partners[item.arm]
        # In a factorial the partner of a print has all other factors at the same level, so each such set is
        # a pair of its own.
        return f"{item.pair} · {other}" if other else item.pair

    def _relabelled(self, item: PrintValue, pair: str) -> PrintValue:
        arm = self.change if self.sides[item.arm] else self.baseline
        if arm == item.arm and pair == item.pair and not self.meant:
            return item
        machine, spool = ("" if name in self.meant else getattr(item, name) for name in ("machine", "spool"))
        # Two arms on one side are no twins; all plots of one level are.
        setting = item.arm if len(self.sides) > 2 and not self.plots else ""
        return replace(item, arm=arm, pair=pair, machine=machine, spool=spool, setting=setting)


@derived_from("runs", "arms", "factors", "plan", "blocks")
def contrasts(study: Study) -> list[Contrast]:
    """List the comparisons that a study's design makes.

    Parameters
    ----------
    study : Study
        With its arms.

    Returns
    -------
    list of Contrast
        Pairs and ladders: each arm against the baseline. A chain: each step against the
        step before, then the last against the first. Crossed factors: each level of each
        factor against its baseline level, over all combinations of the others; of two factors
        the effect of one at each level of the other; and for up to four two-level factors their
        interactions. A control arm: against the baseline,
        and the change against it.
    """
    design = study.plan.design if study.plan else None
    if design is not None and design.kind in CROSSED and all(arm.level_ids for arm in study.changed_arms):
        found = [
            item for place, factor in enumerate(study.factors) for item in _effects(study, factor, place)
        ]
        if design.kind in INTERACTING and len(study.factors) == 2:
            found += _at_each_level(study)
        if design.kind in INTERACTING and len(study.factors) <= MOST_INTERACTING:
            found += [
                _interaction(study, one, two)
                for one, two in combinations(study.factors, 2)
                if len(one.levels) == len(two.levels) == 2
            ]
    elif design is not None and design.kind is DesignKind.CHAIN:
        steps = [study.baseline, *study.changed_arms]
        found = [
            _two(study, _step_before(steps[:place], steps[place]), steps[place])
            for place in range(1, len(steps))
        ]
        if len(steps) > 2:
            found.append(_two(study, steps[0], steps[-1]))
    else:
        found = [_two(study, study.baseline, arm) for arm in study.changed_arms]
    centre = next((arm for arm in study.arms if arm.role is ArmRole.CENTRE), None)
    if centre is not None:
        found.append(_curvature(study, centre))
    if study.control is not None:
        found.append(_two(study, study.baseline, study.control))
        found += [_two(study, study.control, arm) for arm in study.changed_arms[:1]]
    return found


@derived_from("runs", "arms", "factors", "plan", "blocks")
def whole_plots(study: Study) -> dict[str, str]:
    """Return the whole plot of every run by its code: prints of a machine between two switches."""
    if study.plan is None or study.plan.design.kind is not DesignKind.SPLIT_PLOT:
        return {}
    factor = study.factors[study.plan.design.hard_factor]
    level_of = {
        arm.id: next((level.id for level in factor.levels if level.id in arm.level_ids), 0)
        for arm in study.arms
    }
    machine_of = {block.id: block.machine_id for block in study.blocks}
    last: dict[int | None, int] = {}
    number: dict[int | None, int] = defaultdict(int)
    found = {}
    for run in sorted((run for run in study.runs if run.reprint_of is None), key=lambda run: run.position):
        machine, level = machine_of[run.block_id], level_of[run.arm_id]
        if last.get(machine) != level:
            last[machine] = level
            number[machine] += 1
        found[run.code] = f"plot {number[machine]}"
    by_id = {run.id: run.code for run in study.runs}
    for run in study.runs:
        if run.reprint_of is not None:
            found[run.code] = found.get(by_id.get(run.reprint_of, ""), "")
    return found


def _step_before(steps: Sequence[Arm], arm: Arm) -> Arm:
    """The step that one of a chain builds on: the last one that differs from it in one factor only."""
    levels = set(arm.level_ids)
    return next((item for item in reversed(steps) if len(levels - set(item.level_ids)) == 1), steps[-1])


def _curvature(study: Study, centre: Arm) -> Contrast:
    """The middle against the mean of the corners: apart where effects are not straight lines."""
    corners = [study.baseline, *study.changed_arms]
    sides = {**dict.fromkeys((arm.name for arm in corners), False), centre.name: True}
    return Contrast("the corners", "the middle", sides, dict.fromkeys(sides, ""), paired=False)


_MEANT = {ChangeKind.MACHINE: "machine", ChangeKind.FILAMENT: "spool"}


def _two(study: Study, baseline: Arm, change: Arm) -> Contrast:
    sides = {baseline.name: False, change.name: True}
    before = dict(study.levels_of(baseline))
    moved = [factor for factor, level in study.levels_of(change) if before.get(factor) != level]
    # Arms that were named without levels differ in every factor.
    moved = moved if change.level_ids else list(study.factors)
    meant = frozenset(_MEANT[factor.kind] for factor in moved if factor.kind in _MEANT)
    return Contrast(
        baseline.name,
        change.name,
        sides,
        dict.fromkeys(sides, ""),
        meant=meant,
        blocks=_blocks_with(study, baseline, change),
    )


def _blocks_with(study: Study, one: Arm, two: Arm) -> frozenset[str] | None:
    """Name the blocks that hold two arms, where the design has blocks that cannot hold all."""
    if study.plan is None or study.plan.design.kind is not DesignKind.SEVERAL:
        return None
    if not study.plan.design.block_size:
        return None
    there: dict[int, set[int]] = defaultdict(set)
    for run in study.runs:
        there[run.block_id].add(run.arm_id)
    return frozenset(block.label for block in study.blocks if {one.id, two.id} <= there[block.id])


def _effects(study: Study, factor: Factor, place: int) -> list[Contrast]:
    """Each level of a factor against its first, over all combinations of the other factors."""
    design = study.plan.design if study.plan else None
    arms = [study.baseline, *study.changed_arms]
    level_of = {
        arm.name: next((level for level in factor.levels if level.id in arm.level_ids), factor.levels[0])
        for arm in arms
    }
    hard = design is not None and design.kind is DesignKind.SPLIT_PLOT and place == design.hard_factor
    fraction = design is not None and design.kind is DesignKind.FRACTION
    found = []
    for level in factor.levels[1:]:
        sides = {
            name: there is level for name, there in level_of.items() if there in (level, factor.levels[0])
        }
        found.append(
            Contrast(
                f"{factor.name} {factor.levels[0].value}".strip(),
                f"{factor.name} {level.value}".strip(),
                sides,
                {arm.name: _others(study, arm, factor) for arm in arms if arm.name in sides},
                paired=not fraction,
                plots=hard,
                meant=frozenset({_MEANT[factor.kind]} if factor.kind in _MEANT else ()),
            )
        )
    return found


def _at_each_level(study: Study) -> list[Contrast]:
    """The effect of one of two factors at each level of the other: what their means may hide."""
    # The one with fewer levels is the one whose effect is asked for: a part, at every speed.
    one, other = sorted(study.factors, key=lambda factor: len(factor.levels))
    arms = [study.baseline, *study.changed_arms]
    found = []
    for level in one.levels[1:]:
        for held in other.levels:
            sides = {}
            for arm in arms:
                own = [item for item in one.levels if item.id in arm.level_ids] or [one.levels[0]]
                beside = [item for item in other.levels if item.id in arm.level_ids] or [other.levels[0]]
                if beside[0] is held and own[0] in (one.levels[0], level):
                    sides[arm.name] = own[0] is level
            if set(sides.values()) == {True, False}:
                before, after, where = (
                    f"{factor.name} {item.value}".strip()
                    for factor, item in ((one, one.levels[0]), (one, level), (other, held))
                )
                found.append(
                    Contrast(
                        before,
                        after,
                        sides,
                        dict.fromkeys(sides, ""),
                        title=f"{after} against {before}, {where}",
                    )
                )
    return found


def _interaction(study: Study, one: Factor, two: Factor) -> Contrast:
    """Whether two factors need each other: the effect of one with the other, less its effect without.

    The whole difference of the two effects, of which the interaction of Box, Hunter and Hunter,
    Statistics for Experimenters, is the half; from memory.
    """
    arms = [study.baseline, *study.changed_arms]
    at: dict[str, dict[tuple[bool, bool], str]] = defaultdict(dict)
    for arm in arms:
        others = ", ".join(level.value for other, level in study.levels_of(arm) if other not in (one, two))
        both = (one.levels[1].id in arm.level_ids, two.levels[1].id in arm.level_ids)
        at[others][both] = arm.name
    corners = {
        others: Corners(named[False, False], named[True, False], named[False, True], named[True, True])
        for others, named in at.items()
        if len(named) == 4
    }
    sides = {arm.name: any(arm.name == item.both for item in corners.values()) for arm in arms}
    return Contrast(
        f"{one.name} without {two.name}",
        f"{one.name} with {two.name}",
        sides,
        dict.fromkeys(sides, ""),
        title=f"Interaction of {one.name} and {two.name}",
        corners=corners,
    )


def _others(study: Study, arm: Arm, factor: Factor) -> str:
    return ", ".join(level.value for other, level in study.levels_of(arm) if other is not factor)
