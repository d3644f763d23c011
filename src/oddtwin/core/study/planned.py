"""The plan: which prints are made, where, and when."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime

from oddtwin.core.design import Design
from oddtwin.core.language import tr


@dataclass(frozen=True, slots=True)
class Plan:
    """The design, how many prints of it, where, and the seed of their order.

    Parameters
    ----------
    repeats : int
        Blocks on every machine and piece: pairs, or whole sets of the arms.
    twins : int
        Further prints of the baseline in all.
    seed, order_version : int
        What the order was drawn from.
    machine_ids, piece_ids : tuple of int
        Every machine prints every piece.
    design : Design
        Which arms, in which kind of order.
    spools : tuple of str
        Names of the spools, taken in turn by the blocks.
    frozen : datetime or None
        When the order was drawn: the make-up of the machines at that moment counts.
    """

    repeats: int
    twins: int
    seed: int
    order_version: int
    machine_ids: tuple[int, ...]
    piece_ids: tuple[int, ...]
    design: Design = field(default_factory=Design)
    spools: tuple[str, ...] = ()
    frozen: datetime | None = None

    def __post_init__(self) -> None:
        """Refuse what is no count."""
        if self.repeats < 1:
            raise ValueError(tr("plan at least one pair, or one print of each arm"))
        if min(self.seed, self.twins) < 0:
            raise ValueError(tr("twins and seed must be zero or more"))


@dataclass(frozen=True, slots=True)
class StudyBlock:
    """Prints made alike in all but the arm; ``label`` names the pair, empty for none."""

    id: int
    label: str
    machine_id: int | None
    piece_id: int | None


@dataclass(frozen=True, slots=True)
class Slot:
    """When a run is to be started and will be done; ``pinned`` where the user put it there."""

    start: datetime
    end: datetime
    pinned: bool = False
