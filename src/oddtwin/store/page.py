"""Pages that leave as one file: a template of this package, filled."""

from __future__ import annotations

from pathlib import Path
from typing import Any


def filled_page(template: Path, **values: Any) -> str:
    """Fill a template; every text is escaped, and a value that is missing is an error and no gap.

    Parameters
    ----------
    template : Path
        HTML, of this package.
    **values
        What it names.
    """
    # Loaded with the first page that leaves: most sessions write none.
    from jinja2 import Environment, FileSystemLoader, StrictUndefined

    environment = Environment(
        loader=FileSystemLoader(template.parent), undefined=StrictUndefined, autoescape=True
    )
    return environment.get_template(template.name).render(**values)
