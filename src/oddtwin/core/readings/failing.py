"""Prints that failed because of what was changed: an outcome, and not a gap."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final

from oddtwin.core.language import mark, tr
from oddtwin.core.readings.model import Reading, ResponseKind

FAILURES: Final = mark("Prints that failed")
"""What the response is called that they make."""


def with_failures(groups: Mapping[str, Sequence[Reading]]) -> dict[str, list[Reading]]:
    """Add a response of yes and no where prints failed, and take their empty rows for no gaps.

    Parameters
    ----------
    groups : mapping of str to sequence of Reading
        The readings of each response.

    Returns
    -------
    dict of str to list of Reading
        The same, and the failures last; unchanged where none failed.
    """
    # Rows without a name are prints of their own, and are told of once: where the first response has them.
    rows = [item for place, group in enumerate(groups.values()) for item in group if item.run or not place]
    how = {_named(item): item.failed for item in rows if item.failed and item.run}
    if not how and not any(item.failed for item in rows):
        return {name: list(group) for name, group in groups.items()}
    found: dict[str, list[Reading]] = {}
    for name, group in groups.items():
        kept = [item for item in group if item.read or not (item.failed or _named(item) in how)]
        if kept:
            found[name] = kept
    seen: dict[tuple[str, ...], Reading] = {}
    for number, item in enumerate(rows):
        key = _named(item) if item.run else (*_named(item), str(number))
        failed = bool(item.failed or (item.run and _named(item) in how))
        seen.setdefault(
            key,
            Reading(
                item.arm,
                float(failed),
                FAILURES,
                pair=item.pair,
                machine=item.machine,
                piece=item.piece,
                run=item.run or tr("row {number}", number=number),
                kind=ResponseKind.YES_NO,
                set_aside=item.set_aside,
                level=item.level,
                factors=item.factors,
                order=item.order,
            ),
        )
    return {**found, FAILURES: list(seen.values())}


def _named(item: Reading) -> tuple[str, ...]:
    return (item.arm, item.pair, item.machine, item.piece, item.run)
