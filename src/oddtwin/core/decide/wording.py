"""Each finding as one plain sentence with its number, unit and interval."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence

from oddtwin.core.decide.cellwise import Cellwise
from oddtwin.core.decide.verdict import Adjusted, Verdict, judge
from oddtwin.core.decide.wording_cells import doubtful, everywhere, mixed_words, on_each
from oddtwin.core.decide.wording_figures import (
    SIDE,
    figure_words,
    measured_words,
)
from oddtwin.core.effects import Comparison
from oddtwin.core.language import shown, tr, trn
from oddtwin.core.quantities import (
    after_p,
    format_number,
)
from oddtwin.core.readings import PrintValue, ResponseKind


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
        return f"{name}: {mixed_words(comparison, cellwise)}{aside_words(comparison)}."
    figures = figure_words(comparison, verdict)
    if cellwise is not None and verdict.odd and not _by_itself(comparison).odd:
        figures, meaning = on_each(comparison, cellwise), everywhere(cellwise, verdict)
    elif cellwise is not None and cellwise.doubtful:
        meaning = doubtful(cellwise)
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


def _meaning(comparison: Comparison, verdict: Verdict) -> str:
    if verdict is Verdict.TWIN:
        return _twin(comparison)
    if verdict is Verdict.NOT_WORSE:
        limit = measured_words(comparison, format_number(comparison.measure.margin or 0.0))
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
    towards = f", {shown(SIDE[side])}" if side else ""
    if comparison.measure.margin is None:
        asked = "" if comparison.of_failures else tr("; state the margin to learn whether it matters")
        return tr("it differs{towards}{asked}", towards=towards, asked=asked)
    if stem == "odd":
        return tr("it differs, and enough to matter{towards}", towards=towards)
    more = _more(comparison, differs=True)
    return tr("it differs{towards}; whether enough to matter is open: {more}", towards=towards, more=more)


def _twin(comparison: Comparison) -> str:
    interval, margin = comparison.inference.ci95, comparison.measure.margin or 0.0
    limit = measured_words(comparison, format_number(margin))
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
    paired = comparison.prints.paired
    noun = trn("pair", "pairs", further.count) if paired else trn("print", "prints", further.count)
    each = "" if paired else tr(" of each arm")
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
