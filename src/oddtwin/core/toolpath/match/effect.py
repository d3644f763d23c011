"""Took effect: whether a declared change is really in the motion."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from oddtwin.core.language import mark, tr
from oddtwin.core.quantities import format_digits, format_number, with_unit
from oddtwin.core.toolpath.match.declared import Declared
from oddtwin.core.toolpath.match.traits import MIN_LAYER_TIME, Trait
from oddtwin.core.toolpath.sliced import Sliced

SHORT: Final = 0.95
OVERRIDDEN: Final = mark("Find the setting that overrides it, slice again, and check again.")
SAME_PRINT: Final = mark("These are the same print: drop one of the two levels.")
MAY_BE_SAME: Final = mark(
    "If both levels lie below a floor of slicer or machine, these are the same print: drop one. Else "
    "find the setting that overrides it, slice again, and check again."
)
FEW: Final = 0.05


@dataclass(frozen=True, slots=True)
class Effect:
    """What the motion says of one declared factor.

    Parameters
    ----------
    name : str
        Of the factor.
    took : bool or None
        Whether the files are as declared; None where there is no rule or nothing to measure.
    measured : tuple of float or None
        The figure of every file, in ``unit``.
    unit : str
    sentence : str
    remedy : str
        What to do where it did not take effect.
    """

    name: str
    took: bool | None
    measured: tuple[float | None, ...]
    unit: str
    sentence: str
    remedy: str = OVERRIDDEN


def took_effect(declared: Declared, files: Sequence[Sliced], names: Sequence[str]) -> Effect:
    """Measure one factor from the motion of every file and compare it with what was declared.

    Parameters
    ----------
    declared : Declared
        With one level for each file.
    files : sequence of Sliced
        The baseline's first.
    names : sequence of str
        Of the files, for the sentence.
    """
    trait = declared.trait
    if trait is None:
        return Effect(declared.name, None, (), "", _unruled(declared))
    measured = tuple(trait.measure(file) for file in files)
    numbers = declared.numbers()
    if numbers is None or None in measured or len(numbers) != len(files):
        sentence = tr(
            "{title}: the files hold nothing from which this could be measured.", title=declared.title
        )
        return Effect(declared.name, None, measured, trait.unit, sentence)
    figures = tuple(value for value in measured if value is not None)
    if trait.name == MIN_LAYER_TIME:
        return _layer_time(declared, numbers, files, names, measured)
    if trait.by_ratio:
        return _by_ratio(declared, trait, numbers, figures, measured)
    return _measured(declared, trait, numbers, figures, names)


def _unruled(declared: Declared) -> str:
    if declared.pack:
        return tr(
            "{title} is a pack of settings: every setting that differs is taken as part of it.",
            title=declared.title,
        )
    return tr(
        "{title}: there is no rule to measure this from the motion; look for it "
        "among the settings that differ.",
        title=declared.title,
    )


def _measured(
    declared: Declared,
    trait: Trait,
    numbers: Sequence[float],
    figures: tuple[float, ...],
    names: Sequence[str],
) -> Effect:
    """Compare what was measured with what was declared, level by level."""
    wrong = [
        k
        for k, (want, have) in enumerate(zip(numbers, figures, strict=True))
        if abs(have - want) > trait.tolerance * max(abs(want), 1e-9)
    ]
    shown = ", ".join(
        f"{name} {_figure(value, trait.unit)}" for name, value in zip(names, figures, strict=True)
    )
    if not wrong:
        sentence = tr(
            "{title} is in the files as declared (measured: {shown}).", title=declared.title, shown=shown
        )
    elif (pair := _same_print(numbers, figures, trait.tolerance)) is not None:
        one, two = pair
        levels = tr(
            "{levels} in {names} and {levels2} in {names2}",
            levels=declared.levels[one],
            names=names[one],
            levels2=declared.levels[two],
            names2=names[two],
        )
        sentence = tr(
            "{title} was declared {levels}, but the motion of both shows {figure}: these are the same print.",
            title=declared.title,
            levels=levels,
            figure=_figure(figures[one], trait.unit),
        )
        return Effect(declared.name, False, figures, trait.unit, sentence, tr(SAME_PRINT))
    # The two sentences ask for different things: nothing came through, or something else took its place.
    elif _alike(figures, trait.tolerance) and not _alike(numbers, trait.tolerance):
        sentence = tr(
            "{title} was declared {arrow}, but the motion of all files shows {figure}: "
            "the change is not in the file.",
            title=declared.title,
            arrow=_arrow(declared.levels),
            figure=_figure(figures[0], trait.unit),
        )
        return Effect(declared.name, False, figures, trait.unit, sentence, tr(MAY_BE_SAME))
    else:
        k = wrong[0]
        sentence = tr(
            "{title} was declared {levels} in {names}, but its motion shows {figure}: "
            "another setting overrides it, or the wrong file was sliced.",
            title=declared.title,
            levels=declared.levels[k],
            names=names[k],
            figure=_figure(figures[k], trait.unit),
        )
    return Effect(declared.name, not wrong, figures, trait.unit, sentence)


def _by_ratio(
    declared: Declared,
    trait: Trait,
    numbers: Sequence[float],
    figures: Sequence[float],
    measured: tuple[float | None, ...],
) -> Effect:
    """Compare ratios, up or down: a wider spacing is less infill."""
    if min(*numbers, *figures) <= 0:
        sentence = tr("{title}: a level of zero has no ratio; look at the paths.", title=declared.title)
        return Effect(declared.name, None, measured, trait.unit, sentence)
    pair = _same_print(numbers, figures, trait.tolerance)
    if pair is not None:
        one, two = (declared.levels[place] for place in pair)
        sentence = tr(
            "{title} was declared {one} and {two} in two files, but {trait} is the same "
            "in the motion of both: these are the same print.",
            title=declared.title,
            one=one,
            two=two,
            trait=trait.name,
        )
        return Effect(declared.name, False, measured, trait.unit, sentence, tr(SAME_PRINT))
    inverse = "spacing" in declared.name.lower()
    # Ratios to the baseline, because what is measured depends on the piece and what was declared does not.
    wanted = [number / numbers[0] if not inverse else numbers[0] / number for number in numbers]
    found = [figure / figures[0] for figure in figures]
    took = all(abs(have / want - 1) <= trait.tolerance for have, want in zip(found, wanted, strict=True))
    shown = ", ".join(format_digits(value, 3) for value in found[1:])
    meant = ", ".join(format_digits(value, 3) for value in wanted[1:])
    if took:
        sentence = tr(
            "{title} is in the files as declared: {trait} changes by a factor of {shown}.",
            title=declared.title,
            trait=trait.name,
            shown=shown,
        )
    elif _alike(figures, trait.tolerance):
        sentence = tr(
            "{title} was declared {arrow}, but {trait} is the same in the motion of all "
            "files: the change is not in the file.",
            title=declared.title,
            arrow=_arrow(declared.levels),
            trait=trait.name,
        )
        return Effect(declared.name, False, measured, trait.unit, sentence, tr(MAY_BE_SAME))
    else:
        sentence = tr(
            "{title} was declared {arrow}, a factor of {meant}, but {trait} changes by "
            "{shown} in the motion: another setting limits it.",
            title=declared.title,
            arrow=_arrow(declared.levels),
            meant=meant,
            trait=trait.name,
            shown=shown,
        )
    return Effect(declared.name, took, measured, trait.unit, sentence)


def _layer_time(
    declared: Declared,
    numbers: Sequence[float],
    files: Sequence[Sliced],
    names: Sequence[str],
    measured: tuple[float | None, ...],
) -> Effect:
    """Look for layers that are shorter than the minimum allows."""
    sentences, took = [], True
    for minimum, file, name, level in zip(numbers, files, names, declared.levels, strict=True):
        seconds = file.layer_s[1:]
        short = int(np.count_nonzero(seconds < SHORT * minimum))
        # A handful of tiny layers at the top are short in every file, whatever the minimum.
        if short > FEW * len(seconds):
            took = False
            sentences.append(
                tr(
                    "{title} is set to {level} in {name}, but {short} of {seconds} layers are "
                    "shorter: another setting overrides it.",
                    title=declared.title,
                    level=level,
                    name=name,
                    short=short,
                    seconds=len(seconds),
                )
            )
    if took:
        shown = ", ".join(
            f"{name} {_figure(float(file.layer_s[1:].min()), 's')}" if file.path.layers > 1 else name
            for name, file in zip(names, files, strict=True)
        )
        sentences.append(
            tr("{title} is kept in all files (shortest layer: {shown}).", title=declared.title, shown=shown)
        )
    return Effect(declared.name, took, measured, "s", " ".join(sentences))


def _same_print(
    numbers: Sequence[float], figures: Sequence[float], tolerance: float
) -> tuple[int, int] | None:
    """Return two of three files or more that were declared apart and are alike, while others are not."""
    if _alike(figures, tolerance):
        return None
    for one, two in itertools.combinations(range(len(figures)), 2):
        apart = not _alike((numbers[one], numbers[two]), tolerance)
        if apart and _alike((figures[one], figures[two]), tolerance):
            return one, two
    return None


def _alike(figures: Sequence[float], tolerance: float) -> bool:
    return max(figures) - min(figures) <= min(tolerance, 0.01) * max(abs(max(figures)), 1e-9)


def _arrow(levels: Sequence[str]) -> str:
    return " → ".join(levels)


def _figure(value: float, unit: str) -> str:
    return with_unit(format_number(float(f"{value:.4g}")), unit)
