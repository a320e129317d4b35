"""Whose an account that no rule ties may be: by how like its name and login are to the names of people."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import numpy.typing as npt

from kathodos import thresholds
from kathodos.columns.csr import Ints
from kathodos.columns.matching import which
from kathodos.columns.strings import StringTable, string_table
from kathodos.model.kinds import ACCOUNTS, IDENTITIES
from kathodos.model.names import name_skeleton
from kathodos.store.attributes import AttributeColumns
from kathodos.store.records import Records

_LEAST = 78.0  # likeness of 100, below which nobody is named
_MOST = 3
_SHORTEST = 3  # letters of a word by which people are looked for among very many


class Candidate(msgspec.Struct, frozen=True):
    """A person whose an account may be, and how like the names are, of 100."""

    identity: str
    name: str
    likeness: int


def candidates_of(records: Records, accounts: Sequence[int]) -> list[list[Candidate]]:
    """For each of some accounts, given by position, those whose it may be, the likeliest first."""
    columns = AttributeColumns(records, ACCOUNTS)
    ids, names = records.column(IDENTITIES, "id"), records.column(IDENTITIES, "name")
    people = (names.codes >= 0).nonzero()[0]
    if not len(people) or not len(accounts):
        return [[] for _ in accounts]
    given = [str(it) for it in names.listed(people)]
    table = string_table(given) if len(people) > thresholds.FEW_CANDIDATES else None
    skeletons = [] if table is not None else [name_skeleton(name) for name in given]
    own = [columns.column(name) for name in ("login", "name", "displayname")]
    found: list[list[Candidate]] = []
    for account in accounts:
        texts = [str(held.values[held.codes[account]]) for held in own if held.codes[account] >= 0]
        texts = [text for text in texts if text and text != "None"]
        some = np.arange(len(people)) if table is None else _sharing_a_word(table, texts)
        asked = skeletons if table is None else [name_skeleton(given[at]) for at in some.tolist()]
        scores = _likeness(texts, asked)
        best = [at for at in np.argsort(-scores, kind="stable")[:_MOST].tolist() if scores[at] >= _LEAST]
        positions = people[some[best]]
        found.append(
            [
                Candidate(str(one), str(name), round(float(scores[at])))
                for one, name, at in zip(ids.listed(positions), names.listed(positions), best, strict=True)
            ]
        )
    return found


def _sharing_a_word(table: StringTable, texts: Sequence[str]) -> Ints:
    """Those whose name holds a word of some texts."""
    words = {word for text in texts for word in name_skeleton(text).split() if len(word) > _SHORTEST}
    found = np.zeros(len(table), dtype=bool)
    for word in words:
        found |= which(table, "co", word, lambda text, word=word: word in name_skeleton(text))  # type: ignore[misc]
    return found.nonzero()[0]


def _likeness(texts: Sequence[str], skeletons: Sequence[str]) -> npt.NDArray[np.float64]:
    """How like each of some names is to any of some texts, of 100: as a name, or as a login made of it."""
    from rapidfuzz import fuzz, process

    found = np.zeros(len(skeletons))
    logins = [_login_forms(name) for name in skeletons]
    for text in texts:
        plain = name_skeleton(text)
        bare = "".join(mark for mark in plain if mark.isalpha())
        if " " in plain:
            found = np.maximum(found, process.cdist([plain], skeletons, scorer=fuzz.token_sort_ratio)[0])
        for at in range(max(map(len, logins), default=0)):
            forms = [forms[at] if at < len(forms) else "" for forms in logins]
            found = np.maximum(found, process.cdist([bare], forms, scorer=fuzz.ratio)[0])
    return found


def _login_forms(skeleton: str) -> list[str]:
    """How a login may be made of a name: both names, or the first letter of one with the other, in either order."""
    words = skeleton.split()
    if len(words) < 2:
        return words
    first, last = words[0], words[-1]
    return [first + last, last + first, first[0] + last, last[0] + first, last + first[0], first + last[0]]
