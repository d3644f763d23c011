"""What a plan is to do: the design, its arms, and what may be asked of it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from enum import StrEnum
from typing import Any, Final

from oddtwin.core.design.factorial import FRACTIONS, LETTERS, Combination, Fraction, full_factorial
from oddtwin.core.design.ladder import LadderRule
from oddtwin.core.language import mark, tr

MOST_FACTORS: Final = 7
MOST_ARMS: Final = 128


class DesignKind(StrEnum):
    """The families of designs."""

    PAIRS = mark("pairs")
    SEVERAL = mark("several arms")
    LADDER = mark("ladder")
    CHAIN = mark("chain")
    FACTORIAL = mark("factorial")
    FRACTION = mark("fraction")
    CROSSOVER = mark("crossover")
    SPLIT_PLOT = mark("split-plot")


class DriftGuard(StrEnum):
    """What a design of pairs does against drift."""

    RANDOM = mark("random order inside each pair")
    ABBA = mark("baseline, change, change, baseline")
    BASELINE_LAST = mark("baseline again at the end")


MOST_LOOKS: Final = 20


@dataclass(frozen=True, slots=True)
class Design:
    """A design and its options; only those of its kind count.

    Parameters
    ----------
    kind : DesignKind
        Family.
    levels : tuple of int
        Number of levels of each factor, in order; two or more each.
    guard : DriftGuard
        Of pairs: what is done against drift.
    rule : LadderRule
        Of a ladder: in which order it is printed.
    fraction_p : int
        Of a fraction 2^(k−p): p.
    centre_points : int
        Of a factorial of numbers: prints at the middle of all factors, in each block.
    hard_factor, whole_plots : int
        Of a split plot: index of the factor that is hard to change, and between how many
        switches its levels are printed (switches + 1).
    control : bool
        Whether a control arm is printed too.
    copies : int
        Copies that share a plate; 1 for one print at a time.
    apart : bool
        Whether a plate holds copies of one arm, because what differs holds for a whole plate; else
        every arm lies once on each plate.
    block_size : int
        Of several arms: how many a block holds (prints of an evening or of a plate); 0 for all.
    looks : int
        Of pairs: how often the verdict is looked at, in equal steps, the last time at the end.
    drift : bool
        Whether a straight drift along the printed order is taken out of numbers; of a chain it always is.
    """

    kind: DesignKind = DesignKind.PAIRS
    levels: tuple[int, ...] = (2,)
    guard: DriftGuard = DriftGuard.RANDOM
    rule: LadderRule = LadderRule.RANDOM
    fraction_p: int = 1
    centre_points: int = 0
    hard_factor: int = 0
    whole_plots: int = 3
    control: bool = False
    copies: int = 1
    apart: bool = False
    block_size: int = 0
    looks: int = 1
    drift: bool = False

    def combinations(self) -> list[Combination]:
        """Return the level of each factor in each arm, the baseline first.

        Control arm and centre points are not among them.

        Raises
        ------
        ValueError
            The design cannot be made of these factors.
        """
        self._check()
        factors = len(self.levels)
        if self.kind is DesignKind.PAIRS:
            return [(0,) * factors, (1,) * factors]
        if self.kind in (DesignKind.LADDER, DesignKind.SEVERAL):
            return [(level,) * factors for level in range(self.levels[0])]
        if self.kind is DesignKind.CHAIN:
            return [(1,) * step + (0,) * (factors - step) for step in range(factors + 1)]
        if self.kind is DesignKind.FRACTION:
            return self.fraction().combinations()
        return full_factorial(self.levels)

    def fraction(self) -> Fraction:
        """Return the fraction of a design of that kind.

        Raises
        ------
        ValueError
            There is no such fraction.
        """
        key = (len(self.levels), self.fraction_p)
        if key not in FRACTIONS:
            raise ValueError(
                tr("there is no fraction 2^({key}−{key2}); take another size", key=key[0], key2=key[1])
            )
        return Fraction(len(self.levels), FRACTIONS[key])

    @property
    def walks(self) -> bool:
        """Whether it is a ladder whose next level follows from the prints so far."""
        return self.kind is DesignKind.LADDER and self.rule is not LadderRule.RANDOM

    @property
    def no_twins(self) -> str:
        """Why further prints of the baseline cannot be planned; empty where they can."""
        if self.kind is DesignKind.CHAIN:
            return tr(
                "a chain prints its baseline again at the end; plan more prints of each step instead of twins"
            )
        if self.kind is DesignKind.SPLIT_PLOT:
            return tr(
                "the whole plots of one level are each other’s twins; plan more switches instead of twins"
            )
        if self.walks:
            return tr("a ladder that walks prints one level at a time; walk it at random to have twins")
        if self.kind is DesignKind.PAIRS and self.guard is DriftGuard.ABBA:
            return tr("every block prints the baseline twice already; plan no twins besides")
        if self.block_size and self.block_size < self.levels[0]:
            return tr("blocks that cannot hold all arms have no room for twins")
        return ""

    @property
    def resolution(self) -> int | None:
        """Resolution of a fraction; None for designs that mix nothing."""
        return self.fraction().resolution if self.kind is DesignKind.FRACTION else None

    def aliases(self, names: Sequence[str]) -> dict[str, list[str]]:
        """Return, for a fraction, what each effect is mixed with, in the factors' names.

        Parameters
        ----------
        names : sequence of str
            Of the factors, in order.

        Returns
        -------
        dict of str to list of str
            Effects such as ``"height × speed"``, or ``"AB"`` where names are single letters;
            empty where nothing is mixed.
        """
        if self.kind is not DesignKind.FRACTION:
            return {}
        known = dict(zip(LETTERS, names, strict=False))
        # Factors that are called by one letter give words, as the standard tables have them.
        between = "" if all(len(name) == 1 for name in names) else " × "
        mixed = self.fraction().aliases()
        spelled = {
            word: between.join(known[letter] for letter in word)
            for effect, others in mixed.items()
            for word in (effect, *others)
        }
        return {spelled[effect]: [spelled[word] for word in others] for effect, others in mixed.items()}

    def _check(self) -> None:
        factors, kind = len(self.levels), self.kind
        if not 1 <= self.looks <= MOST_LOOKS or (self.looks > 1 and kind is not DesignKind.PAIRS):
            raise ValueError(tr("looks are planned for pairs, from 1 to {MOST_LOOKS}", MOST_LOOKS=MOST_LOOKS))
        if not factors:
            raise ValueError(tr("say what differs between the arms first"))
        if any(count < 2 for count in self.levels):
            raise ValueError(tr("every factor needs at least two levels"))
        if kind is DesignKind.PAIRS and max(self.levels) > 2:
            raise ValueError(
                tr(
                    "pairs compare two levels, and here one factor has {levels}; choose Several "
                    "arms, or a ladder where the levels have an order",
                    levels=max(self.levels),
                )
            )
        if kind is DesignKind.SEVERAL:
            self._check_several()
        if kind is DesignKind.LADDER and factors != 1:
            raise ValueError(tr("a ladder has one factor with its levels; take a factorial for several"))
        if kind is DesignKind.CROSSOVER and factors != 2:
            raise ValueError(tr("a crossover swaps two things, such as filament and machine"))
        if kind in (DesignKind.FACTORIAL, DesignKind.FRACTION, DesignKind.SPLIT_PLOT):
            if factors > MOST_FACTORS:
                raise ValueError(
                    tr("a factorial takes up to {MOST_FACTORS} factors", MOST_FACTORS=MOST_FACTORS)
                )
            if factors < 2:
                raise ValueError(tr("a {kind} design needs at least two factors", kind=kind))
        if kind in (DesignKind.FRACTION, DesignKind.CHAIN) and any(count != 2 for count in self.levels):
            raise ValueError(tr("a {kind} takes two levels of each factor", kind=kind))
        if kind is DesignKind.FRACTION:
            self.fraction()
        elif kind in (DesignKind.FACTORIAL, DesignKind.CROSSOVER, DesignKind.SPLIT_PLOT):
            arms = math.prod(self.levels)
            if arms > MOST_ARMS:
                raise ValueError(tr("that makes {arms} arms; take a fraction, or fewer levels", arms=arms))
        if kind is DesignKind.SPLIT_PLOT and not 0 <= self.hard_factor < factors:
            raise ValueError(tr("say which factor is hard to change"))
        self._check_extras()

    def _check_several(self) -> None:
        if len(set(self.levels)) > 1:
            raise ValueError(
                tr(
                    "several arms that differ in more than one thing need as many levels of "
                    "each; take a factorial to cross them"
                )
            )
        if self.block_size and not 2 <= self.block_size <= self.levels[0]:
            raise ValueError(tr("a block holds 2 to {levels} of {levels} arms", levels=self.levels[0]))

    def _check_extras(self) -> None:
        """Refuse what a kind of design would otherwise leave out without a word."""
        if self.copies < 1 or self.centre_points < 0:
            raise ValueError(tr("copies and centre points are whole numbers"))
        if self.centre_points and self.kind not in (DesignKind.FACTORIAL, DesignKind.FRACTION):
            raise ValueError(tr("centre points belong to a factorial or a fraction; take none"))
        if self.walks and self.control:
            raise ValueError(
                tr(
                    "a ladder that walks prints one level at a time and no control; walk it at "
                    "random, or take the control arm out"
                )
            )
        if self.copies > 1 and (self.walks or self.kind in _ONE_BY_ONE):
            raise ValueError(tr("prints of this design follow one another; take one print on a plate"))


_ONE_BY_ONE: Final = (DesignKind.CHAIN, DesignKind.CROSSOVER, DesignKind.SPLIT_PLOT)


@dataclass(frozen=True, slots=True)
class Explained:
    """A design in words.

    Parameters
    ----------
    title : str
        Short name.
    sentence : str
        What is printed.
    use : str
        When to use it.
    warning : str
        What it cannot tell, with the cheapest repair; empty for none.
    """

    title: str
    sentence: str
    use: str
    warning: str = ""


EXPLAINED: Final[Mapping[DesignKind, Explained]] = {
    DesignKind.PAIRS: Explained(
        mark("Pairs"),
        mark("One print of the baseline and one of the change, side by side in time, again and again."),
        mark("one change, or a whole pack taken as one."),
    ),
    DesignKind.SEVERAL: Explained(
        mark("Several arms"),
        mark("Every level once in each block; where a block cannot hold all, balanced parts of them."),
        mark("three or more levels without an order: machines, filaments, places."),
    ),
    DesignKind.LADDER: Explained(
        mark("Ladder"),
        mark("One setting at three to eight levels."),
        mark("how low or how high can it go?"),
    ),
    DesignKind.CHAIN: Explained(
        mark("Chain"),
        mark(
            "One upgrade after another, easiest first, each kept or put back; the baseline again at the end."
        ),
        mark("several upgrades that will be fitted in turn anyway."),
        mark(
            "Steps and time are mixed: a later step is also a later week. Cheapest "
            "repair: take the last step off again and print the step before it once more."
        ),
    ),
    DesignKind.FACTORIAL: Explained(
        mark("Factorial"),
        mark("Every combination of the levels, in random order."),
        mark("things that may need each other: does the gain only show when both are on?"),
    ),
    DesignKind.FRACTION: Explained(
        mark("Fraction"),
        mark(
            "A chosen part of all combinations, so that each factor is still seen at "
            "both levels equally often."
        ),
        mark("three to seven factors, too many to combine fully; to find the few that matter."),
        mark("Some effects cannot be told apart; the alias table says which."),
    ),
    DesignKind.CROSSOVER: Explained(
        mark("Crossover"),
        mark("Two things swapped, one at a time and both: the fault stays with one of them, or moves."),
        mark("which one is at fault, the filament or the machine, the part or the machine?"),
    ),
    DesignKind.SPLIT_PLOT: Explained(
        mark("Split plot"),
        mark("The factor that is hard to change is switched rarely; the easy ones change inside, at random."),
        mark("a part that takes long to fit, crossed with settings that take a click."),
        mark("The hard factor is judged by its switches, not by its prints: fewer switches, wider interval."),
    ),
}


@dataclass(frozen=True, slots=True)
class ArmIndex:
    """Where the arms of a design stand in its runs."""

    combinations: tuple[Combination, ...]
    control: int | None
    centre: int | None

    @property
    def of_a_block(self) -> tuple[int, ...]:
        """Arms that a complete block prints once each."""
        return tuple(range(len(self.combinations))) + (() if self.control is None else (self.control,))

    @classmethod
    def of(cls, design: Design) -> ArmIndex:
        """Number the arms of a design."""
        found = tuple(design.combinations())
        control = len(found) if design.control else None
        centre = len(found) + 1 if design.centre_points else None
        return cls(found, control, centre)


def design_from_values(values: Mapping[str, Any]) -> Design:
    """Return a design from plain values, as a lab book or a file keeps it.

    Parameters
    ----------
    values : mapping
        Fields of ``Design``; what is missing has its usual value.

    Raises
    ------
    ValueError
        A field that a design does not have, or a value that it cannot take.
    """
    made = dict(values)
    for name, kind in (("kind", DesignKind), ("guard", DriftGuard), ("rule", LadderRule)):
        if name in made:
            made[name] = kind(made[name])
    if "levels" in made:
        made["levels"] = tuple(made["levels"])
    try:
        return Design(**made)
    except TypeError as error:
        raise ValueError(str(error)) from None


def design_values(design: Design) -> dict[str, Any]:
    """Return the plain values of a design, for a lab book or a file."""
    return {
        field.name: list(value) if isinstance(value, tuple) else value
        for field in fields(design)
        for value in [getattr(design, field.name)]
    }
