"""What is said of the purge of a file."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number, format_signed, with_unit

if TYPE_CHECKING:
    from oddtwin.core.toolpath.purge import PurgePair

PURGED, LEAST, MOST = "purged", "least", "most"
"""Tables of volumes: what a change purges, and between which ends it is held."""


def nothing_typed() -> dict[str, dict[tuple[int, int], float]]:
    return {PURGED: {}, LEAST: {}, MOST: {}}


def signed_grams(grams: float) -> str:
    return with_unit(format_signed(grams, 2), "g")


def order_words(pairs: list[PurgePair], settings: Mapping[str, str]) -> str:
    """Say in which order the colours purge least, where every pair of them is known."""
    from oddtwin.core.toolpath.purge import best_order, matrix_said, multiplier_said

    now = multiplier_said(settings)
    colours = sorted({colour for pair in pairs for colour in (pair.before, pair.after)})
    # What is laid is known best; of a pair that never follows one another the file's own matrix may know.
    volume = {pair: each * now for pair, each in matrix_said(settings).items()}
    volume |= {(pair.before, pair.after): pair.each_mm3 for pair in pairs}
    try:
        order, least = best_order(colours, volume)
    except ValueError as error:
        return tr("The best order of colours cannot be told: {error}.", error=error)
    names = " → ".join(tr("tool {colour}", colour=colour) for colour in order)
    volume_words = with_unit(format_number(least, 0), "mm³")
    return tr(
        "In the order {names} one pass through all colours purges least: {volume_words}.",
        names=names, volume_words=volume_words,
    )  # fmt: skip
