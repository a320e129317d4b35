"""The lines of a review before it is known who decides them."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence

import msgspec
import numpy as np

from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn, dictionary_column
from kathodos.engine.compiled.index import Holders
from kathodos.findings.conflicts.covers import Register
from kathodos.findings.conflicts.states import Conflicts
from kathodos.findings.excess.batches import ExcessContext
from kathodos.model.json_text import json_text
from kathodos.review.drafts.holder_evidence import Found
from kathodos.rules.reading import Rules


class Asked(msgspec.Struct, frozen=True):
    """What lines are made of. `chosen`: what the filter selects, by the numbers of the index.

    `parts`: of identity data the attributes that are reviewed.
    """

    context: ExcessContext
    conflicts: Conflicts
    rules: Rules
    found: Found
    register: Register
    chosen: Ints
    parts: Sequence[str] = ()


class Draft(msgspec.Struct, frozen=True):
    """`asker`: whom each line is about, the number of an identity or account (-1: nobody); `owner`: makes the numbers
    of the identities that own what each line is about (-1: nobody).

    `columns`: of the lines, those that hold nothing left out; `things`: in the order of the kind. `beyond`: how much
    reaches them that is no line.
    """

    asker: Ints
    owner: Callable[[], Ints]
    columns: Mapping[str, DictionaryColumn]
    things: Sequence[DictionaryColumn]
    beyond: int = 0

    def __len__(self) -> int:
        return len(self.asker)


def names_of_askers(holders: Holders, askers: Ints) -> DictionaryColumn:
    """What the lines call those whom they are about; nothing for nobody."""
    if not len(askers) or (int(askers.max()) < holders.people and not holders.has_odd_ids):
        return DictionaryColumn(askers.astype(np.int32), holders.identities)
    used, codes = np.unique(askers, return_inverse=True)
    names = dictionary_column(holders.asker_name(asker) if asker >= 0 else None for asker in used.tolist())
    return DictionaryColumn(names.codes[codes], names.values)


def things_of(described: Sequence[Mapping[str, object]]) -> list[DictionaryColumn]:
    """Things in the order of the kind. What is listed is kept as JSON."""
    lists, others = ("brings", "contains", "within"), ("having", "counted", "recorded", "sensitivity")
    columns = {"gives": dictionary_column(str(it["gives"]) for it in described)}
    columns |= {name: dictionary_column(json_text(it.get(name, [])) for it in described) for name in lists}
    columns |= {name: dictionary_column(it.get(name) for it in described) for name in others}  # type: ignore[misc]
    numbers = dictionary_column(range(len(described)))
    return [numbers, *columns.values()]


def read_list(text: object) -> list[str]:
    """A list that is kept as JSON."""
    found: list[str] = json.loads(str(text))
    return found
