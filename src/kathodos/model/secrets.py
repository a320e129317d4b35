"""Secrets that were read to be sent somewhere: no output shows one, whatever it is part of."""

from __future__ import annotations

import re

HIDDEN = "***"
_LEAST = 4  # letters of what is taken for a secret: a shorter one stands in too many other words
_known: set[str] = set()
_IN_ADDRESS = re.compile(r"(?<=://)([^\s/@:]*):([^\s/@]+)@")


def keep_secret(secret: str) -> str:
    """Notes a secret; gives it back."""
    if len(secret) >= _LEAST:
        _known.add(secret)
    return secret


def redacted(text: str) -> str:
    """A text without the secrets that are known."""
    for secret in _known:
        if secret in text:
            text = text.replace(secret, HIDDEN)
    return text


def without_password(text: str) -> str:
    """A text without known secrets, and without the password of any address in it."""
    return redacted(_IN_ADDRESS.sub(rf"\1:{HIDDEN}@", text) if "://" in text else text)
