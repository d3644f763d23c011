"""One line a cause."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from oddtwin.core.language import tr, trn
from oddtwin.core.threat.model import Threat, Weight


def merged(threats: Iterable[Threat]) -> list[Threat]:
    """Tell each cause once, the gravest first.

    Parameters
    ----------
    threats : iterable of Threat
        As found; of one cause and weight the first speaks for the others.

    Returns
    -------
    list of Threat
        With the responses and prints that any threat of the cause touches.
    """
    causes: dict[str, list[Threat]] = {}
    for threat in threats:
        causes.setdefault(threat.root, []).append(threat)
    order = list(Weight)
    told = [_one(sorted(group, key=lambda item: order.index(item.weight))) for group in causes.values()]
    return sorted(told, key=lambda item: order.index(item.weight))


def _one(group: list[Threat]) -> Threat:
    """Return what one cause comes to; a dozen comparisons make no dozen threats of it."""
    first = group[0]
    others = len({item.sentence for item in group if item.code is first.code}) - 1
    like = tr(
        " The like holds for {others} more {part}.",
        others=others,
        part=trn("comparison", "comparisons", others),
    )
    return replace(
        first,
        sentence=first.sentence + (like if others else ""),
        responses=_all(item.responses for item in group),
        runs=_all(item.runs for item in group),
    )


def _all(named: Iterable[tuple[str, ...]]) -> tuple[str, ...]:
    """Return every name once; none where one threat touches all."""
    listed = list(named)
    return tuple(dict.fromkeys(name for names in listed for name in names)) if all(listed) else ()
