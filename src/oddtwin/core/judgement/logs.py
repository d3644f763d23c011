"""What is asked in percent, as it is judged: by logarithms."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from oddtwin.core.effects import in_logs, log_of_percent, step_of
from oddtwin.core.language import tr
from oddtwin.core.readings import PrintValue
from oddtwin.core.study import Response
from oddtwin.core.threat import Threat, ThreatCode


def by_logs(response: Response, read: Sequence[PrintValue]) -> tuple[Response, Sequence[PrintValue]]:
    """Take the logarithms of what is judged in percent.

    Parameters
    ----------
    response : Response
        With a margin in percent.
    read : sequence of PrintValue
        Of that response, in its unit.

    Returns
    -------
    response : Response
        With its step in percent; where a print is not above zero, neither in percent nor with a margin.
    prints : sequence of PrintValue
        100 times their logarithms; as they were read where there are none.
    """
    prints = in_logs(read)
    if prints is None:
        return replace(response, percent=False, margin=None), read
    sizes = np.array([math.exp(item.value / 100) for item in prints if item.value is not None])
    # Equal readings are no certainty: the last place that they were written with is a step of some percent.
    step = (response.resolution or step_of(sizes)) if len(sizes) else None
    return replace(response, resolution=100 * step / float(sizes.mean())) if step else response, prints


def judged_margin(response: Response) -> float | None:
    """Return the margin that prints are held against: in the response's unit, or 100 times a logarithm."""
    return log_of_percent(response.margin) if response.percent and response.margin else response.margin


def no_percent(response: str, about: str = "") -> Threat:
    """Return what is said where a margin in percent cannot be held against prints.

    Parameters
    ----------
    response : str
        Its name.
    about : str
        Which prints of it, where others may be above zero.
    """
    return Threat(
        ThreatCode.NO_MARGIN,
        tr(
            "{response} has values of zero or below, of which there is no percent: its "
            "margin cannot be held against them.",
            response=f"{response} ({about})" if about else response,
        ),
        tr("State the margin of {response} in its unit.", response=response),
    )
