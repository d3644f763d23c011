"""What is wrong with a sliced file, as a sentence for the user."""

from __future__ import annotations

from typing import Final

from oddtwin.core.language import tr

MOST_MOVES: Final = 30_000_000
"""Some ten times what a print of several days has, and what a computer of 8 GB can hold."""


class GcodeError(ValueError):
    """A sliced file cannot be used; the message says what, where, and what to do."""


def refuse_too_many(moves: int) -> None:
    """Refuse a file before its moves are made: a few arcs of a thousand turns may ask for any number.

    Parameters
    ----------
    moves : int
        Of it so far, or of some of its arcs.

    Raises
    ------
    GcodeError
        They are more than `MOST_MOVES`.
    """
    if moves > MOST_MOVES:
        raise GcodeError(
            tr(
                "it comes to more than {million} million moves (arcs count by the chords they are cut into); "
                "no print is so long, so the file is damaged: slice the piece again",
                million=MOST_MOVES // 1_000_000,
            )
        )
