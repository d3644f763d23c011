"""What a study compares, by what was really done and not by what the arms are called."""

from __future__ import annotations

from oddtwin.core.language import tr
from oddtwin.core.quantities import capitalized, format_list
from oddtwin.core.study import Arm, Factor, Study


def compared_words(study: Study) -> str:
    """Say what the change is held against: “8 h at 55 °C against as stored”.

    Parameters
    ----------
    study : Study
        Of two arms; of several the first change is told.
    """
    moved = _moved(study)
    if not moved:
        return arms_words(study)
    after = format_list([after for _, _, after in moved])
    then = format_list([before for _, before, _ in moved])
    what = format_list([factor.name for factor, _, _ in moved if factor.name])
    told = tr(
        "{what}: {after}{called} against {then}{called2}",
        what=what,
        after=after,
        called=_called(study.change, after),
        then=then,
        called2=_called(study.baseline, then),
    )
    return capitalized(told)


def arms_words(study: Study) -> str:
    """Name the two arms as a sentence does: “8 h at 55 °C against as stored”.

    Parameters
    ----------
    study : Study
        Of two arms. What was done names an arm that has no name of its own.
    """
    moved = _moved(study)
    after = format_list([after for _, _, after in moved])
    then = format_list([before for _, before, _ in moved])
    return tr(
        "{named} against {named2}", named=_named(study.change, after), named2=_named(study.baseline, then)
    )


def _moved(study: Study) -> list[tuple[Factor, str, str]]:
    """Return the factors that the change moves, with what stands in the baseline and in the change."""
    before = {factor.id: level.value for factor, level in study.levels_of(study.baseline)}
    return [
        (factor, before.get(factor.id, tr("nothing")), level.value)
        for factor, level in study.levels_of(study.change)
        if before.get(factor.id) != level.value
    ]


def _is_named(arm: Arm) -> bool:
    return arm.name not in ("Baseline", "Change", tr("Baseline"), tr("Change"))


def _named(arm: Arm, done: str) -> str:
    return arm.name if _is_named(arm) or not done else done


def _called(arm: Arm, done: str) -> str:
    """Return the name of an arm in brackets, where it has one of its own that its levels do not say."""
    return f" ({arm.name})" if _is_named(arm) and arm.name != done else ""
