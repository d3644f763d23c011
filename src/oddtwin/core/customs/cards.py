"""Question cards: the kinds of question of the trade, each with a sensible start; all of it editable."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Final

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.design import Design, DesignKind, DriftGuard, LadderRule
from oddtwin.core.language import mark


@dataclass(frozen=True, slots=True)
class CardFactor:
    """A factor that a card fills in: kind, name, and levels, the baseline's first."""

    kind: ChangeKind
    name: str
    levels: tuple[str, ...] = (mark("as now"), "changed")


@dataclass(frozen=True, slots=True)
class CardResponse:
    """A response that a card fills in; graded faults have no unit."""

    name: str
    unit: str = ""
    better: str = "lower"
    graded: bool = True


@dataclass(frozen=True, slots=True)
class QuestionCard:
    """One kind of question.

    Parameters
    ----------
    title : str
        The kind of question, as the user would put it.
    differs : str
        What differs between the arms.
    question : str
        A question to begin from.
    factors, responses : tuple
        To fill in; the first response decides.
    held : tuple of str
        What must stay the same besides the usual list.
    design : Design
        That suits the question.
    repeats, twins : int
        A start for the plan.
    piece : str
        What a piece must have to show it.
    control : str
        Control arm to begin with; empty for none.
    """

    title: str
    differs: str
    question: str
    factors: tuple[CardFactor, ...]
    responses: tuple[CardResponse, ...]
    held: tuple[str, ...] = ()
    design: Design = field(default_factory=Design)
    repeats: int = 4
    twins: int = 2
    piece: str = ""
    control: str = ""


_RINGING = CardResponse(mark("Ringing"))
_STRINGS = CardResponse(mark("Stringing"))
_TOP = CardResponse(mark("Ridges on top"))

FOURS: Final = Design(DesignKind.PAIRS, (2,), guard=DriftGuard.ABBA)
"""Where grades decide: a block of four is two pairs, and three blocks are the fewest that can decide."""

CARDS: Final[tuple[QuestionCard, ...]] = (
    QuestionCard(
        mark("A settings pack against stock"),
        mark("dozens of slicer settings at once"),
        mark("Does the pack as a whole print better than the stock settings, and at what cost in time?"),
        (CardFactor(ChangeKind.PACK, "settings", ("stock", "pack")),),
        (_TOP, _RINGING, _STRINGS, CardResponse(mark("Breaking force"), "N", "higher", graded=False)),
        (mark("Layer height the same in both"),),
        design=FOURS,
        repeats=3,
        twins=0,
        piece=mark("flat faces, a top surface and something to break"),
    ),
    QuestionCard(
        mark("One setting on or off"),
        mark("one slicer setting"),
        mark("Does the setting change what can be seen, and how many minutes does it take?"),
        (CardFactor(ChangeKind.SETTING, "setting", ("off", "on")),),
        (_TOP, CardResponse(mark("Seam")), _STRINGS),
        (mark("The setting really is in the sliced file"),),
        design=FOURS,
        repeats=3,
        twins=0,
        piece=mark("the face that the setting touches"),
    ),
    QuestionCard(
        mark("A ladder: how far can it go?"),
        mark("3 to 8 levels of one number"),
        mark("How far can the number go before quality breaks?"),
        (CardFactor(ChangeKind.SETTING, "setting", ("1", "2", "3", "4", "5")),),
        (CardResponse(mark("Layer inconsistency")), _STRINGS),
        design=Design(DesignKind.LADDER, (5,), rule=LadderRule.EXTREMES),
        repeats=1,
        twins=0,
        piece=mark("the fault that comes when it goes too far"),
    ),
    QuestionCard(
        mark("Two that may need each other"),
        mark("a grid of two settings or parts"),
        mark("Does the gain only show when both are on?"),
        (
            CardFactor(ChangeKind.SETTING, "first", ("off", "on")),
            CardFactor(ChangeKind.SETTING, "second", ("off", "on")),
        ),
        (CardResponse(mark("Overhang droop")), _STRINGS),
        design=Design(DesignKind.FACTORIAL, (2, 2)),
        repeats=4,
        piece=mark("overhangs and gaps"),
    ),
    QuestionCard(
        mark("A hardware upgrade"),
        mark("one part; also mass, noise, cost, minutes to fit"),
        mark("Does the new part print better than the old one?"),
        (CardFactor(ChangeKind.PART, "part", ("old", "new")),),
        (_RINGING, CardResponse(mark("Noise"), "dB", "lower", graded=False)),
        (mark("Everything that the part disturbs was calibrated again"),),
        design=FOURS,
        repeats=3,
        twins=0,
        piece=mark("flat faces and sharp corners, printed fast enough to feel the part"),
    ),
    QuestionCard(
        mark("A chain of upgrades"),
        mark("part after part, each kept or put back"),
        mark("What does each step bring, and what do all of them bring together?"),
        (
            CardFactor(ChangeKind.PART, mark("first step"), ("old", "new")),
            CardFactor(ChangeKind.PART, mark("second step"), ("old", "new")),
            CardFactor(ChangeKind.PART, mark("third step"), ("old", "new")),
        ),
        (_RINGING, CardResponse(mark("Layer inconsistency"))),
        design=Design(DesignKind.CHAIN, (2, 2, 2)),
        repeats=2,
        twins=0,
        piece=mark("flat faces, sharp corners and thin walls"),
    ),
    QuestionCard(
        mark("A mechanical adjustment"),
        mark("tension, tightness or alignment, at deliberate extremes"),
        mark("Does the adjustment show on the print at all?"),
        (
            CardFactor(
                ChangeKind.ADJUSTMENT,
                "tension",
                (mark("as it should be"), mark("far too low"), mark("far too high")),
            ),
        ),
        (CardResponse(mark("Vertical banding")), CardResponse(mark("Loss of fine detail"))),
        design=Design(DesignKind.SEVERAL, (3,)),
        repeats=7,
        twins=0,
        piece=mark("flat faces and lettering"),
    ),
    QuestionCard(
        mark("Where the printer stands"),
        mark("floor, shelf, hung, weight on top"),
        mark("Is there any visible difference at all?"),
        (CardFactor(ChangeKind.PLACE, "place", ("shelf", "floor")),),
        (_RINGING, CardResponse(mark("Vertical banding"))),
        (mark("Nothing else stands on the same furniture"),),
        design=Design(DesignKind.SEVERAL, (2,)),
        repeats=6,
        piece=mark("flat faces and sharp corners"),
    ),
    QuestionCard(
        mark("A machine against a machine"),
        mark("everything, so: same piece, same material, own profile"),
        mark("Which machine prints the piece better, faster, cheaper?"),
        (CardFactor(ChangeKind.MACHINE, "machine", ("first", "second")),),
        (CardResponse(mark("Layer inconsistency")), _RINGING),
        (mark("Each machine with its own tuned profile"),),
        design=Design(DesignKind.SEVERAL, (2,)),
        repeats=6,
        piece=mark("something a customer would really buy"),
    ),
    QuestionCard(
        mark("A slicer against a slicer"),
        mark("the toolpaths; same heights, infill, temperature, speeds"),
        mark("Which toolpaths give the better print in less time and waste?"),
        (CardFactor(ChangeKind.PACK, "slicer", ("first", "second")),),
        (CardResponse(mark("Scars from supports")), CardResponse(mark("Seam"))),
        (mark("Layer height, infill, temperature and speeds the same in both"),),
        design=Design(DesignKind.SEVERAL, (2,)),
        repeats=6,
        piece=mark("supports, a seam and a top surface"),
    ),
    QuestionCard(
        mark("A filament against a filament"),
        mark("the spool; temperatures as the maker advises"),
        mark("Which filament gives the better finish and size?"),
        (CardFactor(ChangeKind.FILAMENT, "filament", ("usual", "other")),),
        (_STRINGS, CardResponse(mark("Size error"), "mm", "target", graded=False)),
        (mark("Both dried the same"),),
        design=Design(DesignKind.SEVERAL, (2,)),
        repeats=6,
        piece=mark("gaps to string over and sizes to calliper"),
    ),
    QuestionCard(
        mark("The flow ceiling of a nozzle or hot end"),
        mark("grams delivered against grams commanded, as flow rises"),
        mark("At which flow does the shortfall pass the limit?"),
        (CardFactor(ChangeKind.SETTING, mark("flow, mm³/s"), ("8", "12", "16", "20", "24")),),
        (CardResponse(mark("Shortfall"), "%", "lower", graded=False),),
        (mark("Same temperature at every step"),),
        design=Design(DesignKind.LADDER, (5,), rule=LadderRule.CLIMB),
        repeats=1,
        twins=0,
        piece=mark("a strand of known length, to be weighed"),
    ),
    QuestionCard(
        mark("Waste of many colours"),
        mark("purge multiplier, purge into infill or another object, several pieces on a plate"),
        mark("How many grams of purge can be saved before colours bleed?"),
        (CardFactor(ChangeKind.SETTING, mark("purge multiplier"), ("1.0", "0.8", "0.6", "0.4")),),
        (CardResponse(mark("Colour bleed")),),
        (mark("Same order of colours"),),
        design=Design(DesignKind.LADDER, (4,), rule=LadderRule.HALVE),
        repeats=1,
        twins=0,
        piece=mark("a dark and a light colour side by side"),
    ),
    QuestionCard(
        mark("Which one is at fault?"),
        mark("swap filament, machine or part, one at a time"),
        mark("Does the fault follow the filament or stay with the machine?"),
        (
            CardFactor(ChangeKind.FILAMENT, "filament", ("suspect", mark("known good"))),
            CardFactor(ChangeKind.MACHINE, "machine", (mark("this one"), "another")),
        ),
        (CardResponse(mark("Gaps at starts and ends")), _STRINGS),
        design=Design(DesignKind.CROSSOVER, (2, 2)),
        repeats=4,
        piece=mark("the fault in question"),
    ),
)
"""The kinds of question, in the words of the trade (common practice)."""
