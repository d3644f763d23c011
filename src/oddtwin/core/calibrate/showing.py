"""What is drawn of the readings of a calibration."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Final, NamedTuple

from oddtwin.core.calibrate.job import CalibrationJob
from oddtwin.core.calibrate.rows import Row
from oddtwin.core.language import tr
from oddtwin.core.picture.readings import Point
from oddtwin.core.readings import Typed


class Drawn(NamedTuple):
    """Which columns are drawn: along, up, how up is reckoned against another, and by which groups."""

    x: str
    y: str
    against: str = ""
    group: str = ""


DRAWN: Final[Mapping[str, Drawn]] = {
    "steps": Drawn("", "measured"),
    "flow-ceiling": Drawn("flow", "weighed_g", "expected_g", "setup"),
    "nozzle-wear": Drawn("grams", "strand_mm"),
    "sizes": Drawn("nominal", "measured", "nominal", "kind"),
    "belts": Drawn("", "frequency_hz", group="axis"),
    "belt-waves": Drawn("frequency_hz", "wave", group="level"),
    "ringing": Drawn("", "distance_mm", group="axis"),
    "retraction": Drawn("level", "grade"),
    "temperature": Drawn("level", "grade"),
    "layer-time": Drawn("layer_time_s", "onset_deg", group="fan"),
    "noise": Drawn("noise_db", "airflow", group="setup"),
    "overhead": Drawn("predicted_min", "measured_min"),
    "purge-pairs": Drawn("volume", "trace", group="from"),
    "fan-power": Drawn("level", "held"),
    "motor-skip": Drawn("level", "held"),
    "filament": Drawn("", "diameter_mm"),
    "pull": Drawn("", "force", group="arm"),
    "check": Drawn("standard", "reading", "standard"),
    "instrument": Drawn("", "reading", group="person"),
}


def drawn_points(job: CalibrationJob, rows: Sequence[Row]) -> tuple[list[Point], tuple[str, str]]:
    """Return the readings of a calibration as points, and what stands at the axes; none of words alone.

    Parameters
    ----------
    job : CalibrationJob
        Which.
    rows : sequence of Row
        Its readings.
    """
    drawn = DRAWN.get(job.name)
    if drawn is None:
        return [], ("", "")
    points = []
    for number, row in enumerate(rows, 1):
        x = _number(row[drawn.x]) if drawn.x else float(number)
        y = _number(row[drawn.y])
        other = _number(row[drawn.against]) if drawn.against else None
        if x is None or y is None or (drawn.against and not other):
            continue
        # Grams alone would only tell how long the strand was: what counts is the share that is missing.
        if other:
            y = 100 * (1 - y / other) if drawn.against == "expected_g" else y - other
        group = row[drawn.group] if drawn.group else ""
        points.append(Point(x, y, "" if group is None else str(group)))
    return points, (_label(job, drawn.x) or tr("reading"), _up(job, drawn))


def _up(job: CalibrationJob, drawn: Drawn) -> str:
    if drawn.against == "expected_g":
        return tr("shortfall, %")
    return tr("error, mm") if drawn.against else _label(job, drawn.y)


def _label(job: CalibrationJob, name: str) -> str:
    return next((one.label for one in job.columns if one.name == name), "")


def _number(value: Any) -> float | None:
    if isinstance(value, Typed):
        return value.value
    return None if value is None else float(value)
