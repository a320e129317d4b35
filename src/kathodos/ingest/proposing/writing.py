"""Proposals as blocks of kathodos.toml; what the user has put there, or corrected, stays."""

from __future__ import annotations

from typing import Any

import tomlkit
from tomlkit import TOMLDocument
from tomlkit.items import AoT, Table

from kathodos.ingest.proposing.sources import Block, Proposal, ProposedSource


def as_text(proposal: Proposal) -> str:
    """What is proposed, as it would stand in kathodos.toml."""
    return written_into("", proposal)


def written_into(text: str, proposal: Proposal) -> str:
    """A configuration with what is proposed added: sources, tables and keys that it does not have yet.

    What it says already is kept to the letter: a column that was mapped, a value, a comment.
    """
    document = tomlkit.parse(text)
    sources = document.get("source")
    if not isinstance(sources, AoT):
        sources = tomlkit.aot()
        document["source"] = sources
    for source in proposal.sources:
        found = next((it for it in sources if it.get("name") == source.name), None)
        if found is None:
            sources.append(_new_source(source))
        else:
            _add_to(found, source)
    _add_ties(document, proposal)
    return tomlkit.dumps(document)


def _new_source(source: ProposedSource) -> Table:
    made = tomlkit.table()
    made["name"] = source.name
    made["kind"] = source.kind
    for question in source.questions:
        made.add(tomlkit.comment(f"? {question}"))
    for key, value in source.settings.items():
        made[key] = value
    _add_to(made, source)
    return made


def _add_to(made: Any, source: ProposedSource) -> None:
    """Adds the tables, and in tables the keys, that a source does not have yet."""
    if source.kind == "activity":
        for block in source.blocks:
            _fill(_inside(made, "log"), block)
        return
    if not source.blocks:
        return
    tables = _inside(made, "tables")
    known = {(it.get("file"), it.get("sheet"), kind) for kind, it in tables.items()}
    for block in source.blocks:
        place = (block.settings.get("file"), block.settings.get("sheet"), block.kind.name)
        if block.kind.name in tables and place not in known:
            continue  # the user reads this kind from another file
        _fill(_inside(tables, block.kind.name), block)


def _inside(made: Any, key: str) -> Any:
    if key not in made:
        made[key] = tomlkit.table(is_super_table=key == "tables")
    return made[key]


def _fill(table: Any, block: Block) -> None:
    """Adds to the block of one table what it does not say yet."""
    is_new = not len(table)
    if is_new and block.is_derived:
        table.add(tomlkit.comment("taken from what other tables name"))
    for key, value in block.settings.items():
        if key not in ("values", "build", "constants") and key not in table:
            table[key] = value
    taken = {str(it).casefold() for name in ("build", "constants") for it in table.get(name, {})}
    columns = _inside(table, "columns") if block.columns else {}
    spoken = {str(header).casefold() for header in columns}
    ours = {str(it).casefold() for it in columns.values()} | taken
    for header, match in block.columns.items():
        if header.casefold() not in spoken and match.target.casefold() not in ours:
            columns[header] = match.target
            columns[header].comment(f"{match.sure} % sure")
    if "columns" in table and not len(table["columns"]):
        del table["columns"]
    for name in ("constants", "build"):
        for column, value in block.settings.get(name, {}).items():
            if column.casefold() not in ours:
                _inside(table, name)[column] = value
    for column, pairs in block.settings.get("values", {}).items():
        held = _inside(_inside(table, "values"), column) if pairs else {}
        for theirs, meaning in pairs.items():
            if theirs not in held:
                held[theirs] = meaning
                if meaning in ("?", ""):
                    held[theirs].comment(
                        "what does this mean?" if meaning else "read, write, export, approve, administer?"
                    )
    if is_new and block.further:
        word = "become attributes" if block.kind.open_ended else "are not used"
        table.add(tomlkit.comment(f"{', '.join(block.further)}: these columns {word}"))


def _add_ties(document: TOMLDocument, proposal: Proposal) -> None:
    if not proposal.ties:
        return
    rules = document.get("tie")
    if not isinstance(rules, AoT):
        if rules is not None:
            return  # a single rule as a table of its own: the user's
        rules = tomlkit.aot()
        document["tie"] = rules
    for rule in proposal.ties:
        if not any(all(it.get(key) == value for key, value in rule.items()) for it in rules):
            made = tomlkit.table()
            for key, value in rule.items():
                made[key] = value
            rules.append(made)
