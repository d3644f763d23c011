"""Many simulated studies of a design whose prints are judged by one model."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.effects import LinearModel, Measure, Row, many_modelled
from oddtwin.core.readings import ResponseKind
from oddtwin.core.rehearsal.many import Arrangement, Judged, judge_many, verdict_codes


def judge_modelled(
    values: Floats,
    model: LinearModel,
    rows: Sequence[Row],
    pairs: Arrangement,
    measure: Measure,
    kind: ResponseKind,
) -> Judged:
    """Judge many simulated studies of one comparison by the model that judges one.

    Parameters
    ----------
    values : array of shape (studies, prints)
        Of all arms, NaN where a print was lost.
    model : LinearModel
        Of the comparison.
    rows : sequence of Row
        Where each print stands.
    pairs : Arrangement
        The prints of the two sides among them: they are what is left where the model cannot judge.
    measure : Measure
        Margin and known noise.
    kind : ResponseKind
        Of the response; one that is judged by t.
    """
    codes, estimates = np.zeros(len(values), dtype=np.int64), np.full(len(values), np.nan)
    there = np.isfinite(values)
    sides = [place for place, row in enumerate(rows) if row.arm in model.sides[0] | model.sides[1]]
    # Studies that lost the same prints are solved once, and judged together.
    patterns, which = np.unique(there, axis=0, return_inverse=True)
    for number, pattern in enumerate(patterns):
        some = np.flatnonzero(which.ravel() == number)
        left = np.flatnonzero(pattern)
        solved = model.solve([row for row, kept in zip(rows, pattern, strict=True) if kept])
        # A known noise floor stands in only for want of scatter, as in the verdict.
        scatters = solved is not None and solved.df > 0
        known = None if scatters else measure.noise
        told = scatters or (known is not None and known.judges) or (solved is not None and solved.effects)
        if solved is None or not told:
            judged = judge_many(values[some][:, sides], pairs, measure, kind)
            codes[some], estimates[some] = judged.codes, judged.estimates
            continue
        studies = many_modelled(solved, values[some][:, left], kind, known)
        estimates[some] = studies.estimates
        codes[some] = verdict_codes(studies, measure)
    return Judged(codes, estimates)
