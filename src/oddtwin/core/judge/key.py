"""The sealed key: which letter is which print, committed to before the first answer.

The commitment is the SHA-256 of the key in one spelling of JSON, random nonce included: shown beforehand, it
proves afterwards that the key was not changed, and tells nothing of it.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple

from oddtwin.core.language import tr


class Lettered(NamedTuple):
    """What a letter stands for: the arm, and the code of the print (empty where it is not told)."""

    arm: str
    print: str = ""


@dataclass(frozen=True, slots=True)
class SealedKey:
    """A key with its nonce.

    Parameters
    ----------
    letters : mapping of str to Lettered
    nonce : str
        Random, so that nobody can try out all keys.
    """

    letters: Mapping[str, Lettered]
    nonce: str = ""

    @property
    def commitment(self) -> str:
        """SHA-256 of the key, as hexadecimal."""
        return hashlib.sha256(self.written().encode()).hexdigest()

    def written(self) -> str:
        """Return the key in its one spelling of JSON: sorted, without blanks."""
        letters = {
            letter: {"arm": one.arm, "print": one.print} for letter, one in sorted(self.letters.items())
        }
        whole = {"letters": letters, "nonce": self.nonce}
        return json.dumps(whole, ensure_ascii=False, sort_keys=True, separators=(",", ":"))


def read_key(text: str) -> tuple[SealedKey, bool | None]:
    """Read a key, and whether it is the one that was committed to.

    Parameters
    ----------
    text : str
        JSON with ``letters`` (each an arm, or arm and print), and maybe ``nonce`` and ``commitment``; or
        the letters alone.

    Returns
    -------
    (SealedKey, bool or None)
        None where it names no commitment.

    Raises
    ------
    ValueError
        It is no such key.
    """
    try:
        found = json.loads(text)
    except ValueError:
        raise ValueError(tr("this is no JSON; a key holds letters with the arm of each")) from None
    if not isinstance(found, dict) or not found:
        raise ValueError(tr("a key holds letters with the arm of each"))
    inside = found.get("letters", found)
    if not isinstance(inside, dict) or not inside:
        raise ValueError(tr("a key holds letters with the arm of each"))
    letters = {str(letter): _lettered(letter, one) for letter, one in inside.items()}
    key = SealedKey(letters, str(found.get("nonce", "")) if "letters" in found else "")
    promised = found.get("commitment") if "letters" in found else None
    return key, None if promised is None else str(promised).strip().lower() == key.commitment


def _lettered(letter: object, one: Any) -> Lettered:
    if isinstance(one, str) and one.strip():
        return Lettered(one.strip())
    if isinstance(one, dict) and isinstance(one.get("arm"), str) and one["arm"].strip():
        return Lettered(one["arm"].strip(), str(one.get("print") or ""))
    raise ValueError(tr("the letter “{letter}” has no arm", letter=letter))
