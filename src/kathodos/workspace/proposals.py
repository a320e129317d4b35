"""What is proposed for files, put into a workspace's configuration."""

from __future__ import annotations

from typing import TYPE_CHECKING

from kathodos.errors import DataError
from kathodos.ingest.proposing.sources import Proposal
from kathodos.ingest.proposing.writing import written_into
from kathodos.model.toml import toml_text
from kathodos.workspace.configuration import CONFIGURATION, Configuration

if TYPE_CHECKING:
    from kathodos.workspace.workspace import Workspace


def write_proposal(workspace: Workspace, found: Proposal) -> None:
    """Adds what is proposed to kathodos.toml, all of it or nothing. Raises DataError where it would not do."""
    file = workspace.folder / CONFIGURATION
    text = written_into(file.read_text(encoding="utf-8"), found)
    Configuration(toml_text(CONFIGURATION, text), workspace.folder)
    beside = file.with_name(f"{CONFIGURATION}.new")
    try:
        beside.write_text(text, encoding="utf-8")
        beside.replace(file)
    except OSError as error:
        beside.unlink(missing_ok=True)
        raise DataError(
            f"{file} cannot be written: {error.strerror}.", "Nothing was changed; check the folder."
        ) from None
