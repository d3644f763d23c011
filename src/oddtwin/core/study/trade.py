"""Lists of the trade that the screens offer; all of it common practice, all editable."""

from __future__ import annotations

from typing import Final

CHANGE_KINDS: Final = (
    "slicer setting",
    "settings pack",
    "part",
    "adjustment",
    "calibration",
    "filament or lot",
    "place",
    "machine",
)

HELD_CONSTANT: Final = (
    "Same spool (or lot), dried the same",
    "Same sliced file, byte for byte, but for the change",
    "Firmware left alone",
    "Bed cleaned the same way",
    "Same place and orientation on the plate",
    "Same room, door and window as before",
    "What the change disturbs was calibrated again",
)

WASTE_KINDS: Final = ("purge", "tower", "brim", "support", "failed", "other")

SET_ASIDE_REASONS: Final = (
    "came loose from the bed",
    "fell over or broke",
    "filament ran out or tangled",
    "stopped by the machine",
    "wrong settings were loaded",
    "damaged while it was removed",
)

PRINTING_CAUTION: Final = (
    "Hot parts and moving axes: keep hands out while it runs. Stay within reach of a running print, "
    "with a smoke alarm and fresh air; follow the maker’s instructions and your local rules."
)
