"""Sources read and brought into the catalogue, each by itself."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import TYPE_CHECKING, Any

from msgspec.structs import replace

from kathodos.connectors.sources import digest_with, reader_of
from kathodos.ingest.gather import Gather, Gathered, Terms, last_gather, last_mark
from kathodos.ledger.operations import Done
from kathodos.ledger.payloads import Act
from kathodos.model.references import Names

if TYPE_CHECKING:
    from kathodos.connectors.mapping import Reading, Table
    from kathodos.connectors.settings import Source
    from kathodos.workspace.workspace import Workspace


def gather_source(
    workspace: Workspace,
    source: Source,
    actor: str,
    reason: str = "",
    may_lose: bool = False,
    accept_clock: bool = False,
) -> Done[Gathered]:
    """Reads a source and makes the catalogue say what it says; a source that is as it was is not read again.

    Raises GuardedError where more of its records would go than may, unless that is said to be meant.
    """
    terms = workspace.terms(source, may_lose)
    with workspace.view() as view:
        mark = last_mark(view.histories.reader, source.name)
        content = reader_of(source).glance(source, mark)
        known = last_gather(view.stored, source.name, _digest(source, content, terms)) if content else None
        if known is not None:
            # who may not act is told so also where there is nothing to do
            workspace.configuration.powers.check(workspace.acting(actor).among(view.stored), Act.GATHER)
    if known is not None:
        return Done(known, None)
    return workspace.carry_out(Gather(source.name, _read(source, mark, terms), terms), actor, reason, accept_clock)


def rehearse_source(
    workspace: Workspace, source: Source, is_detailed: bool = False, beside: Names | None = None
) -> tuple[Gathered, float]:
    """What gathering a source would do, and how many seconds it waited for a server; nothing is written.

    `beside`: what the sources before it would have brought, to which it adds its own.
    """
    terms = workspace.terms(source, may_lose=True)
    with workspace.view() as view:
        reading = _read(source, last_mark(view.histories.reader, source.name), terms)
        _, found = view.plan(Gather(source.name, reading, terms, is_detailed, beside))
    return found, reading.waited


def tables_of(sources: Iterable[Source]) -> Iterator[tuple[Source, Table]]:
    """The tables of each source, as a gather would read them, before references are resolved."""
    for source in sources:
        for table in reader_of(source).read(source, "").tables:
            yield source, table


def _read(source: Source, mark: str, terms: Terms) -> Reading:
    reading = reader_of(source).read(source, mark)
    return replace(reading, digest=_digest(source, reading.digest, terms))


def _digest(source: Source, content: str, terms: Terms) -> str:
    """A digest of what a source says and of how it is read and applied."""
    further: Mapping[str, Any] = {"precedence": terms.precedence, "ties": terms.ties}
    return digest_with(source, content, further)
