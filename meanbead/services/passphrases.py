"""Passphrases: Argon2id on the way in, and a judgement that says in words what is weak."""

from __future__ import annotations

import threading
from functools import lru_cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from zxcvbn import zxcvbn

from meanbead.core.errors import MeanBeadError

__all__ = ["LEAST_LETTERS", "hash_of", "is_outdated", "refuse_weak", "verified"]

LEAST_LETTERS = 12
MOST_LETTERS = 200
_LEAST_OWN = 8
_LEAST_SCORE = 3
"""Of zxcvbn's 0 to 4: over 10^8 guesses."""

_HASHER = PasswordHasher()
"""Argon2id with the library's parameters, RFC 9106's second choice: 64 MiB, three passes."""

_AT_ONCE = threading.BoundedSemaphore(2)
"""Each takes 64 MiB and a core: however many try at once, two are computed."""


@lru_cache(maxsize=1)
def _nobodys() -> str:
    """A hash against which names are checked that nobody goes by; made when first asked for, as it takes a fifth of a second."""
    return _HASHER.hash("nobody goes by this")


def refuse_weak(passphrase: str, *about: str) -> None:
    """Raise :class:`MeanBeadError` unless it is long and hard to guess; ``about`` are words that a guesser would know, such
    as the person's name. No rule asks for capitals or signs: length is what counts (NIST SP 800-63B, 5.1.1.2)."""
    if len(passphrase) < LEAST_LETTERS:
        raise _weak(f"It needs at least {LEAST_LETTERS} letters.")
    if len(passphrase) > MOST_LETTERS:
        raise MeanBeadError(f"It may have {MOST_LETTERS} letters at most.", field="passphrase")
    known = [*(word.lower() for word in about if word), "meanbead", "mean", "bead", "workshop"]
    rest = passphrase.lower()
    for word in known:
        rest = rest.replace(word, "")
    if sum(letter.isalnum() for letter in rest) < _LEAST_OWN:
        raise _weak("It is mostly made of words that somebody would try first here.")
    # The estimate takes longer than linearly: what is beyond its first hundred letters only makes it stronger.
    found = zxcvbn(passphrase[:100], user_inputs=known, max_length=100)
    if found["score"] < _LEAST_SCORE:
        why = found["feedback"]["warning"] or "It is among the first that somebody would guess."
        raise _weak(f"{why.rstrip('.')}.")


def _weak(why: str) -> MeanBeadError:
    remedy = "Take four or five words that have nothing to do with each other."
    return MeanBeadError(why, field="passphrase", remedy=remedy, code="weak")


def hash_of(passphrase: str) -> str:
    """What is stored of a passphrase."""
    with _AT_ONCE:
        return _HASHER.hash(passphrase)


def verified(stored: str | None, passphrase: str) -> bool:
    """Whether a passphrase is the one stored. Where nobody goes by that name it takes as long as where somebody does."""
    nobodys = _nobodys()  # for everybody, so that the first try of all tells nothing either
    with _AT_ONCE:
        try:
            return _HASHER.verify(stored or nobodys, passphrase[:1000]) and stored is not None
        except (VerificationError, InvalidHashError):
            return False


def is_outdated(stored: str) -> bool:
    """Whether a hash was made with weaker parameters than are used now."""
    return _HASHER.check_needs_rehash(stored)
