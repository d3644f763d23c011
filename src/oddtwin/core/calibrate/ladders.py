"""Ladders by grade: the least level that is not worse than the best, with how sure that is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from oddtwin.core.arrays import Floats
from oddtwin.core.calibrate.fits import t_of
from oddtwin.core.calibrate.result import CalibrationError, Result
from oddtwin.core.calibrate.rows import Row
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_number, with_unit

MARGIN: Final = 0.5
"""Half a grade step is not told apart by eye (common practice, no source)."""


def least_level(rows: Sequence[Row], options: Mapping[str, float], unit: str, what: str) -> Result:
    """Return the least level whose grades are not worse than those of the best.

    A level is not worse where the one-sided 95 % bound of its mean less that of the best lies within half a
    grade step; its certainty is the chance of that by Student's t.

    Parameters
    ----------
    rows : sequence of Row
        ``level`` and ``grade``, 0 to 4.
    options : mapping
        ``margin`` in grade steps.
    unit : str
        Of the level.
    what : str
        What is set, for the advice.

    Raises
    ------
    CalibrationError
        Fewer than two levels.
    """
    margin = options["margin"]
    levels, where = np.unique([row["level"] for row in rows], return_inverse=True)
    grades = np.array([row["grade"] for row in rows])
    if len(levels) < 2:
        raise CalibrationError(tr("There is one level only; grade two or more, each two or three times."))
    counts = np.bincount(where)
    means = np.bincount(where, grades) / counts
    df = len(rows) - len(levels)
    best = int(means.argmin())
    # Grades that all agree are no certainty: a grade is a step of one (GUM F.2.2.1).
    spread = float(np.sqrt(((grades - means[where]) ** 2).sum() / df)) if df else None
    sd = None if spread is None else max(spread, 1 / np.sqrt(12))
    table = tuple(_line(levels, means, counts, place, best, (sd, df, margin)) for place in range(len(levels)))
    chosen = next(row for row in table if row["not_worse"] or row["level"] == levels[best])
    level = with_unit(format_number(chosen["level"]), unit)
    best_level = with_unit(format_number(float(levels[best])), unit)
    sentence = _sentence(chosen, level, best_level)
    advice = tr("set {what} to {level}", what=what, level=level)
    more = {"best": float(levels[best]), "certainty": chosen["certainty"], "sd_grades": sd}
    return Result(
        float(chosen["level"]),
        unit,
        None,
        f"{sentence}.",
        advice,
        _warnings(means[: best + 1], margin, sd),
        table,
        more,
    )


def _sentence(chosen: Mapping[str, Any], level: str, best: str) -> str:
    # The best level itself is certain to be as good as the best, and says nothing of lower ones.
    if level == best:
        return tr("{best} is the best, and no lower level is shown to be as good", best=best)
    sure = (
        "" if chosen["certainty"] is None else tr(" ({chosen:.0f} % sure)", chosen=100 * chosen["certainty"])
    )
    return tr(
        "{level} is the least that is not worse than the best, {best}{sure}",
        level=level,
        best=best,
        sure=sure,
    )


def _warnings(means: Floats, margin: float, sd: float | None) -> tuple[str, ...]:
    """Say what speaks against a ladder; the means go up to the best level."""
    warnings: list[str] = []
    if sd is None:
        warnings.append(
            tr("Every level was graded once, so that nobody knows how sure this is; grade each twice.")
        )
    # A fault that comes back above a clean level is chance or something else that changed.
    if np.any(np.diff(means) > margin):
        warnings.append(tr("Below the best level the grades go up and down; print those levels again."))
    return tuple(warnings)


def _line(
    levels: Floats,
    means: Floats,
    counts: NDArray[np.int64],
    place: int,
    best: int,
    known: tuple[float | None, int, float],
) -> dict[str, Any]:
    """Return one level: its mean, how it compares with the best, and how sure that is."""
    from scipy.special import stdtr

    sd, df, margin = known
    worse = float(means[place] - means[best])
    line: dict[str, Any] = {
        "level": float(levels[place]),
        "mean": float(means[place]),
        "n": int(counts[place]),
    }
    if place == best:
        return {**line, "worse_by": 0.0, "certainty": 1.0 if sd is not None else None, "not_worse": True}
    if sd is None:
        return {**line, "worse_by": worse, "certainty": None, "not_worse": worse <= 0}
    error = sd * float(np.sqrt(1 / counts[place] + 1 / counts[best]))
    sure = float(stdtr(df, (margin - worse) / error))
    upper = worse + t_of(df, 0.95) * error
    return {**line, "worse_by": worse, "certainty": sure, "not_worse": bool(upper <= margin)}
