"""Who is named in a study, and texts without them: what is handed on names nobody unless it is asked to."""

from __future__ import annotations

import re
from collections.abc import Callable

from oddtwin.core.study import Study


def unnamed(study: Study) -> Callable[[str], str]:
    """Return what takes the names of a study's people out of a text, the same person by the same number.

    Parameters
    ----------
    study : Study
        With its sessions, runs and looks.
    """
    people: dict[str, str] = {}
    judges = [name for session in study.sessions for name in session.judges]
    others = [
        *(session.mixed_by for session in study.sessions),
        *(run.operator for run in study.runs),
        *(look.who for look in study.looks),
    ]
    for kind, names in (("judge", judges), ("person", others)):
        fresh = [name for name in dict.fromkeys(names) if name.strip() and name not in people]
        people |= {name: f"{kind} {number}" for number, name in enumerate(fresh, 1)}
    if not people:
        return str
    # Longest first, so that of two names the one does not end inside the other.
    either = "|".join(re.escape(name) for name in sorted(people, key=len, reverse=True))
    found = re.compile(rf"(?<!\w)(?:{either})(?!\w)")
    return lambda text: found.sub(lambda match: people[match[0]], text)
