"""How clear each comparison has to be where several are judged together, known before anything is printed."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from oddtwin.core.arrays import Floats
from oddtwin.core.effects import IN_STEPS, LOOKED_AT_ONCE, level_of_all, pseudo_df
from oddtwin.core.judgement.contrast import Contrast
from oddtwin.core.judgement.listing import contrasts
from oddtwin.core.judgement.modelling import model_of, planned_rows
from oddtwin.core.judgement.planned_looks import look_level
from oddtwin.core.study import Response, Study
from oddtwin.core.study.whole import derived_from


def asked_together(study: Study, response: Response) -> int:
    """Return how many questions are judged together: those of one response, or of all that do not decide.

    Parameters
    ----------
    study : Study
        With its plan.
    response : Response
        One of its responses.
    """
    responses = 1 if response.primary else sum(not one.primary for one in study.judged)
    return max(1, len(_asked(study)) * responses)


def planned_level(study: Study, response: Response, comparison: int = 0) -> float:
    """Return the two-sided p value that a comparison has to reach, planned looks included.

    Parameters
    ----------
    study : Study
        With its runs.
    response : Response
        One of its responses.
    comparison : int
        Which of the study's comparisons.

    Returns
    -------
    float
        By the rule that the verdict adjusts by, where this comparison alone has an effect: Dunnett's for the
        deciding response where one error judges all, else the first step of Holm's.
    """
    if contrasts(study)[comparison].positive:
        # What is made bad on purpose asks nothing of the change, and is judged by itself.
        return LOOKED_AT_ONCE
    # Looks first: what is adjusted for questions is then spent over the looks.
    level, many = look_level(study), asked_together(study, response)
    if response.primary and many > 1 and response.kind not in IN_STEPS:
        shared = _shared_error(study)
        if shared is not None:
            return level_of_all(*shared, level)
    return level / many


@derived_from("runs", "arms", "factors", "plan", "blocks")
def _asked(study: Study) -> list[Contrast]:
    return [contrast for contrast in contrasts(study) if not contrast.positive]


@derived_from("runs", "arms", "factors", "plan", "blocks", "responses", "readings")
def _shared_error(study: Study) -> tuple[Floats, float] | None:
    """Correlation of all comparisons and their degrees of freedom, where one model will judge all of them."""
    solved = []
    for contrast in _asked(study):
        model = model_of(study, contrast)
        one = model.solve(planned_rows(study, contrast, model)[1]) if model is not None else None
        if one is None or not (one.df or one.effects):
            return None
        solved.append(one)
    df = min(one.df or pseudo_df(one.effects) for one in solved)
    return correlation_of([one.weights for one in solved]), float(df)


def correlation_of(weights: Sequence[Floats]) -> Floats:
    """Return the correlation of several estimates from the same prints; shape (comparisons, comparisons).

    Parameters
    ----------
    weights : sequence of arrays of shape (prints,)
        Of each print in each estimate.
    """
    rows = np.stack(weights)
    sizes = np.linalg.norm(rows, axis=1)
    found: Floats = (rows @ rows.T) / np.outer(sizes, sizes)
    return found
