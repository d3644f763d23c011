"""What each print cost: filament, energy, hours of the machine, and hands."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Final, NamedTuple

from oddtwin.core.language import mark, shown
from oddtwin.core.quantities import convert, minutes_between
from oddtwin.core.readings import Better, Combine, ResponseKind, Subject
from oddtwin.core.study import Estimate, Response, Role, Run, RunReading, RunState, Study, plate_key, plate_of
from oddtwin.core.tradeoff.prices import Prices

COST: Final = mark("Cost of a print")
COST_ID: Final = 10**9
"""Of no response that a lab book has: it counts from 1."""
WATT_MIN_PER_KWH: Final = 60_000.0


@dataclass(frozen=True, slots=True)
class PrintCost:
    """The cost of one print, by what it is for, in money; ``grams`` of filament, and minutes.

    ``estimated`` tells whether minutes or grams were not read, so that the piece's own had to do.
    """

    filament: float
    energy: float
    machine: float
    hands: float
    grams: float
    minutes: float
    estimated: bool

    @property
    def money(self) -> float:
        """All of it."""
        return self.filament + self.energy + self.machine + self.hands


def print_costs(study: Study, prices: Prices) -> dict[int, PrintCost]:
    """Return the cost of every print that counts and is done, by the id of its run.

    What is read of a plate is shared by the pieces on it that count; what is read of a piece is its own.
    Minutes are those that were read, else those between the stamps, else those of the piece with heating and
    homing. Hands are the minutes of a plate by the workshop's figures, and whatever else was timed by hand.

    Parameters
    ----------
    study : Study
        With its readings.
    prices : Prices
        From `prices_of`.
    """
    own: dict[int, dict[str, float]] = defaultdict(lambda: defaultdict(float))
    of_plate: dict[tuple[int, int], dict[str, float]] = defaultdict(lambda: defaultdict(float))
    for (run_id, response_id), value in _values(study).items():
        response, run = study.index.responses[response_id], study.index.runs[run_id]
        amount = _amount(response, value)
        if amount is not None:
            shared = response.subject is Subject.PLATE
            (of_plate[plate_key(run)] if shared else own[run_id])[amount.what] += amount.figure
    made = [run for run in study.runs if run.state is RunState.PRINTED]
    return {run.id: _cost(study, run, own[run.id], of_plate[plate_key(run)], prices) for run in made}


class _Amount(NamedTuple):
    """What a reading is of: minutes of printing or of hands, grams of part or of waste; and how much."""

    what: str
    figure: float


def _values(study: Study) -> dict[tuple[int, int], float]:
    """Return the sum over its spots of every response of every run; retakes of one spot are its mean."""
    spots: dict[tuple[int, int], dict[tuple[str, str], list[float]]] = defaultdict(lambda: defaultdict(list))
    for item in study.readings:
        spots[item.run_id, item.response_id][item.zone, item.waste].append(item.value)
    return {key: sum(sum(some) / len(some) for some in of.values()) for key, of in spots.items()}


def _amount(response: Response, value: float) -> _Amount | None:
    if response.role in (Role.PART, Role.WASTE):
        return _converted(response.role.value, value, response.unit, "g")
    if response.role is Role.TIME:
        return _converted("print", value, response.unit, "min")
    # What else was timed was timed with a hand in it: removal, cleaning.
    timed = response.kind is ResponseKind.QUANTITY and response.role is None
    return _converted("hands", value, response.unit, "min") if timed else None


def _converted(what: str, value: float, unit: str, wanted: str) -> _Amount | None:
    try:
        return _Amount(what, convert(value, unit, wanted))
    except ValueError:
        return None


def _cost(
    study: Study, run: Run, own: Mapping[str, float], of_plate: Mapping[str, float], prices: Prices
) -> PrintCost:
    together = sum(one.state is RunState.PRINTED for one in plate_of(study, run))
    machine, piece = study.machine_of(run), study.piece_of(run)
    usual = piece.on(machine.id if machine else None) if piece else Estimate()

    def read(what: str) -> float | None:
        if what not in own and what not in of_plate:
            return None
        return own.get(what, 0.0) + of_plate.get(what, 0.0) / together

    minutes, part = read("print"), read("part")
    estimated = part is None
    if minutes is None and run.started and run.finished:
        passed = minutes_between(run.started, run.finished)
        # A clock that was set back tells no minutes.
        minutes = passed / together if passed > 0 else None
    if minutes is None:
        estimated = True
        minutes = usual.minutes + (machine.overhead_min if machine else 0.0) / together
    # Waste that was left blank was none, as the fields at the machine have it.
    grams = (usual.part_g if part is None else part) + (read("waste") or 0.0)
    hands = prices.hands_min / together + (read("hands") or 0.0)
    name = machine.name if machine else ""
    return PrintCost(
        filament=grams / 1000 * prices.filament(study, run),
        energy=minutes * prices.power_w.get(name, 0.0) / WATT_MIN_PER_KWH * prices.energy_per_kwh,
        machine=minutes / 60 * prices.machine_per_h.get(name, 0.0),
        hands=hands / 60 * prices.labour_per_h,
        grams=grams,
        minutes=minutes,
        estimated=estimated,
    )


def costs_as_response(study: Study, costs: Mapping[int, PrintCost], currency: str) -> Study:
    """Return a study whose only response is the cost of a print, so that it is compared like any other.

    Parameters
    ----------
    study : Study
        Whose prints they are.
    costs : mapping of int to PrintCost
        From `print_costs`.
    currency : str
        The unit.
    """
    response = Response(
        COST_ID, shown(COST), currency, ResponseKind.QUANTITY, Combine.MEAN, Better.LOWER,
        None, None, None, True, None, False,
    )  # fmt: skip
    readings = tuple(
        RunReading(number, run_id, COST_ID, cost.money)
        for number, (run_id, cost) in enumerate(costs.items(), 1)
    )
    return replace(study, responses=(response,), readings=readings)
