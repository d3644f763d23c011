"""Waves on flat faces held against the tension of the belts: the least that is not worse than the best."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from oddtwin.core.calibrate.belts import belt_line, factor_of
from oddtwin.core.calibrate.ladders import least_level
from oddtwin.core.calibrate.result import CalibrationError, Result
from oddtwin.core.calibrate.rows import Row, step_of
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_reading


def waves_by_tension(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return the least tension of which the waves are not worse than at the best.

    Parameters
    ----------
    rows : sequence of Row
        ``level``, ``frequency_hz`` and ``wave``, 0 to 4; note and grade may stand in rows of their own.
    options : mapping
        ``span`` in mm, ``density`` in g/m, ``margin`` in grade steps; maybe ``most``, the maker's limit in N.

    Returns
    -------
    Result
        In N, with tension, mean grade and how that compares of each level in its table.

    Raises
    ------
    CalibrationError
        A level has no note or no grade, or there is one level only.
    """
    by_level: dict[str, list[Row]] = {}
    for row in rows:
        by_level.setdefault(row["level"].casefold(), []).append(row)
    warnings: list[str] = []
    step = step_of(rows, "frequency_hz")
    graded: list[Row] = []
    table: list[dict[str, Any]] = []
    for some in by_level.values():
        level = some[0]["level"]
        notes = [row["frequency_hz"] for row in some if row["frequency_hz"] is not None]
        waves = [row["wave"] for row in some if row["wave"] is not None]
        if not notes or not waves:
            lacks = tr("a grade of its waves") if notes else tr("a note")
            raise CalibrationError(tr(
                "“{level}” has no {split}: give every level {lacks}.",
                level=level, split=lacks.split(" ", 1)[1], lacks=lacks,
            ))  # fmt: skip
        belt = belt_line(level, notes, factor_of(options), step, warnings)
        # A level is its tension: two names of one tension would be one level.
        graded += [Row(0, {"level": belt["tension_n"], "grade": wave}, {}) for wave in waves]
        table.append({"level": level, "tension_n": belt["tension_n"], "ci95": belt["ci95"]})
    found = least_level(graded, options, "N", tr("the belts"))
    compared = {line["level"]: line for line in found.table}
    told = tuple({**compared[line["tension_n"]], **line} for line in table)
    most = options.get("most")
    if most and found.value is not None and found.value > most:
        limit = format_reading(most)
        warnings.append(
            tr("That is above the maker’s limit of {most} N: stay below it, waves or not.", most=limit)
        )
    told_of = (*warnings, *found.warnings)
    return Result(found.value, "N", None, found.sentence, found.advice, told_of, told, found.more)
