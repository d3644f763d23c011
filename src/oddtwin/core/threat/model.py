"""A threat: something that can make a conclusion wrong."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Final

from oddtwin.core.language import mark, shown, tr


class Weight(StrEnum):
    """How much a threat weighs, the gravest first."""

    VOIDS = mark("voids")
    """The sentence cannot stand."""

    WEAKENS = mark("weakens")
    """The sentence stands on less than it says."""

    NOTE = mark("note")
    """To be told with the sentence."""

    @property
    def caption(self) -> str:
        """What stands above a threat of this weight; nothing above one that weakens."""
        return {Weight.VOIDS: tr("The conclusion cannot stand"), Weight.NOTE: tr("To be told with it")}.get(
            self, ""
        )


class ThreatCode(StrEnum):
    """Every kind of threat; reports, files and screens call them by these names."""

    TWO_CHANGES = "two-changes"
    MARGIN_MOVED = "margin-moved"
    NO_MARGIN = "no-margin"
    EARLY_LOOK = "early-look"
    ADVISED_LOOK = "advised-look"
    ARMS_SHOWN = "arms-shown"
    NO_TWINS = "no-twins"
    BORROWED_NOISE = "borrowed-noise"
    COVARIATE = "covariate"
    NOT_HELD = "not-held"
    RECALIBRATION_OPEN = "recalibration-open"
    RECALIBRATION_WAIVED = "recalibration-waived"
    RECALIBRATION_OWED = "recalibration-owed"
    MACHINE_CHANGED = "machine-changed"
    MACHINE_CARRIES = "machine-carries"
    CONFOUNDED = "confounded"
    NEARLY_CONFOUNDED = "nearly-confounded"
    MANY_COMPARISONS = "many-comparisons"
    ORDER_NOT_RANDOM = "order-not-random"
    CLOCK = "clock"
    EVENTS = "events"
    PLATE_TIME = "plate-time"
    SPLIT_MACHINE = "split-machine"
    SPLIT_PIECE = "split-piece"
    SPLIT_SPOOL = "split-spool"
    SPLIT_DAY = "split-day"
    TORN_MACHINE = "torn-machine"
    TORN_PIECE = "torn-piece"
    TORN_SPOOL = "torn-spool"
    TORN_DAY = "torn-day"
    LOST_RUNS = "lost-runs"
    UNNAMED_PRINTS = "unnamed-prints"
    NO_SCATTER = "no-scatter"
    COARSE_INSTRUMENT = "coarse-instrument"
    OTHER_FILE = "other-file"
    DOUBTFUL_FILE = "doubtful-file"
    SAME_FILE = "same-file"
    NOT_IN_FILE = "not-in-file"
    UNDECLARED_SETTING = "undeclared-setting"
    UNDECLARED_COMMAND = "undeclared-command"
    CANNOT_SHOW = "cannot-show"
    PATHS_DIFFER = "paths-differ"
    JUDGE_KNEW = "judge-knew"
    PHOTOGRAPHS_UNALIKE = "photographs-unalike"
    EYES = "eyes"

    @property
    def weight(self) -> Weight:
        """How much a threat of this kind weighs."""
        if self in _VOIDING:
            return Weight.VOIDS
        return Weight.NOTE if self in _TOLD else Weight.WEAKENS


_VOIDING: Final = frozenset(
    {
        ThreatCode.CONFOUNDED,
        ThreatCode.SPLIT_MACHINE,
        ThreatCode.SPLIT_PIECE,
        ThreatCode.SPLIT_SPOOL,
        ThreatCode.SPLIT_DAY,
        ThreatCode.SAME_FILE,
        ThreatCode.NOT_IN_FILE,
    }
)

_TOLD: Final = frozenset(
    {
        ThreatCode.NO_MARGIN,
        ThreatCode.MANY_COMPARISONS,
        ThreatCode.ADVISED_LOOK,
        ThreatCode.RECALIBRATION_WAIVED,
        ThreatCode.RECALIBRATION_OWED,
        ThreatCode.MACHINE_CARRIES,
        ThreatCode.PLATE_TIME,
        ThreatCode.EVENTS,
        ThreatCode.EYES,
    }
)


@dataclass(frozen=True, slots=True)
class Threat:
    """Something that can make the conclusion wrong.

    Parameters
    ----------
    code : ThreatCode
        Its kind, which says how much it weighs.
    sentence : str
        What was found.
    remedy : str
        The next step, possible in this design.
    cause : str
        What it goes back to; threats of one cause are told once. Empty where the kind says it.
    responses, runs : tuple of str
        Names of the responses and codes of the prints that it touches; empty for all.
    """

    code: ThreatCode
    sentence: str
    remedy: str
    cause: str = ""
    responses: tuple[str, ...] = ()
    runs: tuple[str, ...] = ()

    @property
    def weight(self) -> Weight:
        """How much it weighs."""
        return self.code.weight

    @property
    def line(self) -> str:
        """The sentence, after the names of the responses that it touches."""
        told = shown(self.sentence)
        return f"{', '.join(self.responses)}: {told}" if self.responses else told

    @property
    def root(self) -> str:
        """What it goes back to."""
        return self.cause or self.code.value
