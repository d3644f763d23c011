"""A study weighed up at another size of the piece, or with another number of pieces on the plate."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Final, NamedTuple

import numpy as np

from oddtwin.core.arrays import Interval
from oddtwin.core.language import tr
from oddtwin.core.quantities import format_list, format_number, with_unit
from oddtwin.core.study import Arm, Run, RunState, Study, plate_of
from oddtwin.core.toolpath.sliced import Growth, SlicedSize, fitted_growth
from oddtwin.core.tradeoff.costs import PrintCost, costs_as_response, print_costs
from oddtwin.core.tradeoff.figure import Figure, mean_figure
from oddtwin.core.tradeoff.prices import Prices, prices_of
from oddtwin.core.tradeoff.weighed import savings_of

SMALLEST: Final = 0.1
LARGEST: Final = 10.0
MOST_PIECES: Final = 100
_BY_FILE: Final = (0.5, 2.0)
"""Sizes between which shells and infill of one file are trusted: below thin parts are all wall, above the
piece often asks for another number of walls (common practice, no source)."""
_BLIND: Final = (0.75, 1.5)
_BEYOND: Final = 1.25
"""Past the smallest and largest sliced size the fit is trusted by so much."""


class Model(NamedTuple):
    """How minutes and grams of a print of an arm may grow."""

    minutes: Growth
    grams: Growth


class ArmAtSize(NamedTuple):
    """Minutes, grams and money of one piece of an arm, with intervals; money None without prices."""

    name: str
    minutes: Figure
    grams: Figure
    money: Figure | None


@dataclass(frozen=True, slots=True)
class AtSize:
    """What a study comes to at another size.

    Parameters
    ----------
    size : float
        Over the size that was printed.
    pieces : int
        On a plate.
    arms : tuple of ArmAtSize
        In the order of the study.
    savings : mapping of str to Figure
        Money that a piece of each arm saves against the baseline, compared as every response is.
    trusted : tuple of float
        Between which sizes this is to be believed.
    known_by : str
        What the growth was told from, as a sentence.
    worth : tuple of str
        From which size on another arm is the cheapest, as sentences.
    currency : str
        Of the money.
    piece : str
        Which piece it is reckoned for, where the study prints several.
    """

    size: float
    pieces: int
    arms: tuple[ArmAtSize, ...]
    savings: Mapping[str, Figure]
    trusted: Interval
    known_by: str
    worth: tuple[str, ...]
    currency: str
    piece: str = ""

    @property
    def believed(self) -> bool:
        """Whether the size lies where it can be trusted."""
        return self.trusted[0] <= self.size <= self.trusted[1]

    @property
    def sentences(self) -> list[str]:
        """What follows, in words."""
        low, high = (format_number(100 * end, 0) for end in self.trusted)
        limits = tr(
            "{known_by} To be trusted from {low} to {high} % of the printed size",
            known_by=self.known_by,
            low=low,
            high=high,
        )
        asked = (
            ""
            if self.believed
            else tr("; {size} % is beyond: slice it, and see", size=format_number(100 * self.size, 0))
        )
        only = (
            [tr("Reckoned for {piece} alone: each piece grows in its own way.", piece=self.piece)]
            if self.piece
            else []
        )
        return [*only, f"{limits}{asked}.", *self.worth]

    def as_json(self) -> dict[str, Any]:
        """Return it as plain values."""

        def figure(one: Figure | None) -> dict[str, Any] | None:
            return None if one is None else {"value": one.value, "ci95": list(one.ci95) if one.ci95 else None}

        return {
            "size_percent": 100 * self.size,
            "pieces": self.pieces,
            "piece": self.piece or None,
            "arms": {
                one.name: {
                    "minutes": figure(one.minutes),
                    "grams": figure(one.grams),
                    "money": figure(one.money),
                }
                for one in self.arms
            },
            "savings": {name: figure(one) for name, one in self.savings.items()},
            "trusted_percent": [100 * end for end in self.trusted],
            "currency": self.currency,
            "sentences": self.sentences,
        }


def at_size(
    study: Study,
    size: float,
    pieces: int,
    sliced: Mapping[str, Sequence[SlicedSize]] | None = None,
    prices: Prices | None = None,
) -> AtSize:
    """Return what each arm comes to at another size, with so many pieces on a plate.

    What was measured is multiplied by how much the print grows: by what files of several sizes tell, else by
    the shells and the infill of the arm's file, else by the size squared and cubed as the two ends.

    Parameters
    ----------
    study : Study
        With its prints.
    size : float
        Over the size that was printed, .1 to 10.
    pieces : int
        On a plate.
    sliced : mapping of str to sequence of SlicedSize, optional
        By arm: of the printed size first, then of others.
    prices : Prices, optional
        Other than those of the study.

    Raises
    ------
    ValueError
        Size or pieces are out of range, or no arm was printed.
    """
    if not SMALLEST <= size <= LARGEST:
        raise ValueError(tr("Give a size of 10 to 1000 % of the printed one."))
    if not 1 <= pieces <= MOST_PIECES:
        raise ValueError(tr("Give 1 to {MOST_PIECES} pieces on a plate.", MOST_PIECES=MOST_PIECES))
    prices = prices or prices_of(study)
    costs, piece = _of_first_piece(study, print_costs(study, prices))
    arms = [arm for arm in study.arms if any(one.id in costs for one in _of_arm(study, arm))]
    if not arms:
        raise ValueError(tr("No print of this study counts yet, so nothing is there to be scaled."))
    files = {arm.name: list((sliced or {}).get(arm.name, ())) for arm in arms}
    models = {arm.name: _models(study, arm, costs, files[arm.name]) for arm in arms}
    best = _scaled(study, costs, prices, models, size, pieces)
    ends = [_scaled(study, costs, prices, models, size, pieces, place) for place in range(_most(models))]
    priced = costs_as_response(study, best, prices.currency) if prices.known else None
    return AtSize(
        size,
        pieces,
        tuple(_at_size(study, arm, best, ends, prices.known) for arm in arms),
        savings_of(priced) if priced is not None and len(arms) > 1 else {},
        _trusted(files),
        _known_by(files),
        tuple(_worth(study, arms, costs, prices, models, pieces, _trusted(files))),
        prices.currency,
        piece,
    )


def _of_first_piece(study: Study, costs: Mapping[int, PrintCost]) -> tuple[dict[int, PrintCost], str]:
    """Return the costs of the prints of the first piece, and its name where there are others beside it.

    A file tells how its own piece grows; another has other walls.
    """
    planned = study.plan.piece_ids if study.plan else ()
    if len(planned) < 2:
        return dict(costs), ""
    first = study.pieces[planned[0]]
    kept = {key: one for key, one in costs.items() if study.piece_of(study.index.runs[key]) == first}
    return kept, first.name


def _of_arm(study: Study, arm: Arm) -> list[Run]:
    return [run for run in study.runs if run.arm_id == arm.id and run.state is RunState.PRINTED]


def _models(
    study: Study, arm: Arm, costs: Mapping[int, PrintCost], files: Sequence[SlicedSize]
) -> list[Model]:
    """Return the likely growth of an arm first, then what it may be as well."""
    own = next(iter(files), None)
    if own is None or not own.split:
        mine = [costs[run.id] for run in _of_arm(study, arm) if run.id in costs]
        machines = {machine.overhead_min for run in _of_arm(study, arm) if (machine := study.machine_of(run))}
        once = min(machines, default=0.0)
        minutes = max(0.0, sum(cost.minutes for cost in mine) / len(mine) - once)
        grams = sum(cost.grams for cost in mine) / len(mine)
        return [
            Model(
                Growth(once, 0.0, share * minutes, (1 - share) * minutes),
                Growth(0.0, 0.0, share * grams, (1 - share) * grams),
            )
            for share in (0.5, 1.0, 0.0)
        ]
    split = Model(own.minutes, own.grams)
    if len(files) < 2:
        return [split]
    sizes = [one.extent_mm / own.extent_mm for one in files]
    fitted = Model(
        fitted_growth(sizes, [one.minutes.at(1) for one in files], own.minutes),
        fitted_growth(sizes, [one.grams.at(1) for one in files], own.grams),
    )
    return [fitted, split]


def _most(models: Mapping[str, Sequence[Model]]) -> int:
    return max(len(some) for some in models.values())


def _scaled(
    study: Study,
    costs: Mapping[int, PrintCost],
    prices: Prices,
    models: Mapping[str, Sequence[Model]],
    size: float,
    pieces: int,
    place: int = 0,
) -> dict[int, PrintCost]:
    """Return the costs of every print as if it had been of a size and on a plate of so many pieces."""
    found = {}
    for run_id, cost in costs.items():
        run = study.index.runs[run_id]
        some = models[study.arm_of(run).name]
        model = some[min(place, len(some) - 1)]
        together = sum(one.state is RunState.PRINTED for one in plate_of(study, run))
        longer, heavier = (_grown(growth, size, pieces, together) for growth in (model.minutes, model.grams))
        of_plate = prices.hands_min / 60 * prices.labour_per_h
        found[run_id] = replace(
            cost,
            filament=cost.filament * heavier,
            energy=cost.energy * longer,
            machine=cost.machine * longer,
            # What hands do to a plate is shared; what they do to a piece stays as it was measured.
            hands=cost.hands - of_plate / together + of_plate / pieces,
            grams=cost.grams * heavier,
            minutes=cost.minutes * longer,
        )
    return found


def _grown(growth: Growth, size: float, pieces: int, together: int) -> float:
    """Return how many times as much a print takes as it did."""
    before = growth.at(1.0, together)
    return growth.at(size, pieces) / before if before > 0 else 1.0


def _at_size(
    study: Study,
    arm: Arm,
    best: Mapping[int, PrintCost],
    ends: Sequence[Mapping[int, PrintCost]],
    priced: bool,
) -> ArmAtSize:
    runs = [run.id for run in _of_arm(study, arm) if run.id in best]

    def figure(name: str) -> Figure:
        mine = mean_figure([getattr(best[key], name) for key in runs])
        others = [mean_figure([getattr(end[key], name) for key in runs]) for end in ends]
        limits = [one.ci95 or (one.value, one.value) for one in others]
        if mine.ci95 is None and len(ends) < 2:
            return mine
        # Scatter of the prints and what is not known of the growth, both ends together.
        return replace(mine, ci95=(min(low for low, _ in limits), max(high for _, high in limits)))

    return ArmAtSize(arm.name, figure("minutes"), figure("grams"), figure("money") if priced else None)


def _trusted(files: Mapping[str, Sequence[SlicedSize]]) -> Interval:
    """Return the sizes between which all arms are known."""
    ends = []
    for some in files.values():
        if not some or not some[0].split:
            ends.append(_BLIND)
        else:
            sizes = [one.extent_mm / some[0].extent_mm for one in some]
            several = len(some) > 1
            ends.append((min(sizes) / _BEYOND, max(sizes) * _BEYOND) if several else _BY_FILE)
    return max(low for low, _ in ends), min(high for _, high in ends)


def _known_by(files: Mapping[str, Sequence[SlicedSize]]) -> str:
    blind = [name for name, some in files.items() if not some or not some[0].split]
    if blind:
        return tr(
            "No sliced file tells shells and infill of {blind} apart, so that all of it "
            "may grow with the size squared or cubed: the interval holds both.",
            blind=format_list(blind),
        )
    if all(len(some) > 1 for some in files.values()):
        return tr("Told by files sliced at several sizes.")
    return tr("Told by the sliced files: walls and tops grow with the size squared, infill with its cube.")


def _worth(
    study: Study,
    arms: Sequence[Arm],
    costs: Mapping[int, PrintCost],
    prices: Prices,
    models: Mapping[str, Sequence[Model]],
    pieces: int,
    trusted: Interval,
) -> list[str]:
    """Say from which size on an arm is cheaper than the baseline, or quicker where nothing has a price."""
    name, unit = ("money", prices.currency) if prices.known else ("minutes", "min")
    base = next((arm for arm in arms if arm.is_baseline), None)
    if base is None:
        return []

    def mean(arm: Arm, size: float) -> float:
        scaled = _scaled(study, costs, prices, models, size, pieces)
        mine = [getattr(scaled[run.id], name) for run in _of_arm(study, arm) if run.id in scaled]
        return float(sum(mine) / len(mine))

    from scipy.optimize import brentq

    told = []
    grid = np.linspace(*trusted, 9)
    for arm in arms:
        if arm.is_baseline:
            continue

        def less(size: float, arm: Arm = arm) -> float:
            return mean(base, size) - mean(arm, size)

        signs = [less(size) for size in grid]
        word = tr("costs less") if prices.known else tr("takes less time")
        crossings = [
            float(brentq(less, low, high))
            for low, high, left, right in zip(grid, grid[1:], signs, signs[1:], strict=False)
            if left * right < 0
        ]
        if not crossings:
            continue
        way = tr("from") if signs[-1] > 0 else tr("up to")
        where = with_unit(format_number(100 * (crossings[-1] if signs[-1] > 0 else crossings[0]), 0), "%")
        most = with_unit(format_number(max(abs(sign) for sign in signs), 2), unit)
        told.append(
            tr(
                "On the means {arm} {word} {way} {where} of the printed size{part}; within "
                "these sizes the two differ by {most} at most.",
                arm=arm.name,
                word=word,
                way=way,
                where=where,
                part=tr(" on") if signs[-1] > 0 else "",
                most=most,
            )
        )
    return told
