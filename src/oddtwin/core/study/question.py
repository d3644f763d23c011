"""The question: what is varied, what is measured, and what must stay the same."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Final

from oddtwin.core.readings import Better, Combine, ResponseType
from oddtwin.core.study.workshop import Piece


class Role(StrEnum):
    """Responses that every print gives: how long it took and where the plastic went."""

    TIME = "time"
    PART = "part"
    WASTE = "waste"


class ArmRole(StrEnum):
    """What an arm is there for, besides the levels that it stands for."""

    LEVELS = ""
    CONTROL = "control"
    CENTRE = "centre"


@dataclass(frozen=True, slots=True)
class Level:
    """One value of a factor, and what it takes to get there.

    Parameters
    ----------
    id : int
        In the lab book.
    value : str
        A number with its unit, or a name.
    how, way_back : str
        What to do to get there, and to go back.
    minutes : float
        To switch to it.
    cost : float
        Money to have it.
    mass_g : float
        Mass it adds to the moving axis, in grams.
    """

    id: int
    value: str
    how: str = ""
    way_back: str = ""
    minutes: float = 0.0
    cost: float = 0.0
    mass_g: float = 0.0


HARD_MINUTES: Final = 10.0
"""A factor that takes longer to switch is hard to change."""


@dataclass(frozen=True, slots=True)
class Factor:
    """What is varied: its kind, name, and levels; the first is the baseline's.

    ``disturbs`` names the line of the recalibration table that its change touches; it follows
    from kind and name unless ``disturbs_by_hand``.
    """

    id: int
    kind: str
    name: str
    levels: tuple[Level, ...]
    disturbs: str = ""
    disturbs_by_hand: bool = False

    @property
    def hard_to_change(self) -> bool:
        """Whether a switch to any of its levels takes more than ten minutes."""
        return any(level.minutes > HARD_MINUTES for level in self.levels)


@dataclass(frozen=True, slots=True)
class Arm:
    """One combination of levels (their ids); one arm of a study is the baseline.

    A control arm is the baseline's levels with something done to them, which its name says, or
    those of the change where ``of_change`` (the new part and the old mass); a centre point lies
    in the middle of all factors.
    """

    id: int
    name: str
    is_baseline: bool
    level_ids: tuple[int, ...] = ()
    role: ArmRole = ArmRole.LEVELS
    of_change: bool = False


@dataclass(frozen=True, slots=True)
class Response:
    """What is measured or graded.

    ``margin``, ``target`` and ``resolution`` (the instrument's smallest step) are in
    ``unit``; ``margin_moved`` says that the margin was changed after the verdict was
    first looked at. ``noise_sd`` and ``noise_df`` are a noise floor that the user typed in:
    standard deviation of one print in ``unit``, and its degrees of freedom.
    """

    id: int
    name: str
    unit: str
    type: ResponseType
    combine: Combine
    better: Better | None
    target: float | None
    margin: float | None
    resolution: float | None
    primary: bool
    role: Role | None
    margin_moved: bool
    noise_sd: float | None = None
    noise_df: float | None = None


@dataclass(frozen=True, slots=True)
class HeldItem:
    """Something that must stay the same."""

    id: int
    text: str


def can_show(piece: Piece | None, response: Response) -> bool:
    """Return whether a piece can show what is graded; a piece of which no fault is noted may show any."""
    if piece is None or not piece.faults or response.type is not ResponseType.GRADE:
        return True
    return response.name.casefold() in {fault.casefold() for fault in piece.faults}
