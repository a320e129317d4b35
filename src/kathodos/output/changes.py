"""Change files: edits as blocks that `--assume` reads, each with the reason for it as a comment."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path

from kathodos.errors import CallError, DataError
from kathodos.output.text import printable


@dataclass(frozen=True)
class Block:
    """One edit: what is done (add, end, set), to which kind of record, its cells, and why."""

    verb: str
    kind: str
    cells: Mapping[str, str]
    why: str = ""


def write_changes(file: str, heading: str, blocks: Iterable[Block]) -> int:
    """Writes a change file that is not there yet; gives the number of blocks."""
    unique = {(it.verb, it.kind, tuple(it.cells.items())): it for it in blocks}
    parts = [f"# {printable(heading)}", "# See what it would do: kathodos reach --assume FILE, or any other question."]
    for block in unique.values():
        cells = (f"{name} = {_quoted(value)}" for name, value in block.cells.items() if value)
        why = [f"# {printable(block.why)}"] if block.why else []
        parts.append("\n".join(["", *why, f"[[{block.verb}]]", f'kind = "{block.kind}"', *cells]))
    try:
        with Path(file).open("x", encoding="utf-8") as out:
            out.write("\n".join(parts) + "\n")
    except FileExistsError:
        raise CallError(f"{file} is there already, and is never written over.", "Name another file.") from None
    except OSError as error:
        raise DataError(f"{file} cannot be written: {error.strerror}.", "Name a file that you may write.") from None
    return len(unique)


def _quoted(text: str) -> str:
    """A text as TOML writes it: as JSON does, with the one control character escaped that JSON leaves."""
    return json.dumps(text, ensure_ascii=False).replace("\x7f", "\\u007f")
