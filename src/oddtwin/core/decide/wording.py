"""Each finding as one plain sentence with its number, unit and interval."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from typing import Final

from oddtwin.core.decide.cellwise import SAME, Cellwise, JudgedCell, side_of
from oddtwin.core.decide.verdict import Adjusted, Verdict, judge
from oddtwin.core.effects import Comparison, Place, Same
from oddtwin.core.language import mark, shown, tr, trn
from oddtwin.core.quantities import (
    after_p,
    decimals_for,
    format_list,
    format_number,
    format_signed,
    with_unit,
)
from oddtwin.core.readings import Better, PrintValue, ResponseKind

_SIDE = {"better": mark("for the better"), "worse": mark("for the worse")}


def sentence(
    comparison: Comparison,
    verdict: Verdict,
    cellwise: Cellwise | None = None,
    family: Adjusted | None = None,
    about: str = "",
) -> str:
    """Say what was found in one sentence.

    Parameters
    ----------
    comparison : Comparison
        The figures.
    verdict : Verdict
        As judged from them.
    cellwise : Cellwise, optional
        What the cells say beside the mean.
    family : Adjusted, optional
        The p values as those of one question among several.
    about : str
        What is compared, such as “dried against as stored”.

    Returns
    -------
    str
        Names the response, what is compared, the estimate with unit and percent, the 95 % interval
        (the 90 % interval for twins), what it means, what further prints would do, and
        how many prints were set aside.
    """
    name = comparison.response or tr("The response")
    if about:
        # Arms are written as they are called; an interaction has a title, which begins like one.
        name = f"{name}, {about[:1].lower() + about[1:] if comparison.measure.of_effects else about}"
    if verdict is Verdict.MIXED and cellwise is not None:
        return f"{name}: {_mixed(comparison, cellwise)}{aside_words(comparison)}."
    figures = _figures(comparison, verdict)
    if cellwise is not None and verdict.odd and not _by_itself(comparison).odd:
        figures, meaning = _on_each(comparison, cellwise), _everywhere(cellwise, verdict)
    elif cellwise is not None and cellwise.doubtful:
        meaning = _doubtful(cellwise)
    elif (
        family is not None
        and verdict is Verdict.UNDECIDED
        and _by_itself(comparison) is not Verdict.UNDECIDED
    ):
        meaning = _one_of_many(comparison, family)
    else:
        meaning = _meaning(comparison, verdict)
    text = f"{name}: {figures}: {meaning}" if figures else f"{name}: {meaning}"
    return f"{text}{aside_words(comparison)}."


_UNITS: Final = {ResponseKind.GRADE: mark("grade steps"), ResponseKind.YES_NO: mark("of prints")}


def measure_unit(comparison: Comparison) -> str:
    """Return the unit that differences of this response are written in."""
    return shown(_UNITS.get(comparison.kind, comparison.unit))


def _measured(comparison: Comparison, number: str) -> str:
    unit = measure_unit(comparison)
    one = comparison.kind is ResponseKind.GRADE and number.lstrip("+−") == "1"
    return with_unit(number, unit.removesuffix("s") if one else unit)


def decimals_of(comparison: Comparison) -> int:
    """Return how many decimals the figures of a comparison are worth."""
    interval, values = comparison.inference.ci95, comparison.prints
    if comparison.kind is ResponseKind.GRADE:
        # Typical grades are whole, or half way between two.
        return int((comparison.estimate or 0.0) % 1 != 0)
    sizes = [abs(item.value or 0.0) for item in (*values.baseline, *values.change)]
    # Equal readings differ by the rounding of their sums alone, which is worth no digit.
    rounding = 1e-9 * max(sizes, default=0.0)
    half = (interval[1] - interval[0]) / 2 if interval else math.nan
    if math.isfinite(half) and half > rounding:
        return decimals_for(half)
    estimate = abs(comparison.estimate or 0.0)
    return decimals_for(estimate / 10 if estimate > rounding else 0.0)


def _figures(comparison: Comparison, verdict: Verdict) -> str:
    if comparison.estimate is None:
        return ""
    decimals = decimals_of(comparison)
    change = format_signed(comparison.estimate, decimals)
    away = tr(" from the target") if comparison.measure.better is Better.TARGET else ""
    text = _measured(comparison, change) + away
    inside = _interval(comparison, verdict, decimals)
    if comparison.logs is None and comparison.pieces > 1 and comparison.inference.ratio_ci95 is not None:
        inside = [*_piece_by_piece(comparison), *inside]
    elif comparison.percent is not None:
        inside = [with_unit(format_signed(comparison.percent, _percent_decimals(comparison)), "%"), *inside]
    return f"{text} ({'; '.join(inside)})" if inside else text


def _piece_by_piece(comparison: Comparison) -> list[str]:
    """Say the ratio: what large and small pieces may have in common."""
    ratio, ends = comparison.inference.ratio, comparison.inference.ratio_ci95
    if ratio is None or ends is None or not math.isfinite(ends[1]):
        return []
    low, middle, high = (100 * (value - 1) for value in (ends[0], ratio, ends[1]))
    decimals = decimals_for((high - low) / 2 or abs(middle) / 10)
    figures = [format_signed(value, min(2, decimals)) for value in (middle, low, high)]
    return [
        tr(
            "{figures} of each piece, {figures2} to {figures3}",
            figures=with_unit(figures[0], "%"), figures2=figures[1],
            figures3=with_unit(figures[2], "%"),
        )
    ]  # fmt: skip


def _interval(comparison: Comparison, verdict: Verdict, decimals: int) -> list[str]:
    twin = verdict is Verdict.TWIN
    interval = comparison.inference.ci90 if twin else comparison.inference.ci95
    if interval is None:
        return []
    if math.isinf(interval[0]) and math.isinf(interval[1]):
        return [tr("no interval from so few prints without scatter")]
    low, high = (format_signed(end, decimals) for end in interval)
    ends = tr("{low} to {high}", low=low, high=high)
    if math.isinf(interval[1]):
        ends = tr("at least {low}", low=low)
    elif math.isinf(interval[0]):
        ends = tr("at most {high}", high=high)
    return [tr("{part}\u202f% interval {ends}", part=90 if twin else 95, ends=ends)]


def _percent_decimals(comparison: Comparison) -> int:
    """Percent to the digits that the interval supports."""
    interval = comparison.inference.ci95
    if not interval or not comparison.estimate or not math.isfinite(interval[0] + interval[1]):
        return 1
    share = abs(comparison.percent or 0) / abs(comparison.estimate)
    return min(2, decimals_for(share * (interval[1] - interval[0]) / 2))


def _meaning(comparison: Comparison, verdict: Verdict) -> str:
    if verdict is Verdict.TWIN:
        return _twin(comparison)
    if verdict is Verdict.NOT_WORSE:
        limit = _measured(comparison, format_number(comparison.measure.margin or 0.0))
        return tr(
            "not worse by {limit} or more (one-sided 95\u202f% sure), which is all that was asked",
            limit=limit,
        )
    if verdict is Verdict.UNDECIDED:
        return _undecided(comparison)
    if comparison.kind is ResponseKind.WORD:
        p = after_p(comparison.inference.p_difference)
        return tr("{words}: the words go with the arm (p {p})", words=_words(comparison), p=p)
    if comparison.measure.of_effects:
        return tr("the effect of one is not the same with the other as without")
    stem, _, side = verdict.value.partition("-")
    towards = f", {shown(_SIDE[side])}" if side else ""
    if comparison.measure.margin is None:
        asked = "" if comparison.of_failures else tr("; state the margin to learn whether it matters")
        return tr("it differs{towards}{asked}", towards=towards, asked=asked)
    if stem == "odd":
        return tr("it differs, and enough to matter{towards}", towards=towards)
    more = _more(comparison, differs=True)
    return tr("it differs{towards}; whether enough to matter is open: {more}", towards=towards, more=more)


def _twin(comparison: Comparison) -> str:
    interval, margin = comparison.inference.ci95, comparison.measure.margin or 0.0
    limit = _measured(comparison, format_number(margin))
    if interval and (interval[0] > 0 or interval[1] < 0):
        return tr("a real difference, too small to matter (margin {limit})", limit=limit)
    return tr("no difference that matters (margin {limit})", limit=limit)


def _undecided(comparison: Comparison) -> str:
    sides = (comparison.prints.baseline, comparison.prints.change)
    if any(item.words for side in sides for item in side):
        p = after_p(comparison.inference.p_difference)
        return tr(
            "{words}: cannot tell that the words go with the arm (p {p})", words=_words(comparison), p=p
        )
    unknown = sum(item.reach is not None for side in sides for item in side)
    if unknown and comparison.inference.ci95 is None:
        one = trn("print is", "prints are", unknown)
        return tr(
            "cannot tell: {unknown} {one} known only as above, below or between limits; "
            "measure these again with a range that holds them",
            unknown=unknown, one=one,
        )  # fmt: skip
    if comparison.measure.of_effects:
        if comparison.estimate is None:
            return tr("cannot be estimated: no block has prints of all four combinations")
        return tr("cannot tell yet whether one needs the other")
    if comparison.estimate is None:
        return tr("cannot tell: one of the arms has no print that counts")
    if comparison.inference.ci95 is None:
        return tr("cannot tell yet: there is no noise floor, so print the baseline again")
    if comparison.measure.margin is None:
        asked = "" if comparison.of_failures else tr("; state the margin to learn what it would take")
        return tr("cannot tell yet{asked}", asked=asked)
    return tr("cannot tell yet: {more}", more=_more(comparison, differs=False))


def _words(comparison: Comparison) -> str:
    return tr(" against ").join(map(_counted, (comparison.prints.baseline, comparison.prints.change)))


def _counted(side: Sequence[PrintValue]) -> str:
    """Say how often each word was chosen."""
    words = Counter(word for item in side for word in item.words)
    return ", ".join(f"{word} {count}" for word, count in sorted(words.items())) or tr("nothing")


def _more(comparison: Comparison, differs: bool) -> str:
    further = comparison.further
    if comparison.shape is None:
        return tr("more prints are needed, or an instrument that holds them")
    if further is None:
        if differs:
            return tr("the difference sits so close to the margin that more pairs will hardly settle it")
        return tr("the scatter is so large that even 1000 more pairs might not tell")
    noun = tr("pair") if comparison.prints.paired else tr("print")
    noun += "" if further.count == 1 else "s"
    each = "" if comparison.prints.paired else tr(" of each arm")
    between = ""
    if further.fewest is not None and (further.fewest, further.most) != (further.count, further.count):
        up_to = (
            tr("{fewest} to {most}", fewest=further.fewest, most=further.most)
            if further.most
            else tr("{fewest} or far more", fewest=further.fewest)
        )
        between = f" ({up_to})"
    settle = trn("settles", "settle", further.count)
    return tr(
        "if the true difference is what was seen, {count} more {noun}{each}{between} "
        "{settle} it with 80\u202f% chance",
        count=further.count, noun=noun, each=each, between=between, settle=settle,
    )  # fmt: skip


def aside_words(comparison: Comparison) -> str:
    """Say how many prints are known by limits only, and how many were set aside; empty where none.

    Parameters
    ----------
    comparison : Comparison
        Any; the words follow a sentence.
    """
    prints = comparison.prints
    said = ""
    # That an onset lies between two steps goes without saying.
    steps = comparison.kind is ResponseKind.ONSET
    limits = sum(
        item.reach is not None and not (steps and all(map(math.isfinite, item.reach)))
        for item in (*prints.baseline, *prints.change)
    )
    if limits and comparison.inference.ci95 is not None:
        said = tr(
            "; {limits} {part} known only by limits",
            limits=limits, part=trn("print is", "prints are", limits),
        )  # fmt: skip
    aside = len(prints.set_aside)
    if aside:
        said += tr(
            "; {aside} {part} set aside and not counted", aside=aside, part=trn("print", "prints", aside)
        )
    return said


def cell_sentence(one: JudgedCell, comparison: Comparison) -> str:
    """Say what a cell shows.

    Parameters
    ----------
    one : JudgedCell
        The cell with its verdict.
    comparison : Comparison
        That it is of.
    """
    decimals = cell_decimals(one, comparison)
    estimate = _measured(comparison, format_signed(one.cell.estimate, decimals))
    interval = one.cell.inference.ci95
    inside = ""
    if interval is not None and math.isfinite(interval[0] + interval[1]):
        low, high = (format_signed(end, decimals) for end in interval)
        inside = tr(" (95\u202f% interval {low} to {high})", low=low, high=high)
    return f"{one.cell.name}: {estimate}{inside}: {shown(_CELL[one.verdict.value.partition('-')[0]])}."


_CELL: Final = {
    "odd": mark("it differs, and enough to matter"),
    "leaning": mark("it differs; whether enough to matter is open"),
    "twin": mark("no difference that matters"),
    "undecided": mark("cannot tell yet"),
}


def same_sentence(item: Same) -> str:
    """Say whether the change does the same along a dimension.

    Parameters
    ----------
    item : Same
        As tested.
    """
    parts = tr("all {parts} {dimension}s", parts=len(item.parts), dimension=item.dimension)
    return tr(
        "The change does {part}the same on {parts} (p {p}).",
        part=tr("not do ") if item.p <= SAME else "", parts=parts, p=after_p(item.p),
    )  # fmt: skip


def cell_decimals(one: JudgedCell, comparison: Comparison) -> int:
    """Return how many decimals the figure of a cell is worth."""
    if comparison.kind is ResponseKind.GRADE:
        return int(one.cell.estimate % 1 != 0)
    low, high = one.cell.inference.ci95 or (math.nan, math.nan)
    half = (high - low) / 2
    return decimals_for(half if math.isfinite(half) and half > 0 else abs(one.cell.estimate) / 10)


def _mixed(comparison: Comparison, cellwise: Cellwise) -> str:
    """Say what each part shows; what shows nothing comes first and is not listed at length."""
    sides = {one: side_of(one.cell, comparison.measure) for one in cellwise.parts}
    calm = [one.cell.name for one, side in sides.items() if not side]
    said = []
    if calm:
        many = tr(
            "{calm} of {sides} {dimension}s", calm=len(calm), sides=len(sides), dimension=_dimension(cellwise)
        )
        said.append(
            tr("no difference that matters on {many}", many=many if len(calm) > 3 else format_list(calm))
        )
    for side in (1, -1):
        said += [_moved(one, comparison, side) for one, own in sides.items() if own == side]
    return tr("it is not the same everywhere: ") + "; ".join(said)


def _moved(one: JudgedCell, comparison: Comparison, side: int) -> str:
    better = comparison.measure.better
    word = tr("more") if side > 0 else tr("less")
    if better is not None:
        word = tr("better") if (side > 0) == (better is Better.HIGHER) else tr("worse")
    size = _measured(comparison, format_number(round(abs(one.cell.estimate), cell_decimals(one, comparison))))
    along = sum(item * side > 0 for item in one.cell.differences)
    pairs = (
        tr(" in {along} of {differences} pairs", along=along, differences=len(one.cell.differences))
        if one.cell.differences
        else ""
    )
    sure = "" if one.verdict.odd or one.verdict.leaning else tr(", not yet sure")
    return tr(
        "{word} by {size} on {cell}{pairs}{sure}",
        word=word, size=size, cell=one.cell.name, pairs=pairs, sure=sure,
    )  # fmt: skip


def _dimension(cellwise: Cellwise) -> str:
    """What the parts are: zones, pieces or machines, or cells where more than one of them differs."""
    named = [name for name in Place._fields if len({getattr(p.cell.place, name) for p in cellwise.parts}) > 1]
    return named[0] if len(named) == 1 else tr("cell")


def _doubtful(cellwise: Cellwise) -> str:
    names = format_list([one.cell.name for one in cellwise.doubtful])
    return tr("no difference on average; {names} cannot be told yet", names=names)


def _on_each(comparison: Comparison, cellwise: Cellwise) -> str:
    """The smallest and the largest of what the cells show: their mean says nothing of any."""
    cells = sorted(cellwise.cells, key=lambda one: one.cell.estimate)
    low, high = (
        format_signed(one.cell.estimate, cell_decimals(one, comparison)) for one in (cells[0], cells[-1])
    )
    ratio = (
        f" ({_piece_by_piece(comparison)[0]})"
        if comparison.logs is None and comparison.pieces > 1 and _piece_by_piece(comparison)
        else ""
    )
    return tr("{low} to {measured}{ratio}", low=low, measured=_measured(comparison, high), ratio=ratio)


def _everywhere(cellwise: Cellwise, verdict: Verdict) -> str:
    names = format_list([one.cell.name for one in cellwise.cells])
    side = verdict.value.partition("-")[2]
    return tr(
        "it differs on {names}, and enough to matter on each{part}",
        names=names, part=f", {shown(_SIDE[side])}" if side else "",
    )  # fmt: skip


def _by_itself(comparison: Comparison) -> Verdict:
    """What a comparison would say if nothing else had been asked, and there were no cells."""
    inference, measure = comparison.inference, comparison.measure
    return judge(inference.ci95, inference.ci90, measure.margin, measure.better, measure.guard)


def _one_of_many(comparison: Comparison, family: Adjusted) -> str:
    inference = comparison.inference
    differs = inference.p_difference is not None and inference.p_difference <= 0.05
    what = tr("it would differ") if differs else tr("it would be a twin")
    asked = (
        tr("{looks} looks", looks=family.looks) if family.looks > 1 else tr("{of} questions", of=family.of)
    )
    alone = tr("this were the only look") if family.looks > 1 else tr("nothing else had been asked")
    return tr(
        "cannot tell yet: {what} if {alone}; among {asked} one says so by chance too often",
        what=what, alone=alone, asked=asked,
    )  # fmt: skip
