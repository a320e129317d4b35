"""All kinds of excess, each with what it means and the function that finds it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor

import msgspec
import numpy as np

from kathodos.analysis.exposure import READ
from kathodos.findings.conflicts.covers import Register
from kathodos.findings.excess import (
    combined,
    former,
    given,
    mandates,
    orders,
    peers,
    people,
    requests,
    reviews,
    roles,
    use,
)
from kathodos.findings.excess.batches import Batch, ExcessContext, FindingText, batch, joined_batches, nobodys
from kathodos.findings.fences import given_to, surpluses, without_stated_need
from kathodos.model.references import reference_to
from kathodos.model.times import DAY, day_text
from kathodos.model.words import plural

SURPLUS, LATE_CONTROL = "surplus", "late-control"
_MOST_NAMED = 4


class Kind(msgspec.Struct, frozen=True):
    """A kind of excess: its name, what it is in a few words, and what finds it."""

    name: str
    means: str
    find: Callable[[ExcessContext], Batch]


def surplus(context: ExcessContext) -> Batch:
    """What services and agents hold beyond their stated needs."""
    index = context.basis.index
    found = surpluses(context.basis, context.needs)

    def describe(at: int) -> FindingText:
        it = found[at]
        actions = ", ".join(index.actions[action][1] for action in it.actions.tolist())
        evidence = f"{actions} on {it.resources} resources of {it.system} beyond its needs; {it.use_in_words}"
        grants = ", ".join(reference_to("grant", index.grants.ids[grant]) for grant in it.grants.tolist())
        return FindingText(
            grants, evidence, "Give it what it needs and no more: kathodos check --by says what that is.", ()
        )

    whose = np.array([it.identity for it in found], dtype=np.int64)
    confidence = np.array([90 if it.unused and it.is_recorded else 60 for it in found], dtype=np.int64)
    writes = np.array([any(_writes(context, action) for action in it.actions.tolist()) for it in found], dtype=np.int64)
    beyond = batch(SURPLUS, whose, lambda at: context.holder(int(whose[at])), describe, 1 + writes, confidence)
    return joined_batches(beyond, _without_stated_need(context))


def _without_stated_need(context: ExcessContext) -> Batch:
    """The services and agents of which no need speaks: one finding each."""
    basis = context.basis
    found = without_stated_need(basis, context.needs)

    def describe(at: int) -> FindingText:
        grants = given_to(basis, int(found[at]))
        given = [basis.index.gives(grant) for grant in grants[:_MOST_NAMED].tolist()]
        more = f" and {len(grants) - _MOST_NAMED} more" if len(grants) > _MOST_NAMED else ""
        names = ", ".join(
            reference_to("grant", basis.index.grants.ids[grant]) for grant in grants[:_MOST_NAMED].tolist()
        )
        evidence = f"no need is stated for it, and it was given {', '.join(given)}{more}"
        return FindingText(names, evidence, "State what it needs as a [[need]]; the rest shows as surplus then.", ())

    kinds = context.usage.kinds_of[found]
    return batch(SURPLUS, found, lambda at: context.holder(int(found[at])), describe, 1 + ((kinds & ~READ) > 0), 60)


def _writes(context: ExcessContext, action: int) -> bool:
    system = context.basis.index.systems[context.basis.index.actions[action][0]]
    return system.kinds[int(action - system.actions[0])] not in ("read", None)


def late_controls(register: Register, moment: int) -> Batch:
    """Controls whose owner has not confirmed in time that they were carried out."""
    late = [due for due in register.dues(moment) if due.is_late]
    texts = [
        FindingText(
            reference_to("control", due.control.id),
            f"was to be confirmed by {day_text(due.due)}; last confirmed {due.last[:10] if due.last else 'never'}; "
            f"{plural(due.covers, 'conflict is', 'conflicts are')} covered by it",
            f"Have {due.control.owner} carry it out and confirm it, or end what it covers.",
        )
        for due in late
    ]
    days = np.array([moment // DAY - due.due // DAY for due in late], dtype=np.int64)
    return nobodys(LATE_CONTROL, [reference_to("control", due.control.id) for due in late], texts, 2, days)


KINDS = (
    Kind(people.LEAVER, "an enabled account of somebody who has left", people.leaver_accounts),
    Kind(people.CAME_BACK, "was taken away, and has come back", people.came_back),
    Kind(orders.OVERDUE, "was ordered, and not carried out in time", orders.overdue_orders),
    Kind(orders.REFUSED, "was ordered, and refused by the system or its owner", orders.refused_orders),
    Kind(orders.DIFFERENTLY, "was ordered, and done otherwise than ordered", orders.done_differently),
    Kind(peers.EXPORT_BEYOND_PEERS, "may export where its peers may only look", peers.export_beyond_peers),
    Kind(given.SENSITIVE, "gives access to the most sensitive without naming it", given.sensitive),
    Kind(given.DETACHED, "cut off from its parent, and yet open to more people", given.detached),
    Kind(given.EVERYONE, "given to everyone", given.everyone),
    Kind(given.WILDCARD, "administers everything in a system", given.wildcard),
    Kind(mandates.WIDE_MANDATE, "a mandate that is worth more than it looks", mandates.wide_mandates),
    Kind(SURPLUS, "a service or agent with more than its needs", surplus),
    Kind(former.FORMER_POSITION, "kept from a former position", former.former_position),
    Kind(peers.BEYOND_PEERS, "held by hardly any peer", peers.beyond_peers),
    Kind(peers.BEYOND_NEEDS, "outside the needs of the position", peers.beyond_needs),
    Kind(people.OPEN_ENDED, "has no end date, though its holder has one", people.open_ended),
    Kind(people.PAST_END, "has ended, and is still listed", people.past_end),
    Kind(people.ORPHAN, "an enabled account that nobody owns", people.orphan_accounts),
    Kind(people.DUPLICATE, "two identities that may be one person", people.duplicates),
    Kind(reviews.HASTY, "certified faster than anybody can read", reviews.hasty_reviews),
    Kind(reviews.AGAINST_EVIDENCE, "certified although the evidence speaks against it", reviews.against_evidence),
    Kind(reviews.UNOPENED, "certified without looking at the evidence", reviews.unopened_evidence),
    Kind(reviews.NOTHING_TAKEN, "certified everything where others took away", reviews.nothing_taken),
    Kind(requests.REQUEST_OVER, "had by a request whose time is over", requests.requests_over),
    Kind(requests.LATE_LOOK_BACK, "an emergency that nobody looked back on in time", requests.late_look_backs),
    Kind(use.DORMANT, "an enabled account that nobody signs in to any more", use.dormant_accounts),
    Kind(use.NEVER_SIGNED_IN, "an enabled account that nobody ever signed in to", use.never_signed_in),
    Kind(use.UNUSED, "not used for a long time", use.unused),
    Kind(use.NEVER_USED, "never used since it was given, or since uses are recorded", use.never_used),
    Kind(people.OWNER_GONE, "its owner has left", people.owners_gone),
    Kind(given.REDUNDANT, "gives nothing that its holder would not have anyway", given.redundant),
    Kind(given.DIRECT, "given to one person, although a group gives the same", given.direct),
    Kind(roles.EMPTY_ROLE, "a role without members", roles.empty_roles),
    Kind(roles.EMPTY_GROUP, "a group without members", roles.empty_groups),
    Kind(use.UNUSED_ROLE, "a role that nobody uses", roles.unused),
    Kind(combined.STALE_ROLE, "a combined role that is not what its parts are now", combined.stale_combined),
    Kind(roles.NEAR_ROLES, "two roles that are nearly the same", roles.near_roles),
    Kind(roles.DOUBLED_ROLE, "a role that is given only together with another", roles.doubled_roles),
)
NAMES = (*(kind.name for kind in KINDS), LATE_CONTROL)


def find_excess(
    context: ExcessContext, names: Iterable[str] = NAMES, register: Register | None = None
) -> Iterator[Batch]:
    """The findings of some kinds, batch by batch.

    What needs nothing but the index is found beside the others; what is read from the store is read before.
    """
    chosen = set(names)
    wanted = [kind for kind in KINDS if kind.name in chosen]
    apart = [kind for kind in wanted if kind.name in (given.SENSITIVE, given.DETACHED, given.REDUNDANT)]
    if apart:
        _ = context.basis.sensitivity  # reads from the store, which only one thread may
    with ThreadPoolExecutor(1) as pool:
        beside = {kind.name: pool.submit(kind.find, context) for kind in apart}
        for kind in wanted:
            yield beside[kind.name].result() if kind.name in beside else kind.find(context)
    if register is not None and LATE_CONTROL in chosen:
        yield late_controls(register, context.basis.moment)
