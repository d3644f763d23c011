"""Latin squares: every place on the plate holds every copy once."""

from __future__ import annotations

from oddtwin.core.design.order import SeededOrder
from oddtwin.core.language import tr


def latin_square(size: int, order: SeededOrder) -> list[list[int]]:
    """Draw a Latin square.

    Parameters
    ----------
    size : int
        Rows, columns and symbols, one or more.
    order : SeededOrder
        Where the draws come from.

    Returns
    -------
    list of ``size`` lists
        Symbols 0 to ``size`` − 1; each stands once in every row and every column. The
        cyclic square with rows, columns and symbols shuffled: not every square can be
        drawn, but every symbol is equally likely in every cell.

    Raises
    ------
    ValueError
        ``size`` below one.
    """
    if size < 1:
        raise ValueError(tr("a Latin square has at least one row"))
    # Not every square can come up this way, but every symbol comes to every place as often, which is what
    # counts here.
    rows, columns, symbols = (order.shuffled(range(size)) for _ in range(3))
    return [[symbols[(row + column) % size] for column in columns] for row in rows]
