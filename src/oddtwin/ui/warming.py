"""What is done for a lab book while its first screen is looked at."""

from __future__ import annotations

import gc
from importlib import import_module
from typing import Final

from oddtwin.store import LabBook

WARMED: Final = (
    *("oddtwin.store.load", "oddtwin.core.judgement.analysis", "scipy.special", "oddtwin.operations.settled"),
    *("oddtwin.operations.studies", "oddtwin.operations.runs", "oddtwin.operations.plans"),
    *("oddtwin.operations.looking", "oddtwin.core.outlook.power", "oddtwin.core.toolpath.match.check"),
    *("oddtwin.ui.ask.ask", "oddtwin.ui.plan.design", "oddtwin.ui.plan.answer", "oddtwin.ui.plan.days"),
    *("oddtwin.ui.plan.paper", "oddtwin.ui.match.files", "oddtwin.ui.match.match"),
    *("oddtwin.ui.press.press", "oddtwin.ui.verdict.verdict", "oddtwin.ui.settle.settle"),
)
"""Loaded on another thread while the first screen is looked at, so that no stage waits for them."""


SPARED_S: Final = 3600.0
"""What was kept in the last hour is not cleared away."""


def keep_for_good() -> None:
    """Never look for garbage again among what is there by now, after a last look.

    Modules and screens stay until the end; to go through them again and again takes a tenth of a second.
    """
    gc.collect()
    gc.freeze()


def check_and_warm(book: LabBook) -> str | None:
    """Check a lab book for damage, and load what its studies will need, off the interface thread."""
    for name in WARMED:
        import_module(name)
    damage = book.check()
    if damage is None:
        # Beside this, the first photographs may be dropped: kept already, and named a moment later.
        book.clear_orphans(spare_s=SPARED_S)
    return damage
