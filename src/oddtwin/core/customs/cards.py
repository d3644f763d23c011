"""Question cards: the kinds of question of the trade, each with a sensible start; all of it editable."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Final

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.design import Design, DesignKind, DriftGuard, LadderRule


@dataclass(frozen=True, slots=True)
class CardFactor:
    """A factor that a card fills in: kind, name, and levels, the baseline's first."""

    kind: ChangeKind
    name: str
    levels: tuple[str, ...] = ("as now", "changed")


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


_RINGING = CardResponse("Ringing")
_STRINGS = CardResponse("Stringing")
_TOP = CardResponse("Ridges on top")

FOURS: Final = Design(DesignKind.PAIRS, (2,), guard=DriftGuard.ABBA)
"""Where grades decide: a block of four is two pairs, and three blocks are the fewest that can decide."""

CARDS: Final[tuple[QuestionCard, ...]] = (
    QuestionCard(
        "A settings pack against stock",
        "dozens of slicer settings at once",
        "Does the pack as a whole print better than the stock settings, and at what cost in time?",
        (CardFactor(ChangeKind.PACK, "settings", ("stock", "pack")),),
        (_TOP, _RINGING, _STRINGS, CardResponse("Breaking force", "N", "higher", graded=False)),
        ("Layer height the same in both",),
        design=FOURS,
        repeats=3,
        twins=0,
        piece="flat faces, a top surface and something to break",
    ),
    QuestionCard(
        "One setting on or off",
        "one slicer setting",
        "Does the setting change what can be seen, and how many minutes does it take?",
        (CardFactor(ChangeKind.SETTING, "setting", ("off", "on")),),
        (_TOP, CardResponse("Seam"), _STRINGS),
        ("The setting really is in the sliced file",),
        design=FOURS,
        repeats=3,
        twins=0,
        piece="the face that the setting touches",
    ),
    QuestionCard(
        "A ladder: how far can it go?",
        "3 to 8 levels of one number",
        "How far can the number go before quality breaks?",
        (CardFactor(ChangeKind.SETTING, "setting", ("1", "2", "3", "4", "5")),),
        (CardResponse("Layer inconsistency"), _STRINGS),
        design=Design(DesignKind.LADDER, (5,), rule=LadderRule.EXTREMES),
        repeats=1,
        twins=0,
        piece="the fault that comes when it goes too far",
    ),
    QuestionCard(
        "Two that may need each other",
        "a grid of two settings or parts",
        "Does the gain only show when both are on?",
        (
            CardFactor(ChangeKind.SETTING, "first", ("off", "on")),
            CardFactor(ChangeKind.SETTING, "second", ("off", "on")),
        ),
        (CardResponse("Overhang droop"), _STRINGS),
        design=Design(DesignKind.FACTORIAL, (2, 2)),
        repeats=4,
        piece="overhangs and gaps",
    ),
    QuestionCard(
        "A hardware upgrade",
        "one part; also mass, noise, cost, minutes to fit",
        "Does the new part print better than the old one?",
        (CardFactor(ChangeKind.PART, "part", ("old", "new")),),
        (_RINGING, CardResponse("Noise", "dB", "lower", graded=False)),
        ("Everything that the part disturbs was calibrated again",),
        design=FOURS,
        repeats=3,
        twins=0,
        piece="flat faces and sharp corners, printed fast enough to feel the part",
    ),
    QuestionCard(
        "A chain of upgrades",
        "part after part, each kept or put back",
        "What does each step bring, and what do all of them bring together?",
        (
            CardFactor(ChangeKind.PART, "first step", ("old", "new")),
            CardFactor(ChangeKind.PART, "second step", ("old", "new")),
            CardFactor(ChangeKind.PART, "third step", ("old", "new")),
        ),
        (_RINGING, CardResponse("Layer inconsistency")),
        design=Design(DesignKind.CHAIN, (2, 2, 2)),
        repeats=2,
        twins=0,
        piece="flat faces, sharp corners and thin walls",
    ),
    QuestionCard(
        "A mechanical adjustment",
        "tension, tightness or alignment, at deliberate extremes",
        "Does the adjustment show on the print at all?",
        (CardFactor(ChangeKind.ADJUSTMENT, "tension", ("as it should be", "far too low", "far too high")),),
        (CardResponse("Vertical banding"), CardResponse("Loss of fine detail")),
        design=Design(DesignKind.SEVERAL, (3,)),
        repeats=7,
        twins=0,
        piece="flat faces and lettering",
    ),
    QuestionCard(
        "Where the printer stands",
        "floor, shelf, hung, weight on top",
        "Is there any visible difference at all?",
        (CardFactor(ChangeKind.PLACE, "place", ("shelf", "floor")),),
        (_RINGING, CardResponse("Vertical banding")),
        ("Nothing else stands on the same furniture",),
        design=Design(DesignKind.SEVERAL, (2,)),
        repeats=6,
        piece="flat faces and sharp corners",
    ),
    QuestionCard(
        "A machine against a machine",
        "everything, so: same piece, same material, own profile",
        "Which machine prints the piece better, faster, cheaper?",
        (CardFactor(ChangeKind.MACHINE, "machine", ("first", "second")),),
        (CardResponse("Layer inconsistency"), _RINGING),
        ("Each machine with its own tuned profile",),
        design=Design(DesignKind.SEVERAL, (2,)),
        repeats=6,
        piece="something a customer would really buy",
    ),
    QuestionCard(
        "A slicer against a slicer",
        "the toolpaths; same heights, infill, temperature, speeds",
        "Which toolpaths give the better print in less time and waste?",
        (CardFactor(ChangeKind.PACK, "slicer", ("first", "second")),),
        (CardResponse("Scars from supports"), CardResponse("Seam")),
        ("Layer height, infill, temperature and speeds the same in both",),
        design=Design(DesignKind.SEVERAL, (2,)),
        repeats=6,
        piece="supports, a seam and a top surface",
    ),
    QuestionCard(
        "A filament against a filament",
        "the spool; temperatures as the maker advises",
        "Which filament gives the better finish and size?",
        (CardFactor(ChangeKind.FILAMENT, "filament", ("usual", "other")),),
        (_STRINGS, CardResponse("Size error", "mm", "target", graded=False)),
        ("Both dried the same",),
        design=Design(DesignKind.SEVERAL, (2,)),
        repeats=6,
        piece="gaps to string over and sizes to calliper",
    ),
    QuestionCard(
        "The flow ceiling of a nozzle or hot end",
        "grams delivered against grams commanded, as flow rises",
        "At which flow does the shortfall pass the limit?",
        (CardFactor(ChangeKind.SETTING, "flow, mm³/s", ("8", "12", "16", "20", "24")),),
        (CardResponse("Shortfall", "%", "lower", graded=False),),
        ("Same temperature at every step",),
        design=Design(DesignKind.LADDER, (5,), rule=LadderRule.CLIMB),
        repeats=1,
        twins=0,
        piece="a strand of known length, to be weighed",
    ),
    QuestionCard(
        "Waste of many colours",
        "purge multiplier, purge into infill or another object, several pieces on a plate",
        "How many grams of purge can be saved before colours bleed?",
        (CardFactor(ChangeKind.SETTING, "purge multiplier", ("1.0", "0.8", "0.6", "0.4")),),
        (CardResponse("Colour bleed"),),
        ("Same order of colours",),
        design=Design(DesignKind.LADDER, (4,), rule=LadderRule.HALVE),
        repeats=1,
        twins=0,
        piece="a dark and a light colour side by side",
    ),
    QuestionCard(
        "Which one is at fault?",
        "swap filament, machine or part, one at a time",
        "Does the fault follow the filament or stay with the machine?",
        (
            CardFactor(ChangeKind.FILAMENT, "filament", ("suspect", "known good")),
            CardFactor(ChangeKind.MACHINE, "machine", ("this one", "another")),
        ),
        (CardResponse("Gaps at starts and ends"), _STRINGS),
        design=Design(DesignKind.CROSSOVER, (2, 2)),
        repeats=4,
        piece="the fault in question",
    ),
)
"""The kinds of question, in the words of the trade (common practice)."""
