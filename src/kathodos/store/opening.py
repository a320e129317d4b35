"""The store that a URL names: the only place that knows which databases there are."""

from __future__ import annotations

from pathlib import Path

from kathodos.errors import CallError, DataError
from kathodos.store.base import FILE, SERVER, Store
from kathodos.store.modes import OWNER
from kathodos.store.sqlite import SQLiteStore


def open_store(url: str, folder: Path, wait: float, mode: int = OWNER) -> Store:
    """The store at a URL; a relative path is one in the workspace's folder. `mode`: of the files that it makes."""
    if url.startswith(FILE) and url != FILE:
        file = folder / url.removeprefix(FILE)
        if file.is_dir():
            raise DataError(f"The store {url} is a folder.", f"Name a file: {FILE}catalogue.db.")
        return SQLiteStore(file, wait, mode)
    if url.startswith(SERVER):
        from kathodos.store.postgres import PostgresStore

        return PostgresStore(url, wait)
    what = f"The store {url.partition(':')[0] or 'without a name'} is of a kind that is not supported."
    raise DataError(what, f"Write its url as {FILE}FILE or {SERVER}USER@HOST/DATABASE.")


def named_store(url: str, folder: Path, wait: float = 10) -> Store:
    """The store at a URL that a call names. Raises CallError where it names none."""
    try:
        return open_store(url, folder, wait)
    except DataError as error:
        raise CallError(error.what, error.remedy) from None
