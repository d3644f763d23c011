"""The question: what is varied, what is measured, and what must stay the same."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

from oddtwin.core.customs.kinds import ChangeKind
from oddtwin.core.language import mark, tr
from oddtwin.core.quantities import number_in
from oddtwin.core.readings import Better, Combine, ResponseKind, Rule, Subject
from oddtwin.core.study.workshop import Piece


class Role(StrEnum):
    """Responses that are more than a question: time and plastic of a print, and what only goes along.

    A covariate, such as the temperature of the room, is read and not judged: what others follow it by is
    taken out of them.
    """

    TIME = mark("time")
    PART = mark("part")
    WASTE = mark("waste")
    COVARIATE = mark("covariate")


class ArmRole(StrEnum):
    """What an arm is there for, besides the levels that it stands for."""

    LEVELS = ""
    CONTROL = mark("control")
    CENTRE = mark("centre")
    POSITIVE = mark("positive control")


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
    kind: ChangeKind
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
    in the middle of all factors. A positive control is made bad on purpose: it shows that a difference
    can be seen.
    """

    id: int
    name: str
    is_baseline: bool
    level_ids: tuple[int, ...] = ()
    role: ArmRole = ArmRole.LEVELS
    of_change: bool = False

    @property
    def is_control(self) -> bool:
        """Whether it is no question of its own: a control arm of either kind."""
        return self.role in (ArmRole.CONTROL, ArmRole.POSITIVE)


@dataclass(frozen=True, slots=True)
class Response:
    """What is measured or graded.

    ``margin``, ``target`` and ``resolution`` (the instrument's smallest step) are in
    ``unit``; ``margin_moved`` says that the margin was changed after the verdict was
    first looked at. ``noise_sd`` and ``noise_df`` are a noise floor that the user typed in:
    standard deviation of one print in ``unit``, and its degrees of freedom. ``subject`` is what a
    reading is of, ``piece_ids`` the pieces that can show it (all, where empty), ``words`` what can
    be chosen of a word, ``onset`` the grade from which on a fault has begun, ``instrument`` what
    it is read with. ``accept`` is what a print may come to and still hold, in ``unit``: an absolute
    limit for ladders; ``guard`` says that the response is only asked not to get worse. With ``percent``
    margin and noise are in percent, and the ratio of the arms is judged.
    """

    id: int
    name: str
    unit: str
    kind: ResponseKind
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
    subject: Subject = Subject.PIECE
    piece_ids: tuple[int, ...] = ()
    words: tuple[str, ...] = ()
    onset: float | None = None
    instrument: str = ""
    accept: float | None = None
    guard: bool = False
    percent: bool = False

    def __post_init__(self) -> None:
        """Refuse figures that mean nothing, and a target without its direction."""
        figures = (self.margin, self.resolution, self.noise_sd, self.noise_df)
        if any(figure is not None and not figure > 0 for figure in figures):
            raise ValueError(tr("its margin, step and noise are figures above zero"))
        if self.percent and not self.kind.has_percent:
            raise ValueError(tr("only a quantity with a true zero has a margin in percent"))
        if self.accept is not None and not math.isfinite(self.accept):
            raise ValueError(tr("what a print may come to is a number"))
        if (self.target is not None) != (self.better is Better.TARGET):
            raise ValueError(tr("a target goes with the direction “target”, and only with it"))

    @property
    def margin_unit(self) -> str:
        """Unit of its margin and its noise floor."""
        return "%" if self.percent else self.unit

    @property
    def rule(self) -> Rule:
        """How the readings of one print become its value."""
        return Rule(self.kind, self.combine, self.target, self.onset)


@dataclass(frozen=True, slots=True)
class HeldItem:
    """Something that must stay the same."""

    id: int
    text: str


def can_show(piece: Piece | None, response: Response) -> bool:
    """Return whether a piece can show a response.

    A piece that the response is not for cannot; nor can one that notes faults show another grade. A
    size needs a nominal, an onset zones with positions.
    """
    if piece is None:
        return True
    if response.piece_ids and piece.id not in response.piece_ids:
        return False
    if response.kind is ResponseKind.SIZE:
        return bool(piece.sizes)
    if response.kind is ResponseKind.ONSET:
        return any(number_in(zone) is not None for zone in piece.zones)
    if response.kind is not ResponseKind.GRADE or not piece.faults:
        return True
    return response.name.casefold() in {fault.casefold() for fault in piece.faults}
