"""Study files of earlier versions, as the newest one has them."""

from __future__ import annotations

from typing import Any


def newer(value: Any) -> Any:
    """Return what a study file of an earlier version says, as the newest version says it.

    Parameters
    ----------
    value : any
        As it was read; what is no such file is returned as it is.

    Notes
    -----
    In version 1 a factor had two levels and a plan pairs; up to 3 the first look alone was kept;
    up to 4 every run had stamps of its own, numbers and grades were the only kinds, and kinds
    of waste stood among the zones.
    """
    if not isinstance(value, dict) or value.get("version", 6) not in (1, 2, 3, 4):
        return value
    file = dict(value)
    seen = file.pop("verdict_seen", None)
    if seen is not None:
        file["looks"] = [{"at": seen}]
    if value["version"] == 1 and isinstance(value.get("factors", []), list):
        _levels_and_pairs(file)
    _plates(file)
    waste = _kinds(file)
    for run in _parts(file, "runs"):
        for reading in _parts(run, "readings"):
            if isinstance(name := reading.get("response"), str) and name in waste:
                reading["waste"] = reading.pop("zone", "")
    return file


def _levels_and_pairs(file: dict[str, Any]) -> None:
    file["factors"] = [
        {
            "kind": item.get("kind", ""),
            "name": item.get("name", ""),
            "levels": [str(item.get("baseline", "")), str(item.get("change", ""))],
        }
        if isinstance(item, dict) and "levels" not in item
        else item
        for item in file.get("factors", [])
    ]
    plan = file.get("plan")
    if isinstance(plan, dict) and "pairs" in plan:
        file["plan"] = {"repeats" if key == "pairs" else key: part for key, part in plan.items()}


def _plates(file: dict[str, Any]) -> None:
    """Give each run a plate with its stamps; copies of a block share one that was stamped alike."""
    plan = file.get("plan")
    design = plan.get("design") if isinstance(plan, dict) else None
    copies = design.get("copies", 1) if isinstance(design, dict) else 1
    shared = isinstance(copies, int) and copies > 1
    plates: list[dict[str, Any]] = []
    known: dict[str, int] = {}
    for run in _parts(file, "runs"):
        stamps = [name for name in ("started", "finished", "sha256", "slot") if name in run]
        plate: dict[str, Any] = {name: run.pop(name) for name in stamps}
        place = [run.get(name) for name in ("pair", "machine", "piece")]
        key = repr((place, plate)) if shared else str(len(plates))
        if key not in known:
            plates.append(plate)
            known[key] = len(plates)
        run["plate"] = known[key]
    file["plates"] = plates


def _kinds(file: dict[str, Any]) -> set[str]:
    """Name the kinds of response as they are named now; returns the responses that are wastes."""
    waste: set[str] = set()
    alone = len(file["plates"]) == len(_parts(file, "runs"))
    for response in _parts(file, "responses"):
        kind = response.pop("type", None)
        if kind is not None:
            response["kind"] = "quantity" if kind == "number" else kind
        weighed = response.get("role") == "waste" or response.get("combine") == "sum"
        if weighed and isinstance(name := response.get("name"), str):
            waste.add(name)
        if alone and response.get("role") in ("time", "waste"):
            response["subject"] = "plate"
    return waste


def _parts(value: dict[str, Any], name: str) -> list[dict[str, Any]]:
    """Return the parts of a list that can be looked into, each a copy in its place."""
    listed = value.get(name)
    if not isinstance(listed, list):
        return []
    value[name] = [dict(item) if isinstance(item, dict) else item for item in listed]
    return [item for item in value[name] if isinstance(item, dict)]
