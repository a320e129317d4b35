"""Reviews that a workspace declares once, each in a file reviews/NAME.toml: whose, by whom, until when, how often."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path
from typing import Literal

import msgspec

from kathodos.errors import CallError
from kathodos.model.comparing import check_comparisons
from kathodos.model.filters import FilterError, parse_filter
from kathodos.model.periods import later, parts_of
from kathodos.model.suggestions import nearest
from kathodos.model.times import first_moment, moment_text, time_text
from kathodos.review.lines import Review
from kathodos.review.subjects import SUBJECTS, About
from kathodos.workspace.configuration import read_toml

FOLDER = "reviews"
_REMEDY = "Correct the file; docs/file-formats.md says what may stand in it."
_OVER = {it: "people" if it in (About.ACCESS, About.COVERS, About.IDENTITY_DATA) else str(it) for it in About}


class DeclaredReview(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """`about`: what is reviewed; `where`: of whom or what; `only`: which lines; `attributes`: of identity data.

    `reviewers`: the chain; `due`: within which period of the opening; `every`: how often; `undecided`: what becomes of
    lines that nobody decided in time; `changed`: only what changed since it was certified is to be decided; `after`:
    the declared review that is to be signed off first, such as one of identity data before one of access.
    """

    where: str = ""
    about: About = About.ACCESS
    only: str = ""
    attributes: tuple[str, ...] = ()
    reviewers: tuple[str, ...] = ()
    undecided: Literal["certify", "revoke"] | None = None
    due: str = "P14D"
    every: str = ""
    changed: bool = False
    after: str = ""


class OpeningTerms(msgspec.Struct, frozen=True):
    """What is opened: its name, about whom or what, until when, by which chain; the name it is declared under."""

    name: str
    where: str | None
    due: str
    chain: Sequence[str]
    declared: str | None = None
    only_changed: bool = False
    about: About = About.ACCESS
    only: str | None = None
    parts: Sequence[str] = ()
    undecided: str | None = None


class Declared(msgspec.Struct, frozen=True):
    """A declared review by its name, with those opened of it, newest last; `first`: those that come before it."""

    name: str
    terms: DeclaredReview
    opened: Sequence[Review] = ()
    first: Sequence[Review] = ()

    def name_at(self, now: datetime) -> str:
        """What a review of it that is opened now is called: with the day, where it comes again."""
        return f"{self.name}-{now:%Y-%m-%d}" if self.terms.every else self.name

    def due_at(self, now: datetime) -> str:
        """The day by which all of it is to be decided where it is opened now."""
        return f"{later(now, self.terms.due):%Y-%m-%d}"

    @property
    def waits_for(self) -> str:
        """The declared review that has to be signed off before this one is opened; none where it has been."""
        since = self.opened[-1].opened_at if self.opened else ""
        is_done = any(it.signed_at is not None and it.signed_at >= since for it in self.first)
        return "" if is_done else self.terms.after

    def next_opening(self) -> str | None:
        """When it is to be opened; None where it was, and does not come again. Never before: the beginning of time."""
        if not self.opened:
            return ""
        if not self.terms.every:
            return None
        last = datetime.fromisoformat(moment_text(first_moment(self.opened[-1].opened_at)))
        return time_text(later(last, self.terms.every))


def declared_reviews(folder: Path, reviews: Sequence[Review]) -> list[Declared]:
    """The declared reviews of a workspace. Raises DataError with file, line and what was expected."""
    found = []
    for file in sorted((folder / FOLDER).glob("*.toml")):
        text = read_toml(file, f"{FOLDER}/{file.name}")
        terms = text.as_type(DeclaredReview, _REMEDY)
        try:
            if terms.where:
                check_comparisons(parse_filter(terms.where), SUBJECTS[terms.about].selected.form, None)
        except FilterError as error:
            raise text.error(["where"], f"where is no filter over {_OVER[terms.about]}: {error}", _REMEDY) from None
        try:
            if terms.only:
                parse_filter(terms.only)
        except FilterError as error:
            raise text.error(["only"], f"only is no filter over lines: {error}", _REMEDY) from None
        if terms.about in (About.ACCESS, About.IDENTITY_DATA) and not terms.where:
            raise text.error(["where"], "where is missing, which says of whom", _REMEDY)
        for key in ("due", "every"):
            try:
                parts_of(getattr(terms, key) or "P1D")
            except ValueError as error:
                raise text.error([key], str(error), _REMEDY) from None
        of_it = sorted((it for it in reviews if it.declared == file.stem), key=lambda it: it.opened_at)
        before = [it for it in reviews if it.declared == terms.after] if terms.after else []
        if terms.after and not (folder / FOLDER / f"{terms.after}.toml").exists():
            raise text.error(["after"], f"after names {terms.after}, which is declared nowhere", _REMEDY)
        found.append(Declared(file.stem, terms, of_it, before))
    return found


def declared_review(folder: Path, reviews: Sequence[Review], name: str) -> Declared:
    """The declared review of a name. Raises CallError where there is none."""
    known = {it.name: it for it in declared_reviews(folder, reviews)}
    if name not in known:
        hint = nearest(name, known) if known else ""
        what = f"There is no {FOLDER}/{name}.toml that says what {name} is about."
        raise CallError(what, f"{hint} Or say --where FILTER and --due DATE.".strip())
    return known[name]
