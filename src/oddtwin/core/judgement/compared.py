"""What a study compares, by what was really done and not by what the arms are called."""

from __future__ import annotations

from oddtwin.core.quantities import capitalized, format_list
from oddtwin.core.study import Arm, Factor, Study


def compared_words(study: Study) -> str:
    """Say what the change is held against: “8 h at 55 °C against as stored”.

    Parameters
    ----------
    study : Study
        Of two arms; of several the first change is told.
    """
    before = {factor.id: level.value for factor, level in study.levels_of(study.baseline)}
    moved = [
        (factor, level.value)
        for factor, level in study.levels_of(study.change)
        if before.get(factor.id) != level.value
    ]
    if not moved:
        return f"{study.change.name} against {study.baseline.name}"
    after = format_list([value for _, value in moved])
    then = format_list([before.get(factor.id, "nothing") for factor, _ in moved])
    what = format_list([factor.name for factor, _ in moved if factor.name])
    told = f"{what}: {after}{_called(study.change, moved)} against {then}{_called(study.baseline, moved)}"
    return capitalized(told)


def _called(arm: Arm, moved: list[tuple[Factor, str]]) -> str:
    """Return the name of an arm in brackets, where it has one of its own that its levels do not say."""
    usual = arm.name in ("Baseline", "Change")
    said = any(arm.name == value for _, value in moved)
    return "" if usual or said else f" ({arm.name})"
