"""The figures of a sliced file as plain values for JSON and screens."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np

from oddtwin.core.toolpath.gcode import StopKind
from oddtwin.core.toolpath.sliced.figures import Sliced
from oddtwin.core.toolpath.sliced.reach import reach
from oddtwin.core.toolpath.sliced.shape import shape_of


def summary(sliced: Sliced, *, flow_mm3_s: float | None = None) -> dict[str, Any]:
    """Return all figures of a sliced file.

    Parameters
    ----------
    sliced : Sliced
        The file, planned.
    flow_mm3_s : float, optional
        A flow in mm³/s: the shares of time and length above it are given too.
    """
    total = sliced.total
    features, waste = sliced.by_feature(), sliced.waste
    shape = shape_of(sliced)
    return {
        "layers": sliced.path.layers,
        "lines": sliced.path.lines,
        "time_s": sliced.time_s,
        "time_by_feature": {name.value: tally.time_s for name, tally in features.items()} | sliced.waits(),
        "path_mm": total.path_mm,
        "travel_mm": total.travel_mm,
        "filament_mm": total.filament_mm,
        "volume_mm3": total.volume_mm3,
        "mass_g": total.mass_g,
        "waste_g": None if waste is None else waste.mass_g,
        "filaments": {
            str(tool): {"source": sliced.source.value, **asdict(one)}
            for tool, one in sliced.filaments.items()
        },
        "says": {key: value for key, value in asdict(sliced.said).items() if value is not None},
        "by_tool": {str(tool): asdict(tally) for tool, tally in sliced.by_tool().items()},
        "by_feature": {name.value: asdict(tally) for name, tally in features.items()},
        "by_object": {name: asdict(tally) for name, tally in sliced.by_object().items()},
        "unknown_features": sliced.odd_features(),
        "moves": total.moves,
        "retractions": sliced.retractions,
        "wipes": sliced.wipes,
        "tool_changes": sliced.tool_changes,
        "max_flow_mm3_s": sliced.max_flow_mm3_s,
        "layer_time": _layer_times(sliced),
        "reach": {
            key: value for key, value in asdict(reach(sliced, flow_mm3_s)).items() if value is not None
        },
        "overhang": {"steepest_deg": shape.overhang_deg, "at_z_mm": shape.overhang_z},
        "bridge": {"longest_mm": shape.bridge_mm, "at_z_mm": shape.bridge_z},
        "unknown": dict(sliced.path.unknown),
        "settings": dict(sliced.path.settings),
        "pauses": sum(stop.kind is StopKind.PAUSE for stop in sliced.path.stops),
        "notes": [*sliced.path.doubts, *sliced.notes],
        "told": list(sliced.told),
    }


def _layer_times(sliced: Sliced) -> dict[str, float]:
    seconds = sliced.layer_s
    return {"min": float(seconds.min()), "median": float(np.median(seconds)), "max": float(seconds.max())}
