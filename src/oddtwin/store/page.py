"""Pages that leave as one file: a template of this package, filled."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from oddtwin.core.language import shown, spoken, tr, trn

# What no text on a page needs: signs that steer a terminal and that XML refuses, and those that turn the
# direction of what follows, so that a name could make the sentence beside it read differently.
_STEERING = (*(set(range(0x20)) - {0x9, 0xA, 0xD}), 0x7F, *range(0x202A, 0x202F), *range(0x2066, 0x206A))
_NEUTRAL = dict.fromkeys(_STEERING, "\N{REPLACEMENT CHARACTER}")


def neutral(text: str) -> str:
    """Return a text in which nothing steers how the rest is read, for what is handed to others.

    Parameters
    ----------
    text : str
        Any, also a whole page.
    """
    return text.translate(_NEUTRAL)


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
        loader=FileSystemLoader(template.parent), undefined=StrictUndefined, autoescape=True, finalize=shown
    )
    environment.globals |= {"tr": tr, "trn": trn, "spoken": spoken}
    return environment.get_template(template.name).render(**values)
