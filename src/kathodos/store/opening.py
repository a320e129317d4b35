"""The store that a URL names: the only place that knows which databases there are."""

from __future__ import annotations

from pathlib import Path

from kathodos.errors import DataError
from kathodos.store.base import Store
from kathodos.store.sqlite import SQLiteStore

_PREFIX = "sqlite:///"


def open_store(url: str, folder: Path, wait: float) -> Store:
    """The store at a URL; a relative path is one in the workspace's folder."""
    if not url.startswith(_PREFIX) or not url.removeprefix(_PREFIX):
        what = f"The store {url.partition(':')[0] or 'without a name'} is of a kind that is not supported."
        raise DataError(what, "Write [store] url as sqlite:///FILE in kathodos.toml.")
    return SQLiteStore(folder / url.removeprefix(_PREFIX), wait)
