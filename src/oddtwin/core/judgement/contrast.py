"""Which comparisons a design makes: the arms on each side, and what pairs their prints."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import NamedTuple

from oddtwin.core.language import tr
from oddtwin.core.readings import PrintValue, pooled
from oddtwin.core.study.tidy import unit_names
from oddtwin.core.study.whole import Study


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
    at : tuple of str, optional
        Name of another factor and its level that all prints stand at, where that is what is asked.
    positive : bool
        Whether the change was made bad on purpose: no question, but whether one could be answered.
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
    at: tuple[str, str] | None = None
    positive: bool = False

    @property
    def about(self) -> str:
        """What is compared, in words."""
        return self.title or tr("{change} against {baseline}", change=self.change, baseline=self.baseline)

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
        if self.corners:
            return self._planned_effects(study)
        # Prints of one plot or plate fall on one key, and are counted once, as they will be judged.
        gathered: dict[PlannedPrint, list[int]] = defaultdict(list)
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
