"""The library of ready-made rules, laid out in a workspace for its reviewer to fill in."""

from __future__ import annotations

import contextlib
from collections.abc import Collection, Mapping, Sequence
from importlib.resources import files
from pathlib import Path

import msgspec

from kathodos.errors import CallError
from kathodos.model.suggestions import nearest
from kathodos.rules.reading import DUTIES_FILE


class LayingOut(msgspec.Struct, frozen=True):
    """Files of the library to be put into a folder: the texts of those that are not there yet, by name, and the others.

    What is there already is left as it is.
    """

    folder: Path
    fresh: Mapping[str, str]
    there: Sequence[str]

    def write(self) -> None:
        """Writes those that were not there yet, and still are not."""
        self.folder.mkdir(exist_ok=True)
        for name, text in self.fresh.items():
            with (
                contextlib.suppress(FileExistsError),
                (self.folder / f"{name}.toml").open("x", encoding="utf-8") as file,
            ):
                file.write(text)


def library_for(folder: Path, topics: Collection[str] | None) -> LayingOut:
    """The library, or some topics of it with the file of duties. Raises CallError for a topic that it has not."""
    library = {it.name.removesuffix(".toml"): it for it in (files("kathodos") / "rules" / "library").iterdir()}
    library = {name: it for name, it in sorted(library.items()) if it.name.endswith(".toml")}
    known = [name for name in library if f"{name}.toml" != DUTIES_FILE]
    for name in topics or ():
        if name not in known:
            raise CallError(f"The library has no file {name}.", nearest(name, known))
    chosen = [name for name in known if name in (topics or known)] + [DUTIES_FILE.removesuffix(".toml")]
    there = [name for name in chosen if (folder / f"{name}.toml").exists()]
    fresh = {name: library[name].read_text(encoding="utf-8") for name in chosen if name not in there}
    return LayingOut(folder, fresh, there)
