"""Can show it: whether the piece is made for the difference that was declared."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from oddtwin.core.job import UNWATCHED, Job
from oddtwin.core.language import tr
from oddtwin.core.quantities import capitalized, format_number
from oddtwin.core.toolpath.gcode import Feature
from oddtwin.core.toolpath.match.declared import Declared
from oddtwin.core.toolpath.match.traits import ACCELERATION, MIN_LAYER_TIME, Trait
from oddtwin.core.toolpath.sliced import Sliced, reach

ENOUGH: Final = 0.2
"""Share of the print from which on a difference can be expected to show."""
LONGER: Final = (1.5, 2.0, 3.0, 4.0, 6.0, 10.0)
SHORTER: Final = (1 / 1.5, 1 / 2, 1 / 3, 1 / 4, 1 / 6, 1 / 10)
MANY: Final = 20


@dataclass(frozen=True, slots=True)
class Showing:
    """Whether a piece can show one factor.

    Parameters
    ----------
    name : str
        Of the factor.
    can : bool or None
        None where there is no rule.
    share : float or None
        Share of the print on which the factor acts, 0 to 1.
    sentence : str
    """

    name: str
    can: bool | None
    share: float | None
    sentence: str


def can_show(declared: Declared, files: Sequence[Sliced], job: Job = UNWATCHED) -> Showing:
    """Return whether the piece can show a declared factor.

    Parameters
    ----------
    declared : Declared
        The factor.
    files : sequence of Sliced
        The baseline's first; the last level counts where reach is asked for.
    job : Job
        Told the share that is done; stops the work between larger pieces that are tried.

    Raises
    ------
    CancelledError
        The job was cancelled.
    """
    trait = declared.trait
    if trait is None:
        sentence = tr("{title}: there is no rule for what a piece needs to show it.", title=declared.title)
        if declared.pack:
            sentence = tr(
                "{title}: whether a piece can show a pack depends on each of its settings.",
                title=declared.title,
            )
        return Showing(declared.name, None, None, sentence)
    if trait.feature and not any(trait.feature in file.by_feature() for file in files):
        return Showing(
            declared.name,
            False,
            0.0,
            tr(
                "{title}: this piece has no {feature}, so it cannot show it.",
                title=declared.title,
                feature=trait.feature,
            ),
        )
    if trait.name == ACCELERATION:
        return _acceleration(declared, files[0], job)
    if trait.unit == "mm/s" and trait.name != "retraction speed":
        return _speed(declared, trait, files, job)
    return _counted(declared, trait, files)


def _acceleration(declared: Declared, file: Sliced, job: Job) -> Showing:
    share = ramp_share(file, 1.0)
    said = tr(
        "{share:.0f} % of this piece’s printing time is spent at the acceleration limit", share=100 * share
    )
    return _reached(
        declared, share, said, [*LONGER, *SHORTER], lambda stretch: ramp_share(file, stretch), job
    )


def _speed(declared: Declared, trait: Trait, files: Sequence[Sliced], job: Job) -> Showing:
    numbers = declared.numbers()
    # The arm that asks for most is the one that may never reach it.
    fastest = files[int(np.argmax(numbers))] if numbers and len(numbers) == len(files) else files[-1]
    wanted = max(numbers) if numbers else None
    share = speed_share(fastest, trait.feature, 1.0)
    goal = tr("{wanted} mm/s", wanted=format_number(wanted)) if wanted else tr("the speed asked for")
    where = tr("the {feature}", feature=trait.feature) if trait.feature else tr("the print")
    said = tr("{share:.0f} % of {where} is made at {goal}", share=100 * share, where=where, goal=goal)
    return _reached(
        declared,
        share,
        said,
        LONGER,
        lambda stretch: speed_share(fastest, trait.feature, stretch),
        job,
    )


def _reached(
    declared: Declared,
    share: float,
    said: str,
    stretches: Sequence[float],
    stretched: Callable[[float], float],
    job: Job,
) -> Showing:
    """Say whether a share is enough, and if not, which size of the piece would have enough."""
    if share >= ENOUGH:
        return _said(declared.name, True, share, said, "")
    advice = _advice(stretches, stretched, job)
    sentence = tr(
        "{title} differs between the arms, but only {said}: this piece can hardly "
        "show the difference{advice}.",
        title=declared.title,
        said=said,
        advice=advice,
    )
    return Showing(declared.name, False, share, sentence)


def _advice(stretches: Sequence[float], share: Callable[[float], float], job: Job) -> str:
    """Say how much longer or shorter edges would have to be."""
    # The smallest change of size that is enough is the one worth telling, so they are tried from there.
    for stretch in stretches:
        job.check()
        if share(stretch) >= ENOUGH:
            if stretch > 1:
                return tr("; a piece with {stretch} times longer edges would", stretch=format_number(stretch))
            return tr(
                "; a piece with edges {stretch} times shorter would", stretch=format_number(1 / stretch)
            )
    return tr("; no piece of the same shape would")


def ramp_share(file: Sliced, stretch: float) -> float:
    """Return the share of printing time that is spent accelerating, on a piece stretched along its paths."""
    return reach(file, stretch=stretch).time_accelerating


def speed_share(file: Sliced, feature: Feature | None, stretch: float) -> float:
    """Return the share of length that is made at the speed asked for."""
    return reach(file, feature=feature, stretch=stretch).length_at_speed


def _counted(declared: Declared, trait: Trait, files: Sequence[Sliced]) -> Showing:
    """Rules that count how often, or on how much of the piece, a factor acts."""
    name = declared.name
    file = files[0]
    if trait.name.startswith("retraction"):
        count = max(one.retractions for one in files)
        enough = count >= MANY
        said = tr("filament is pulled back {count} times", count=count)
        return _said(name, enough, None, said, tr("a piece with several separate parts would"))
    if trait.name.startswith("purge"):
        count = file.tool_changes
        return _said(
            name,
            count > 0,
            None,
            tr("there are {count} changes of colour", count=count),
            tr("a piece of two colours would"),
        )
    if trait.name == MIN_LAYER_TIME:
        return _held_layers(declared, files)
    if trait.name == "fan":
        share = max(float(np.mean(one.path.per_move("fan")[one.path.e > 0] > 0)) for one in files)
        return _said(
            name,
            share >= ENOUGH,
            share,
            tr("the fan runs on {share:.0f} % of it", share=100 * share),
            tr("a taller one would"),
        )
    if trait.name in ("walls", "infill"):
        kinds = (Feature.INFILL,) if trait.name == "infill" else (Feature.INNER_WALL, Feature.OUTER_WALL)
        total = max(max(one.mass_g for one in files), 1e-12)
        share = (
            max(
                sum(tally.mass_g for kind, tally in one.by_feature().items() if kind in kinds)
                for one in files
            )
            / total
        )
        said = tr("{share:.0f} % of its mass is {trait}", share=100 * share, trait=trait.name)
        return _said(name, share >= ENOUGH / 2, share, said, tr("a larger piece would show more"))
    return _said(name, True, 1.0, tr("the whole of it is printed with the difference"), "")


def _held_layers(declared: Declared, files: Sequence[Sliced]) -> Showing:
    numbers = declared.numbers()
    longest = max(numbers) if numbers else 0.0
    seconds = np.concatenate([file.layer_s[1:] for file in files])
    share = float(np.mean(seconds <= 1.1 * longest)) if len(seconds) else 0.0
    said = tr("{share:.0f} % of its layers are short enough for the minimum to matter", share=100 * share)
    return _said(declared.name, share >= ENOUGH, share, said, tr("a smaller piece would"))


def _said(name: str, enough: bool, share: float | None, said: str, advice: str) -> Showing:
    title = capitalized(name.replace("_", " "))
    if enough:
        return Showing(
            name,
            True,
            share,
            tr("{title}: {said}: this piece can show the difference.", title=title, said=said),
        )
    return Showing(
        name,
        False,
        share,
        tr(
            "{title}: {said}: this piece can hardly show the difference; {advice}.",
            title=title,
            said=said,
            advice=advice,
        ),
    )
