"""The files that outlive a version: how each says which form it has, and up to which this version reads it.

Whatever was written in an earlier form is read for ever; a later one is refused in one line.
"""

from __future__ import annotations

import re
from typing import Any

import msgspec

from kathodos.errors import DataError
from kathodos.version import __version__

WRITTEN_FOR = "kathodos"  # the key by which a TOML file says for which version it was written
_VERSION = re.compile(r"(\d{1,4})\.(\d{1,4})(\.\d{1,4})?")
_LATER = "Use that version or a later one; nothing was changed."


class FileForm(msgspec.Struct, frozen=True):
    """One kind of file. `what` it is in words; `name` is what stands before the number of its form."""

    what: str
    name: str
    newest: int = 1

    @property
    def text(self) -> str:
        """The newest form, as a file says it."""
        return f"{self.name}{self.newest}"

    def must_be_known(self, file: str, said: object) -> None:
        """Raises DataError where a file says that it has a form that only a later version knows."""
        number = said.removeprefix(self.name) if isinstance(said, str) and said.startswith(self.name) else ""
        if number.isdecimal() and len(number) < 9 and int(number) > self.newest:
            what = f"{file} is {self.what} of form {number}; kathodos {__version__} reads forms up to {self.newest}."
            raise DataError(what, "Read it with a later kathodos; nothing was taken.")


ANSWERS = FileForm("a file of answers", "kathodos answers ")
EXCHANGE = FileForm("an exchange file", "kathodos-roles/")
PROOF = FileForm("the proof of a report", "kathodos report ")


def written_for() -> str:
    """What a TOML file that is written now says of the version it is for."""
    return ".".join(__version__.split(".")[:2])


def must_be_for_us(name: str, said: Any) -> None:
    """Raises DataError where a TOML file says that it was written for a later version than this one."""
    found = _VERSION.fullmatch(said) if isinstance(said, str) else None
    if found is None:
        raise DataError(f"{name}: {WRITTEN_FOR} = {said!r} is no version.", f'Write {WRITTEN_FOR} = "{written_for()}".')
    ours = _VERSION.fullmatch(__version__)
    assert ours is not None
    if (int(found[1]), int(found[2])) > (int(ours[1]), int(ours[2])):
        raise DataError(f"{name} is written for kathodos {said}, and this is {__version__}.", _LATER)
