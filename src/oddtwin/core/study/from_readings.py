"""A study made from tidy readings, as a CSV file brings them."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import datetime
from itertools import count
from typing import TypeVar

from oddtwin.core.design import Design, DesignKind, SeededOrder
from oddtwin.core.language import tr
from oddtwin.core.quantities import with_offset
from oddtwin.core.readings import Combine, Reading
from oddtwin.core.study.from_levels import factors_of, settings_of
from oddtwin.core.study.planned import Plan, StudyBlock
from oddtwin.core.study.printed import Plate, Run, RunReading
from oddtwin.core.study.question import Arm, Factor, Response, Role
from oddtwin.core.study.tidy import TAKEN
from oddtwin.core.study.whole import Study
from oddtwin.core.study.workshop import Machine, NominalSize, Piece

K = TypeVar("K")


def study_from_readings(readings: Sequence[Reading], name: str, baseline: str, now: datetime) -> Study:
    """Build a study whose tidy readings are the ones given.

    Parameters
    ----------
    readings : sequence of Reading
        Of two arms or more.
    name : str
        Name of the new study.
    baseline : str
        Which of the arms is the baseline.
    now : datetime
        Stands for the finish of every print, of which the readings say nothing.

    Returns
    -------
    Study
        With ids of its own from 1; the first response decides. Several arms, levels or crossed
        factors make a design of that kind.

    Raises
    ------
    ValueError
        There are not two arms, the baseline is not one of them, or arms and levels contradict each
        other.
    """
    found = list(dict.fromkeys(reading.arm for reading in readings))
    if len(found) < 2:
        raise ValueError(tr("a study compares two arms, and these readings have {found}", found=len(found)))
    if baseline not in found:
        raise ValueError(tr("there is no arm “{baseline}”", baseline=baseline))
    names, levels, factors, plan = _asked(readings, [baseline, *(arm for arm in found if arm != baseline)])
    numbers = {arm: index for index, arm in enumerate(names if factors else found, 1)}
    machines = _numbered(reading.machine for reading in readings if reading.machine)
    pieces = _numbered(reading.piece for reading in readings if reading.piece)
    blocks = _numbered((item.pair, item.machine, item.piece) for item in readings)
    prints = _prints(readings)
    runs = _runs(prints, blocks, numbers, now)
    responses = _responses(readings)
    values = [
        RunReading(
            number,
            run.id,
            responses[item.response].id,
            item.value or 0.0,
            **{name: getattr(item, name) for name in TAKEN},
        )
        for number, (run, item) in enumerate(
            ((run, item) for run, rows in zip(runs, prints, strict=True) for item in rows), 1
        )
        if item.read
    ]
    return Study(
        id=0,
        name=name,
        question="",
        created=now,
        arms=tuple(Arm(index, arm, arm == baseline, levels.get(arm, ())) for arm, index in numbers.items()),
        factors=factors,
        plan=plan and replace(plan, machine_ids=tuple(machines.values()), piece_ids=tuple(pieces.values())),
        responses=tuple(responses.values()),
        blocks=tuple(
            StudyBlock(key, label, machines.get(machine), pieces.get(piece))
            for (label, machine, piece), key in blocks.items()
        ),
        runs=tuple(runs),
        readings=tuple(values),
        machines={key: Machine(key, text) for text, key in machines.items()},
        pieces={
            key: Piece(key, text, _zones(readings, text), 0.0, 0.0, 0.0, sizes=_sizes(readings, text))
            for text, key in pieces.items()
        },
    )


def _asked(
    readings: Sequence[Reading], names: list[str]
) -> tuple[list[str], dict[str, tuple[int, ...]], tuple[Factor, ...], Plan | None]:
    """Return the arms in order with the ids of their levels, the factors, and the plan of several arms."""
    settings = settings_of(readings, names)
    factors, kind = factors_of(settings, names)
    if len(names) == 2 and kind is not DesignKind.LADDER:
        # Two arms are one question, whatever their names; only a ladder of two levels has an order.
        return names, {}, (), None
    if kind is DesignKind.LADDER:
        order = [level.value for level in factors[0].levels]
        names.sort(key=lambda name: order.index(settings[name][0][1]))
    ids = {(place, level.value): level.id for place, factor in enumerate(factors) for level in factor.levels}
    levels = {
        name: tuple(ids[place, value] for place, (_, value) in enumerate(settings[name])) for name in names
    }
    design = Design(kind, tuple(len(factor.levels) for factor in factors))
    return names, levels, factors, Plan(1, 0, 0, 1, (), (), design=design)


def _zones(readings: Sequence[Reading], piece: str) -> tuple[str, ...]:
    graded = (item for item in readings if item.kind.graded and item.piece == piece)
    return tuple(dict.fromkeys(item.zone for item in graded if item.zone))


def _sizes(readings: Sequence[Reading], piece: str) -> tuple[NominalSize, ...]:
    sizes = {
        item.zone or f"{item.nominal:g}": item.nominal
        for item in readings
        if item.nominal is not None and item.piece == piece
    }
    return tuple(NominalSize(name, mm) for name, mm in sizes.items())


def _numbered(items: Iterable[K]) -> dict[K, int]:
    return {item: number for number, item in enumerate(dict.fromkeys(items), 1)}


def _prints(readings: Sequence[Reading]) -> list[list[Reading]]:
    """Gather the readings of each print over all responses."""
    seen: Counter[tuple[str, ...]] = Counter()
    gathered: dict[tuple[str, ...], list[Reading]] = defaultdict(list)
    for item in readings:
        key: tuple[str, ...] = (item.arm, item.pair, item.machine, item.piece, item.run)
        if not item.run and not item.zone:
            # Without a name, the first row of each response is one print, the second another.
            seen[(*key, item.response)] += 1
            key = (*key, str(seen[(*key, item.response)]))
        gathered[key].append(item)
    return list(gathered.values())


def _runs(
    prints: list[list[Reading]], blocks: dict[tuple[str, str, str], int], arms: dict[str, int], now: datetime
) -> list[Run]:
    names = Counter(rows[0].run for rows in prints)
    # A fixed seed: the same table gives the same codes, whoever imports it.
    order, taken = SeededOrder(len(prints)), set(names)
    # Rows without an order stay as they stand in the table.
    told = sorted(
        prints, key=lambda rows: min((one.order for one in rows if one.order is not None), default=0.0)
    )
    position = {id(rows): place for place, rows in enumerate(told)}
    shared: dict[tuple[str, str], Plate] = {}
    runs = []
    for number, rows in enumerate(prints, 1):
        first = rows[0]
        code = first.run
        if not code or names[code] > 1:
            code = order.code(taken) if not code else f"{code}-{number}"
            taken.add(code)
        day = next((item.day for item in rows if item.day), "")
        plate = Plate(
            started=with_offset(datetime.fromisoformat(day)) if day else None,
            finished=max(now, with_offset(datetime.fromisoformat(day))) if day else now,
        )
        if first.plate:
            # One job has one start and one finish, whatever its first row says of the day.
            name = (first.machine, first.plate)
            plate = shared.setdefault(name, replace(plate, id=len(shared) + 1))
        runs.append(
            Run(
                id=number,
                code=code,
                position=position[id(rows)],
                arm_id=arms[first.arm],
                block_id=blocks[first.pair, first.machine, first.piece],
                plate=plate,
                spool=next((item.spool for item in rows if item.spool), ""),
                set_aside=next((item.set_aside for item in rows if item.set_aside), ""),
                failed=next((item.failed for item in rows if item.failed), ""),
            )
        )
    return runs


def _unnamed(readings: Sequence[Reading]) -> str:
    """Return a name for a response that the table does not name."""
    taken = {item.response.casefold() for item in readings}
    return next(
        name
        for n in count(1)
        if (name := tr("Value {n}", n=n) if n > 1 else tr("Value")).casefold() not in taken
    )


def _responses(readings: Sequence[Reading]) -> dict[str, Response]:
    responses: dict[str, Response] = {}
    for item in readings:
        if item.response not in responses:
            responses[item.response] = Response(
                id=len(responses) + 1,
                name=item.response or _unnamed(readings),
                unit=item.unit,
                kind=item.kind,
                combine=item.combine,
                better=None,
                target=None,
                margin=None,
                resolution=item.step,
                primary=not responses,
                role=Role.WASTE if item.combine is Combine.SUM else None,
                margin_moved=False,
                words=tuple(
                    dict.fromkeys(one.word for one in readings if one.word and one.response == item.response)
                ),
            )
    return responses
