"""Pull and break: forces of both arms in pairs, also those beyond the gauge; or which of two broke first."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from oddtwin.core.calibrate.result import CalibrationError, Result, said
from oddtwin.core.calibrate.rows import Row
from oddtwin.core.effects import Measure
from oddtwin.core.judge.discrimination import exact_share
from oddtwin.core.judgement import judge_table
from oddtwin.core.language import tr, trn
from oddtwin.core.quantities import format_digits
from oddtwin.core.readings import Better, Bound, Reading, ResponseKind


def pull_and_break(rows: Sequence[Row], options: Mapping[str, float]) -> Result:
    """Return how much more force the second arm takes, or how often it broke later.

    Parameters
    ----------
    rows : sequence of Row
        ``pair``, ``arm`` and ``force`` in N (``>40`` where the gauge ended); or ``pair`` and ``broke``, the
        arm whose piece of two that were hooked into one another gave way.
    options : mapping
        Nothing is asked for.

    Raises
    ------
    CalibrationError
        There are not two arms, or both ways are mixed.
    """
    del options
    hooked = [row for row in rows if row["broke"]]
    pulled = [row for row in rows if row["force"] is not None]
    if hooked and pulled:
        raise CalibrationError(
            tr("Forces and which of two broke first are two tests; give each its own table.")
        )
    if hooked:
        return _hooked(hooked)
    if len(pulled) < len(rows):
        raise CalibrationError(tr("A row has neither a force nor what broke; fill it in or leave it out."))
    return _pulled(pulled)


def _pulled(rows: Sequence[Row]) -> Result:
    missing = next((row for row in rows if not row["arm"]), None)
    if missing is not None:
        raise CalibrationError(
            tr(
                "Line {line}: the arm is missing; say which setting the piece was printed with.",
                line=missing.line,
            )
        )
    arms = list(dict.fromkeys(row["arm"] for row in rows))
    if len(arms) != 2:
        raise CalibrationError(
            tr(
                "Two arms are compared; there {part} {arms}.",
                part=trn("is", "are", len(arms)), arms=len(arms),
            )
        )  # fmt: skip
    readings = [
        Reading(
            arm=row["arm"],
            value=row["force"].value,
            unit="N",
            bound=row["force"].bound,
            high=row["force"].high,
            pair=row["pair"] or "",
            # Each row is a piece of its own, also where two of one arm stand in a pair.
            run=tr("line {line}", line=row.line),
            response=tr("Force"),
            kind=ResponseKind.QUANTITY,
        )
        for row in rows
    ]
    try:
        _, analysis = judge_table(readings, Measure(arms[0], arms[1], better=Better.HIGHER))
    except ValueError as error:
        raise CalibrationError(str(error)) from None
    if not analysis.findings:
        raise CalibrationError(tr("There is no force that can be compared."))
    finding = analysis.findings[0]
    over = sum(row["force"].bound is not Bound.EXACT for row in rows)
    warnings = []
    if over:
        beyond = tr("1 force lies") if over == 1 else tr("{over} forces lie", over=over)
        warnings.append(
            tr(
                "Out of {rows}, {beyond} beyond the gauge: known only to be more than it shows.",
                rows=len(rows), beyond=beyond,
            )
        )  # fmt: skip
    more: dict[str, Any] = {"beyond_gauge": over, "verdict": finding.verdict.value}
    found = finding.comparison
    return Result(found.estimate, "N", found.inference.ci95, finding.sentence, "", tuple(warnings), more=more)


def _hooked(rows: Sequence[Row]) -> Result:
    """Judge which of two pieces that were hooked into one another gave way."""
    arms = sorted({row["broke"] for row in rows})
    if len(arms) > 2:
        raise CalibrationError(
            tr(
                "Two arms are hooked into one another; there are {arms}: {arms2}.",
                arms=len(arms),
                arms2=", ".join(arms),
            )
        )
    first = arms[0]
    count, n = sum(row["broke"] == first for row in rows), len(rows)
    share = exact_share(count, n, 0.95)
    p = _two_sided(count, n)
    other = arms[1] if len(arms) == 2 else tr("the other")
    sentence = tr(
        "{first} broke in {count} of {n} pairs, {other} in {n2}; luck alone is as "
        "uneven in {p} % of such series.",
        first=first,
        count=count,
        n=n,
        other=other,
        n2=n - count,
        p=format_digits(100 * p, 2),
    )
    value = 100 * count / n
    ends = (100 * share[0], 100 * share[1])
    told = tr("{sentence} {said} of the pairs.", sentence=sentence, said=said(value, "%", ends, 0))
    return Result(value, "%", ends, told, "", (), more={"broke": first, "count": count, "n": n, "p": p})


def _two_sided(count: int, n: int) -> float:
    """Exact sign test of a fair coin (binomial, two-sided)."""
    from scipy.special import bdtr

    tail = float(bdtr(min(count, n - count), n, 0.5))
    return min(1.0, 2 * tail)
