"""What was looked at once and approved: a test fails where it comes out otherwise.

``APPROVE=1 python -m unittest tests.core.test_approved`` writes what comes out now. Look at it before it is
committed: a drawing in any browser.
"""

from __future__ import annotations

import os
from pathlib import Path

FOLDER = Path(__file__).parent / "approved"


def approved(name: str, text: str) -> str:
    """Return the approved text of that name; empty where there is none."""
    file = FOLDER / name
    if os.environ.get("APPROVE"):
        FOLDER.mkdir(exist_ok=True)
        file.write_text(text, encoding="utf-8")
    return file.read_text(encoding="utf-8") if file.exists() else ""


def differs(name: str, text: str) -> str:
    """Say how a text differs from the approved one of that name; empty where it does not."""
    wanted = approved(name, text)
    for number, (now, then) in enumerate(zip(text.splitlines(), wanted.splitlines(), strict=False), 1):
        if now != then:
            return f"{name}, line {number}: {now!r} instead of {then!r}"
    return "" if text == wanted else f"{name}: it has other lines than what was approved"
