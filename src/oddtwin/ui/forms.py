"""The forms that a study is told in: a page, the page on paper, a card as a picture, and tables."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from oddtwin.core.judgement import Analysis
from oddtwin.core.picture import LIGHT, to_svg
from oddtwin.core.quantities import now
from oddtwin.core.study import Study
from oddtwin.store import neutral
from oddtwin.store.exchange import Background, Looked, card_of, report_html, tables_markdown

FORMS: Final = ("html", "pdf", "svg", "png", "md")
"""By the end of a file's name."""

PHOTOGRAPHED: Final = ("html", "pdf")
"""Those that show photographs."""


def told_in_form(
    form: str,
    study: Study,
    analysis: Analysis,
    looked: Sequence[Looked] = (),
    paper: str = "A4",
    names: bool = False,
    known: Background | None = None,
) -> str | bytes:
    """Return what a file in a form holds.

    Parameters
    ----------
    form : str
        One of ``FORMS``.
    study : Study
        Whole.
    analysis : Analysis
        Of that study.
    looked : sequence of Looked
        Photographs, for the forms that show them.
    paper : str
        A4 or Letter, of a PDF.
    names : bool
        Whether a page names judges and operators.
    known : Background, optional
        What the lab book knows beyond the study.
    """
    if form == "md":
        return tables_markdown(study, analysis)
    if form in PHOTOGRAPHED:
        page = report_html(study, analysis, now(), looked, names, known)
        if form == "html":
            return page
        from oddtwin.ui.widgets.report_pages import report_pdf

        return report_pdf(page, " ".join(neutral(study.name).split()), paper)
    card = card_of(study, analysis, now())
    if form == "svg":
        return to_svg(card, LIGHT)
    from oddtwin.ui.widgets.paper import png_of

    return png_of(card)
