"""Finding the fault: which single cause or pair of causes the prints leave, and what to swap next."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from itertools import combinations, product
from math import ceil, comb, log, prod
from operator import itemgetter
from statistics import median
from typing import Final, NamedTuple

from oddtwin.core.calibrate.result import CalibrationError, Result
from oddtwin.core.calibrate.rows import Row
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import format_minutes

SUSPECTS: Final[Mapping[str, float]] = {
    "machine": 5.0,
    "filament": 5.0,
    "colour": 5.0,
    "part": 30.0,
    "file": 2.0,
    "setting": 2.0,
}
"""What can be swapped, in the order of the columns, and usual minutes (common practice, no source)."""

MOST_SETTINGS: Final = 50_000
"""So many combinations are looked through for the next print."""

LUCK: Final = 0.05

_GOOD: Final = frozenset({"good", "g", "ok", "fine", "clean", "pass", "passed"})
_BAD: Final = frozenset({"bad", "b", "fail", "failed", "fault", "spoilt", "ruined"})

Setting = tuple[str, ...]
"""What a print was made with: a value for each suspect that varies."""

Cause = Mapping[int, str]
"""One or two suspects by number, with their values."""


class _Print(NamedTuple):
    setting: Setting
    bad: bool
    minutes: float | None


class _Prints(NamedTuple):
    """The prints, by the suspects that vary; ``never`` names those that do not."""

    suspects: tuple[str, ...]
    made: tuple[_Print, ...]
    never: tuple[str, ...]

    def named(self, cause: Cause) -> str:
        return tr(" with ").join(f"{self.suspects[number]} {value}" for number, value in cause.items())

    def described(self, setting: Setting) -> str:
        return ", ".join(f"{name} {value}" for name, value in zip(self.suspects, setting, strict=True))


def find_the_fault(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return which causes all prints agree with, and the swap that halves them.

    A cause is one value of a suspect, or two values of two suspects together; it is left where every bad
    print has it and no good one. Where the same setting came out good and bad the fault is intermittent, and
    good prints clear nothing.

    Parameters
    ----------
    rows : sequence of Row
        ``machine``, ``filament``, ``colour``, ``part``, ``file``, ``setting``, ``came_out``, ``print_min``: a
        row a print. A suspect that is written down in one row must be in all.
    options : mapping
        Minutes that a swap of each suspect takes: ``swap_machine`` and so on.

    Raises
    ------
    CalibrationError
        No print was bad, nothing is written down that could be swapped, or a row lacks something.
    """
    prints = _read(rows)
    bad = [one for one in prints.made if one.bad]
    if not bad:
        raise CalibrationError(tr("No print was bad yet: print until the fault shows, then swap one thing."))
    if not prints.suspects:
        raise CalibrationError(
            tr(
                "All prints are alike in everything that is written down: swap one thing for "
                "one that is known to be good, and print again."
            )
        )
    mixed = _mixed(prints)
    good = [one for one in prints.made if not one.bad]
    left = [cause for cause in _common(bad) if mixed or not any(_shows(one.setting, cause) for one in good)]
    luck = None if mixed else _luck(prints)
    if luck is None:
        told, advice, warnings = _intermittent(prints, left, mixed)
    else:
        told, advice, warnings = _settled(prints, left, luck, options)
    if prints.never:
        warnings += (
            tr("Never swapped, and so neither cleared nor blamed: {never}.", never=", ".join(prints.never)),
        )
    table = tuple(_line(prints, cause) for cause in left)
    more = {"causes_left": len(left), "intermittent": bool(mixed), "luck": luck}
    return Result(None, "", None, told, advice, warnings, table, more)


def _read(rows: Sequence[Row]) -> _Prints:
    varies, settings, never = noted(rows)
    made = tuple(
        _Print(setting, came_out_bad(row), row["print_min"])
        for setting, row in zip(settings, rows, strict=True)
    )
    return _Prints(varies, made, never)


def noted(rows: Sequence[Row]) -> tuple[tuple[str, ...], list[Setting], tuple[str, ...]]:
    """Return the suspects that vary, what each print was made with of them, and what was never swapped.

    Parameters
    ----------
    rows : sequence of Row
        A row a print.

    Raises
    ------
    CalibrationError
        A row does not say what others say.
    """
    used = [name for name in SUSPECTS if any(row[name] for row in rows)]
    for row in rows:
        missing = [name for name in used if not row[name]]
        if missing:
            raise CalibrationError(
                tr(
                    "Line {line} does not say which {missing}; a print of which that is not "
                    "known tells nothing. Fill it in, or leave the line out.",
                    line=row.line,
                    missing=missing[0],
                )
            )
    # Chalk and chalk are one filament, however they are typed.
    values = {name: [" ".join(row[name].split()) for row in rows] for name in used}
    for name, listed in values.items():
        known: dict[str, str] = {}
        values[name] = [known.setdefault(value.casefold(), value) for value in listed]
    varies = tuple(name for name in used if len(set(values[name])) > 1)
    settings = [tuple(values[name][at] for name in varies) for at in range(len(rows))]
    never = tuple(f"{name} {values[name][0]}" for name in used if name not in varies)
    return varies, settings, never


def came_out_bad(row: Row) -> bool:
    """Return whether a print was bad.

    Raises
    ------
    CalibrationError
        It is neither good nor bad.
    """
    text = row["came_out"].casefold()
    if text not in _GOOD | _BAD:
        raise CalibrationError(
            tr("Line {line}: “{row}” is neither good nor bad.", line=row.line, row=row["came_out"][:40])
        )
    return text in _BAD


def _shows(setting: Setting, cause: Cause) -> bool:
    return all(setting[number] == value for number, value in cause.items())


def _common(bad: Sequence[_Print]) -> Iterator[Cause]:
    """Yield every single cause and every pair that all bad prints have."""
    shared = {
        number: values[0]
        for number, values in enumerate(zip(*(one.setting for one in bad), strict=True))
        if len(set(values)) == 1
    }
    for size in (1, 2):
        for numbers in combinations(shared, size):
            yield {number: shared[number] for number in numbers}


def _mixed(prints: _Prints) -> dict[Setting, tuple[int, int]]:
    """Return the settings that came out good and bad: how many bad, of how many."""
    outcomes: dict[Setting, list[bool]] = defaultdict(list)
    for one in prints.made:
        outcomes[one.setting].append(one.bad)
    return {key: (sum(all_), len(all_)) for key, all_ in outcomes.items() if 0 < sum(all_) < len(all_)}


# ------------------------------------------------------------ what is told


def _settled(
    prints: _Prints, left: Sequence[Cause], luck: float, options: Mapping[str, float]
) -> tuple[str, str, tuple[str, ...]]:
    """Tell of a fault that comes each time."""
    if not left and all(one.bad for one in prints.made):
        told = tr(
            "Every print was bad, whatever was swapped: what is to blame was not swapped, or is not noted."
        )
        return told, tr("swap what was never swapped for what is known to be good"), ()
    if not left:
        told = tr(
            "No single cause and no pair agrees with all prints: there are two faults, three things at "
            "once, a fault that comes and goes, or something that is not written down."
        )
        return told, tr("print a bad setting and a good one once more, just as they were"), ()
    warnings = []
    if luck > LUCK:
        warnings.append(
            tr(
                "Prints that go bad by luck would leave some cause in {luck:.0f} of 100 "
                "cases: this many prints settle little.",
                luck=100 * luck,
            )
        )
    if len(left) == 1:
        advice = tr("print it once more with that, and once more without") if warnings else ""
        return f"{_verdict(prints, left[0])}.", advice, tuple(warnings)
    told = tr(
        "{counted} agree with all prints: {left}.",
        counted=_counted(left),
        left="; ".join(prints.named(one) for one in left),
    )
    return told, _told_swap(prints, *_next(prints, left, options)), tuple(warnings)


def _intermittent(
    prints: _Prints, left: Sequence[Cause], mixed: Mapping[Setting, tuple[int, int]]
) -> tuple[str, str, tuple[str, ...]]:
    """Tell of a fault that comes and goes; good prints clear nothing."""
    setting, (bad, of) = min(mixed.items(), key=lambda item: -item[1][1])
    named = prints.described(setting)
    told = tr(
        "Intermittent: {named} was bad {bad} of {of} times, printed alike.", named=named, bad=bad, of=of
    )
    if left:
        told += tr(" In every bad print: {left}.", left="; ".join(prints.named(one) for one in left))
    else:
        told += tr(" Nothing that was swapped is in every bad print.")
    # So many good prints in a row happen once in twenty where the fault is still there.
    times = ceil(log(LUCK) / log(1 - bad / of))
    advice = tr("repeat; a swap clears something only after {times} good prints in a row", times=times)
    return told, advice, ()


def _verdict(prints: _Prints, cause: Cause) -> str:
    line = _line(prints, cause)
    told = tr(
        "Only {named}: bad {line} of {line2}", named=prints.named(cause), line=line["bad"], line2=line["of"]
    )
    if len(cause) == 1:
        return tr(
            "{told}, {line} of {line2} without it",
            told=told,
            line=line["bad_without"],
            line2=line["of_without"],
        )
    others = []
    for number, value in cause.items():
        name = prints.suspects[number]
        times = sum(one.setting[number] == value and not _shows(one.setting, cause) for one in prints.made)
        if times:
            others.append(
                tr("0 of {times} with {name} {value} otherwise", times=times, name=name, value=value)
            )
    return tr("{part}: the pair", part="; ".join([told, *others]))


def _counted(left: Sequence[Cause]) -> str:
    singles = sum(len(cause) == 1 for cause in left)
    pairs = len(left) - singles
    told = []
    if singles:
        told.append(tr("{singles} single {part}", singles=singles, part=trn("cause", "causes", singles)))
    if pairs:
        told.append(f"{pairs} {trn('pair', 'pairs', pairs)}")
    return tr(" and ").join(told)


def _line(prints: _Prints, cause: Cause) -> dict[str, str | int]:
    present = [one.bad for one in prints.made if _shows(one.setting, cause)]
    absent = [one.bad for one in prints.made if not _shows(one.setting, cause)]
    return {
        "cause": prints.named(cause),
        "bad": sum(present),
        "of": len(present),
        "bad_without": sum(absent),
        "of_without": len(absent),
    }


def _luck(prints: _Prints) -> float:
    """Return how often some cause would agree with prints of which as many went bad by luck.

    A cause agrees with one set of bad prints alone: those that have it. Of all sets of that size as many
    agree with a cause as there are sets that a cause picks out (counting, as in Fisher's exact test).
    """
    number = sum(one.bad for one in prints.made)
    having: dict[tuple[tuple[int, str], ...], list[int]] = defaultdict(list)
    for at, one in enumerate(prints.made):
        listed = list(enumerate(one.setting))
        for size in (1, 2):
            for cause in combinations(listed, size):
                having[cause].append(at)
    picked = {tuple(which) for which in having.values() if len(which) == number}
    return len(picked) / comb(len(prints.made), number)


# ------------------------------------------------------------ what to print next


def _next(prints: _Prints, left: Sequence[Cause], options: Mapping[str, float]) -> tuple[Setting, float]:
    """Return the setting that splits the causes most evenly, in the fewest minutes; and its minutes.

    There is one: of two causes one has a value that the other has not, and every suspect has another.
    """
    last = prints.made[-1].setting
    known = [one.minutes for one in prints.made if one.minutes is not None]
    print_min = median(known) if known else 0.0

    def ranked(setting: Setting) -> tuple[int, float, int]:
        bad = sum(_shows(setting, cause) for cause in left)
        swapped = [name for name, new, old in zip(prints.suspects, setting, last, strict=True) if new != old]
        return (
            -min(bad, len(left) - bad),
            print_min + sum(options[f"swap_{name}"] for name in swapped),
            len(swapped),
        )

    rank, setting = min(((ranked(one), one) for one in _settings(prints)), key=itemgetter(0))
    return setting, rank[1]


def _settings(prints: _Prints) -> Iterator[Setting]:
    """Yield what could be printed with what is there; of very many, what is near to a bad print."""
    known = [
        tuple(dict.fromkeys(values)) for values in zip(*(one.setting for one in prints.made), strict=True)
    ]
    if prod(len(values) for values in known) <= MOST_SETTINGS:
        yield from product(*known)
        return
    first = next(one.setting for one in prints.made if one.bad)
    found = 0
    for size in (1, 2):
        for numbers in combinations(range(len(known)), size):
            for values in product(*(known[number] for number in numbers)):
                setting = list(first)
                for number, value in zip(numbers, values, strict=True):
                    setting[number] = value
                yield tuple(setting)
                found += 1
                if found >= MOST_SETTINGS:
                    return


def _told_swap(prints: _Prints, setting: Setting, minutes: float) -> str:
    named = prints.described(setting)
    takes = tr(" (about {minutes})", minutes=format_minutes(minutes)) if minutes else ""
    return tr(
        "print next{takes}: {named}. Whichever way it comes out, that rules out the most",
        takes=takes,
        named=named,
    )
