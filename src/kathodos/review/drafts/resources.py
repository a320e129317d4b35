"""Reviews of resources: a line is a grant that opens one resource, whoever holds it."""

from __future__ import annotations

import numpy as np

from kathodos.analysis.evidence.held import Units
from kathodos.analysis.evidence.usual import Reaching
from kathodos.columns.csr import Bools, Ints, csr_from_pairs, ints, joined
from kathodos.columns.dictionary import DictionaryColumn, Scalar, joined_columns, nothing
from kathodos.engine.decide import who_has
from kathodos.errors import CallError
from kathodos.model.words import plural
from kathodos.review.drafts.access import columns_of_units, evidence_of
from kathodos.review.drafts.access_evidence import Evidence
from kathodos.review.drafts.draft import Asked, Draft, names_of_askers
from kathodos.review.drafts.standing_out import Sentences, Speaks
from kathodos.review.lines import numbered
from kathodos.review.owners import owners_of_nodes
from kathodos.rules.targets import entitlements_on

_MOST = 20_000_000  # lines of a review, beyond which nobody reads them
_MANY = 0.5  # the share of everybody from which on a way is open to most


def draft_resources(asked: Asked) -> Draft:
    """The lines of some resources, given by their nodes: each grant that permits something on one of them."""
    basis, index = asked.context.basis, asked.context.basis.index
    node, grant = _ways(asked)
    holder = index.grants.holder[grant].astype(np.int64)
    own = np.append(index.holders.asker_of, np.full(index.holders.size - basis.size, -1))[holder]
    items = Units(own, holder, grant, np.full(len(grant), -1, dtype=np.int64))
    one = np.flatnonzero(own >= 0)  # what somebody holds alone is known as in a review of access
    alone = Units(*(it[one] for it in (items.asker, items.holder, items.grant, items.group)))
    every, of_alone = evidence_of(asked, items), columns_of_units(asked, alone, evidence_of(asked, alone))
    columns = {name: _spread(column, one, len(grant)) for name, column in of_alone.items()}
    people = _people(every, holder)
    everyone = holder == index.holders.everyone
    said = Sentences({"people": numbered(people), **columns}, len(grant))
    said.add(everyone, Speaks.AGAINST, "Everybody has it.")
    counted = max(int(every.is_counted.sum()), 1)
    many = people >= _MANY * counted
    said.add((own < 0) & many, Speaks.AGAINST, f"It opens the resource to {{}} of {counted} people.", "people")
    said.add((own < 0) & (people == 0), Speaks.AGAINST, "Nobody is in the group that holds it.")
    said.add((own < 0) & (people > 0), Speaks.FOR, _through_a_group, "people")
    text, speaks = said.columns()
    is_alone = own >= 0
    columns["stands_out"] = _either(is_alone, columns["stands_out"], text)
    columns["speaks"] = _either(is_alone, columns["speaks"], speaks)
    columns |= {
        "identity": names_of_askers(index.holders, own),
        "holder": DictionaryColumn(holder.astype(np.int32), index.holders.references),
        "grant": DictionaryColumn(grant.astype(np.int32), index.grants.ids),
        "group": nothing(len(grant)),
        "part": DictionaryColumn(node.astype(np.int32), index.tree.addresses),
        "value": numbered(people).mapped(str),
        "thing": numbered(every.thing),
        **{name: basis.grant(of).taken(grant) for name, of in _GIVEN.items()},
    }
    reaching = _having_things(every)
    things = [numbered(every.used), *every.thing_columns(reaching, int(every.is_counted.sum()))]
    return Draft(own, lambda: owners_of_nodes(basis, node), columns, things)


_GIVEN = {"until": "until", "given_by": "given_by", "given_at": "given_at", "given_for": "reason"}


def _through_a_group(people: Scalar) -> str:
    return f"It opens the resource to {plural(int(people or 0), 'person', 'people')}, through a group."


def _ways(asked: Asked) -> tuple[Ints, Ints]:
    """Each resource with each grant that permits something on it, by resource and holder."""
    basis, index = asked.context.basis, asked.context.basis.index
    is_live = (basis.moment < index.grants.ends) & ~index.grants.denies
    live = is_live.nonzero()[0]
    of = csr_from_pairs(index.grants.entitlement[live].astype(np.int64), live, len(index.entitlements))
    nodes, grants, count = [], [], 0
    for node in asked.chosen.tolist():
        here = of.all_of(entitlements_on(index, index.system_of(node).actions.tolist(), np.array([node])))
        count += len(here)
        if count > _MOST:
            what = f"More than {_MOST:,} grants open these resources, each a line of its own."
            raise CallError(what, "Narrow the filter: review what is most sensitive first.")
        nodes.append(np.full(len(here), node, dtype=np.int64))
        grants.append(here.astype(np.int64))
    node, grant = joined(nodes).astype(np.int64), joined(grants).astype(np.int64)
    order = np.lexsort((grant, index.grants.holder[grant], node))
    return node[order], grant[order]


def _having_things(evidence: Evidence) -> Ints:
    """How many people reach all that each thing names."""
    reaching = Reaching(evidence.things, evidence.things.names(evidence.used)[0])
    people, sets = evidence.is_counted.nonzero()[0], np.arange(len(evidence.used))
    return reaching.counted(people, np.zeros(len(people), dtype=np.int64), np.zeros(len(sets), dtype=np.int64), sets)


def _people(evidence: Evidence, holder: Ints) -> Ints:
    """How many people have a grant by who holds it: those in the group, the one person, or everybody."""
    index, found = evidence.context.basis.index, np.ones(len(holder), dtype=np.int64)
    many = (holder >= index.holders.first_group).nonzero()[0]
    some, which = np.unique(holder[many], return_inverse=True)
    masks = (who_has(index, ints([it]), evidence.moment)[: index.holders.people] for it in some.tolist())
    counts = ints(int((mask & evidence.is_counted).sum()) for mask in masks)
    found[many] = counts[which]
    return found


def _spread(column: DictionaryColumn, at: Ints, size: int) -> DictionaryColumn:
    """A column of some rows as one of all, with nothing in the others."""
    codes = np.full(size, -1, dtype=np.int32)
    codes[at] = column.codes
    return DictionaryColumn(codes, column.values)


def _either(which: Bools, first: DictionaryColumn, second: DictionaryColumn) -> DictionaryColumn:
    """The first column in some rows, and the second in the others."""
    both = joined_columns([first.compact(), second.compact()])
    one, other = both.codes.reshape(2, -1)
    return DictionaryColumn(np.where(which, one, other), both.values)
