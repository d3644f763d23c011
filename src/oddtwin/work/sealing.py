"""A key locked with a second person's passphrase (AES-256-GCM; the passphrase is stretched with scrypt)."""

from __future__ import annotations

import base64
import binascii
import secrets
from typing import Final

from oddtwin.core.language import tr

SHORTEST: Final = 8
_SALT, _NONCE, _TAG = 16, 12, 16
_COST: Final = 2**15
"""Of scrypt with r = 8 and p = 1 (RFC 7914): about a tenth of a second for every guess."""


class PassphraseError(ValueError):
    """A passphrase is too short, or not the one that a key was locked with; one sentence for the user."""


def locked(text: str, passphrase: str) -> str:
    """Lock a text with a passphrase.

    Parameters
    ----------
    text : str
        To be kept from others.
    passphrase : str
        Of eight signs or more.

    Returns
    -------
    str
        Letters and digits that can be kept anywhere.

    Raises
    ------
    PassphraseError
        It is too short.
    """
    from cryptography.hazmat.primitives.ciphers.aead import AESGCM

    if len(passphrase) < SHORTEST:
        raise PassphraseError(
            tr("A passphrase has at least {SHORTEST} signs; a few words are easy to keep.", SHORTEST=SHORTEST)
        )
    # New ones for every key: GCM is broken by a nonce that is used twice.
    salt, nonce = secrets.token_bytes(_SALT), secrets.token_bytes(_NONCE)
    hidden = AESGCM(_stretched(passphrase, salt)).encrypt(nonce, text.encode(), None)
    return base64.b64encode(salt + nonce + hidden).decode()


def unlocked(text: str, passphrase: str) -> str:
    """Return what was locked.

    Parameters
    ----------
    text : str
        As ``locked`` gave it.
    passphrase : str
        The one that it was locked with.

    Raises
    ------
    PassphraseError
        It is another passphrase, or what was locked was changed since.
    """
    from cryptography.exceptions import InvalidTag
    from cryptography.hazmat.primitives.ciphers.aead import AESGCM

    wrong = tr("That is not the passphrase that the key was locked with, or the key was changed since.")
    try:
        raw = base64.b64decode(text, validate=True)
        if len(raw) < _SALT + _NONCE + _TAG:
            raise PassphraseError(wrong)
        salt, nonce, hidden = raw[:_SALT], raw[_SALT : _SALT + _NONCE], raw[_SALT + _NONCE :]
        return AESGCM(_stretched(passphrase, salt)).decrypt(nonce, hidden, None).decode()
    except (InvalidTag, binascii.Error, UnicodeDecodeError):
        raise PassphraseError(wrong) from None


def _stretched(passphrase: str, salt: bytes) -> bytes:
    from cryptography.hazmat.primitives.kdf.scrypt import Scrypt

    return Scrypt(salt=salt, length=32, n=_COST, r=8, p=1).derive(passphrase.encode())
