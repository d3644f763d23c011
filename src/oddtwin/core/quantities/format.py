"""Writing numbers and names as a specialist reads them: few digits, a real minus, a unit."""

from __future__ import annotations

import math
from collections.abc import Sequence

from oddtwin.core.language import is_plain, shown, tr

MINUS = "\N{MINUS SIGN}"
NARROW = "\N{NARROW NO-BREAK SPACE}"

_decimal = "."


def write_decimals_with(sign: str) -> None:
    """Let all numbers for people be written with this sign before their decimals from now on.

    What a program reads (tables, JSON, G-code, SVG) has a point everywhere; those are not written here.

    Parameters
    ----------
    sign : str
        A point or a comma.

    Raises
    ------
    ValueError
        It is neither: what is written must be readable again.
    """
    # The one thing that core keeps for the whole program, as a system keeps its locale: where a sentence is
    # made, nobody knows any more who will read it.
    global _decimal
    if sign not in (".", ","):
        raise ValueError(tr("decimals stand behind a point or a comma, not “{sign}”", sign=sign))
    _decimal = sign


def comma_is_decimal() -> bool:
    """Return whether numbers for people are written with a comma before their decimals."""
    return _decimal == "," and not is_plain()


def _off_the_tie(value: float) -> float:
    """Return a value a hair farther from zero.

    Half way between two figures lies what simple readings often come to; the last bits, which every
    processor leaves otherwise, must not decide which of the two a sentence says.
    """
    return value * (1 + 1e-13)


def _as_written(text: str) -> str:
    return text.replace("-", MINUS).replace(".", "," if comma_is_decimal() else ".")


def decimals_for(uncertainty: float) -> int:
    """Return how many decimals show two significant digits of an uncertainty.

    Parameters
    ----------
    uncertainty : float
        Half the width of an interval, in the unit of the figure.

    Returns
    -------
    int
        0 to 6. Rounding a result to two digits of its uncertainty follows
        JCGM 100:2008 (GUM) 7.2.6, cited from memory.
    """
    if not math.isfinite(uncertainty) or uncertainty <= 0:
        return 2
    # Two digits of the uncertainty: further ones of the value are noise, and invite to compare what cannot
    # be.
    return min(6, max(0, 1 - math.floor(math.log10(_off_the_tie(uncertainty)))))


def format_number(value: float, decimals: int | None = None) -> str:
    """Write a number with a true minus sign.

    Parameters
    ----------
    value : float
        Infinite values are written as ∞.
    decimals : int, optional
        Fixed decimals; by default up to four significant digits, no trailing zeros.
    """
    if math.isinf(value):
        return "∞" if value > 0 else f"{MINUS}∞"
    value = _off_the_tie(value)
    if decimals is not None:
        text = f"{value:.{decimals}f}"
    else:
        text = f"{value:.4g}" if abs(value) < 1e4 else f"{value:.0f}"
    # A difference that rounds to nothing has no sign: “−0.0” reads like a finding.
    if float(text) == 0:
        text = text.lstrip("-")
    return _as_written(text)


def format_reading(value: float) -> str:
    """Write a reading as it was typed: up to seven significant digits, none of them invented."""
    return _as_written(f"{value:.7g}" if abs(value) < 1e7 else f"{value:.0f}")


def format_digits(value: float, digits: int) -> str:
    """Write a number with so many significant digits, no trailing zeros; a large one never as a power."""
    text = f"{_off_the_tie(value):.{digits}g}"
    return _as_written(f"{float(text):.0f}" if "e+" in text else text)


def format_signed(value: float, decimals: int) -> str:
    """Write a difference with its sign always shown, zero without one.

    Parameters
    ----------
    value : float
        In any unit; infinite values are written as ±∞.
    decimals : int
        Fixed decimals.
    """
    text = format_number(value, decimals)
    return "+" + text if value > 0 and any(sign in "123456789∞" for sign in text) else text


def format_p(p: float | None) -> str:
    """Write a p value: three decimals, or ``< 0.001``; an en dash where there is none."""
    if p is None:
        return "–"
    return _as_written("< 0.001" if p < 0.001 else f"{_off_the_tie(p):.3f}")


def after_p(p: float | None) -> str:
    """Write what stands behind the letter p: ``= 0.012`` or ``< 0.001``."""
    text = format_p(p)
    return text if text.startswith("<") else f"= {text}"


def with_unit(number: str, unit: str) -> str:
    """Join a written number and its unit (percent and degrees too) by a narrow space."""
    return f"{number}{NARROW}{unit}" if unit else number


def format_minutes(minutes: float) -> str:
    """Write a duration as hours and minutes, for example ``1 h 37 min``.

    Parameters
    ----------
    minutes : float
        Duration in minutes, zero or more.
    """
    whole = round(_off_the_tie(minutes))
    hours, rest = divmod(whole, 60)
    if not hours:
        return with_unit(str(rest), "min")
    return (
        f"{with_unit(str(hours), 'h')} {with_unit(str(rest), 'min')}" if rest else with_unit(str(hours), "h")
    )


def format_clock(seconds: float) -> str:
    """Write a running stopwatch, for example ``1:37:05``.

    Parameters
    ----------
    seconds : float
        Elapsed time in seconds.
    """
    whole = max(0, int(seconds))
    return f"{whole // 3600}:{whole // 60 % 60:02d}:{whole % 60:02d}"


def format_list(names: Sequence[str], between: str = ", ") -> str:
    """Write the first three names, and how many more there are."""
    told = [shown(name) for name in names[:3]]
    return between.join(told) + (tr(" and {names} more", names=len(names) - 3) if len(names) > 3 else "")


def capitalized(text: str) -> str:
    """Return a text with its first letter large, as a sentence begins; the others stay."""
    text = shown(text)
    return text[:1].upper() + text[1:]
