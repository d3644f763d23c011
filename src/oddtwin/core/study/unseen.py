"""What the chosen pieces can show of the faults that are watched."""

from __future__ import annotations

from collections.abc import Iterable

from oddtwin.core.study.whole import Study
from oddtwin.core.study.workshop import Piece


def faults_unseen(study: Study, pieces: Iterable[Piece]) -> list[str]:
    """Return the watched faults that no chosen piece can show.

    Parameters
    ----------
    study : Study
        Its graded responses are the faults that are watched.
    pieces : iterable of Piece
        Chosen; those without any fault noted say nothing, so with one of them among the
        chosen nothing is missing for sure.
    """
    chosen = list(pieces)
    if not chosen or any(not piece.faults for piece in chosen):
        return []
    shown = {fault.casefold() for piece in chosen for fault in piece.faults}
    watched = [item.name for item in study.responses if item.kind.graded]
    return [name for name in watched if name.casefold() not in shown]
