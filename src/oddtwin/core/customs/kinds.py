"""Kinds of change, and what follows from the kind alone; common practice, no source."""

from __future__ import annotations

from enum import StrEnum
from typing import Final

from oddtwin.core.language import mark

CONSUMABLE: Final = mark("consumable")
FIRMWARE: Final = mark("firmware")


class ChangeKind(StrEnum):
    """What is done to a machine or a print between two arms."""

    SETTING = mark("slicer setting")
    PACK = mark("settings pack")
    PART = mark("part")
    ADJUSTMENT = mark("adjustment")
    CALIBRATION = mark("calibration")
    FILAMENT = mark("filament or lot")
    PLACE = mark("place")
    MACHINE = mark("machine")

    @property
    def whole_plate(self) -> bool:
        """Whether it holds for all that is on a plate."""
        return self in (
            ChangeKind.PART,
            ChangeKind.ADJUSTMENT,
            ChangeKind.CALIBRATION,
            ChangeKind.PLACE,
            ChangeKind.MACHINE,
        )

    @property
    def chosen(self) -> bool:
        """Whether it is chosen and not done: no level of it is the one that things are as now."""
        return self in (ChangeKind.MACHINE, ChangeKind.FILAMENT)

    @property
    def sliced(self) -> bool:
        """Whether it is in the sliced file."""
        return self in (ChangeKind.SETTING, ChangeKind.PACK)


LOGGED: Final = (
    ChangeKind.PART,
    ChangeKind.ADJUSTMENT,
    ChangeKind.CALIBRATION,
    ChangeKind.SETTING,
    CONSUMABLE,
    ChangeKind.FILAMENT,
    ChangeKind.PLACE,
    FIRMWARE,
)
"""What is logged of a machine: more than a study varies, for nobody compares firmware with itself."""
