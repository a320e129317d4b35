"""The settings of a source in kathodos.toml, read with a clear word about what was expected instead."""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import msgspec

from kathodos.errors import DataError
from kathodos.model.secrets import keep_secret


class Source(msgspec.Struct, frozen=True):
    """One `[[source]]` of the configuration: its name, its kind, and the other keys of its block."""

    name: str
    kind: str
    folder: Path
    values: Mapping[str, Any]

    @property
    def settings(self) -> Settings:
        return Settings(f"the source {self.name}", self.folder, self.values)


class Settings(msgspec.Struct, frozen=True):
    """A block of settings. Every reader names what it expects, so that a wrong one is told with its place."""

    where: str
    folder: Path
    values: Mapping[str, Any]

    def only(self, *keys: str) -> None:
        """Raises DataError where the block has a key that is none of these."""
        for key in self.values:
            if key not in keys:
                raise self.expected(f"only {', '.join(keys)}, not {key}")

    def text(self, key: str, default: str | None = None) -> str:
        """A text; it has to be there where there is no default."""
        value = self.values.get(key, default)
        if not isinstance(value, str) or (default is None and not value):
            raise self.expected(f"{key} = a text")
        return value

    def address(self, key: str) -> str:
        """The url of a server. Raises DataError where it is none, or holds a password."""
        from urllib.parse import urlsplit

        url = self.text(key)
        try:
            parts = urlsplit(url)
            has_password = parts.password is not None or (
                "@" in parts.netloc and ":" in parts.netloc.rpartition("@")[0]
            )
        except ValueError:
            raise self.expected(f"{key} = the address of a server") from None
        if has_password:
            raise self.expected(f"{key} without a password: name where that is, as the manual says of secrets")
        return url

    def number(self, key: str, default: float) -> float:
        value = self.values.get(key, default)
        if isinstance(value, bool) or not isinstance(value, int | float) or value < 0:
            raise self.expected(f"{key} = a number")
        return float(value)

    def flag(self, key: str, default: bool) -> bool:
        value = self.values.get(key, default)
        if not isinstance(value, bool):
            raise self.expected(f"{key} = true or false")
        return value

    def texts(self, key: str) -> list[str]:
        """A list of texts, or one text; empty where it is absent."""
        value = self.values.get(key, [])
        value = [value] if isinstance(value, str) else value
        if not isinstance(value, list) or not all(isinstance(part, str) for part in value):
            raise self.expected(f"{key} = a list of texts")
        return value

    def named(self, key: str) -> dict[str, str]:
        """A table of texts; empty where it is absent."""
        value = self.values.get(key, {})
        if not isinstance(value, dict) or not all(isinstance(part, str) for part in value.values()):
            raise self.expected(f"{key} = {{ name = a text, ... }}")
        return value

    def block(self, key: str) -> Settings:
        """A block within; an empty one where it is absent."""
        value = self.values.get(key, {})
        if not isinstance(value, dict):
            raise self.expected(f"a block {key}")
        return Settings(f"{key} of {self.where}", self.folder, value)

    def path(self, key: str, default: str | None = None) -> Path:
        """A path, relative to the workspace."""
        return self.folder / self.text(key, default)

    def secret(self, key: str) -> str:
        """A secret, from where the setting says: `env:NAME` or `file:PATH`; empty where the setting is absent."""
        entry = self.values.get(key)
        if entry is None:
            return ""
        kind, _, name = entry.partition(":") if isinstance(entry, str) else ("", "", "")
        if kind == "env" and name:
            if name not in os.environ:
                raise DataError(f"The environment has no {name}, which {self.where} names.", f"Set {name}.")
            return keep_secret(os.environ[name])
        if kind == "file" and name:
            try:
                return keep_secret((self.folder / name).read_text(encoding="utf-8").strip())
            except (OSError, UnicodeDecodeError):
                remedy = f"Correct {key} in kathodos.toml, or the file."
                raise DataError(f"The file {name}, which {self.where} names, cannot be read.", remedy) from None
        raise self.expected(f'{key} = "env:NAME" or "file:PATH"; no secret stands in kathodos.toml')

    def expected(self, what: str) -> DataError:
        """The error of a setting that is not as expected."""
        return DataError(f"kathodos.toml, {self.where}: expected {what}.", "Correct the file; see the manual, Gather.")
