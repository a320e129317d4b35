"""What can go wrong, as exceptions that say what, where and what to do; the command line turns them into a status."""

from __future__ import annotations

from collections.abc import Sequence
from enum import IntEnum


class Status(IntEnum):
    """The exit status of the command."""

    DONE = 0
    FOUND = 1  # done, and something found: a conflict, a "no", a verification that failed
    WRONG_CALL = 2
    WRONG_DATA = 3


def found_if(is_found: object) -> Status:
    """The status of an answer that may have found something."""
    return Status.FOUND if is_found else Status.DONE


class KathodosError(Exception):
    """Something the user can act on. `status` is the exit status of the command."""

    status = Status.WRONG_DATA

    def __init__(self, what: str, remedy: str = "") -> None:
        super().__init__(what if not remedy else f"{what}\n{remedy}")
        self.what = what
        self.remedy = remedy


class CallError(KathodosError):
    """The call itself is wrong: an unknown name, a filter that does not parse, a decision that is not allowed."""

    status = Status.WRONG_CALL


class NotAllowedError(CallError):
    """Who acts may not. `act`: what was tried; `subjects`: on what, as the ledger names it."""

    def __init__(self, what: str, remedy: str, act: str, subjects: Sequence[str] = ()) -> None:
        super().__init__(what, remedy)
        self.act = act
        self.subjects = list(subjects)


class DataError(KathodosError):
    """The data, the store or a system is wrong: a broken file, a locked store, a missing key."""


class UnfitError(ValueError):
    """A value that cannot be what it should be: why, and what to write instead."""

    def __init__(self, reason: str, remedy: str) -> None:
        super().__init__(reason)
        self.reason = reason
        self.remedy = remedy


def sentence(words: object) -> str:
    """The words as a sentence: the first letter large, a full stop at the end."""
    text = str(words)
    return f"{text[:1].upper()}{text[1:].removesuffix('.')}."
