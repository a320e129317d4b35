"""Files that are new: never written over what is there."""

from __future__ import annotations

import os
import re
import shutil
import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

from kathodos.errors import CallError, DataError
from kathodos.model.names import bare_text

_ANOTHER = "Name another folder with --out."


def file_name(text: str, taken: set[str]) -> str:
    """A name for a file that any file system takes, made of a text; `taken`: names in use, to which it is added."""
    start = re.sub(r"[^a-z0-9]+", "-", bare_text(text)).strip("-")[:60] or "owner"
    name, number = start, 2
    while name in taken:
        name, number = f"{start}-{number}", number + 1
    taken.add(name)
    return name


def write_new(file: str, text: str) -> None:
    """Writes a file that is not there yet. Raises CallError where it is, DataError where it cannot be written."""
    try:
        with Path(file).open("x", encoding="utf-8") as out:
            try:
                out.write(text)
                out.flush()
            except OSError:
                Path(file).unlink(missing_ok=True)  # half of it would stand in the way
                raise
    except FileExistsError:
        raise CallError(f"{file} is there already, and is never written over.", "Name another file.") from None
    except OSError as error:
        raise DataError(f"{file} cannot be written: {error.strerror}.", "Name a file that you may write.") from None


def write_all_new(folder: Path, contents: Mapping[str, bytes]) -> None:
    """Writes files that are not there yet, by their names below a folder; all of them or none.

    Raises CallError where one is there, DataError where they cannot be written.
    """
    if contents and not folder.exists():
        with new_folder(folder) as aside:
            _write_all(aside, contents)
        return
    for name in contents:
        if (folder / name).exists():
            raise CallError(f"{folder / name} is there already, and is never written over.", _ANOTHER)
    with _told(folder):
        _write_all(folder, contents)


def _write_all(folder: Path, contents: Mapping[str, bytes]) -> None:
    made: list[Path] = []
    try:
        for name, content in contents.items():
            path = folder / name
            path.parent.mkdir(parents=True, exist_ok=True)
            with path.open("xb") as out:
                made.append(path)
                out.write(content)
    except OSError:
        for path in made:
            path.unlink(missing_ok=True)
        raise


@contextmanager
def new_folder(folder: Path) -> Iterator[Path]:
    """A folder to be filled, that takes its name when it is all there. Raises CallError where there is one already."""
    if folder.exists():
        raise CallError(f"{folder} is there already, and is never written over.", _ANOTHER)
    with _told(folder):
        folder.parent.mkdir(parents=True, exist_ok=True)
        aside = Path(tempfile.mkdtemp(prefix=f".{folder.name}-", dir=folder.parent))
        try:
            yield aside
            aside.chmod(0o777 & ~_umask())
            aside.rename(folder)
        except BaseException:
            shutil.rmtree(aside, ignore_errors=True)
            raise


@contextmanager
def _told(folder: Path) -> Iterator[None]:
    """What the system says of files that cannot be written, as what is to be done about it."""
    try:
        yield
    except OSError as error:
        what = f"{error.filename or folder} cannot be written: {error.strerror}."
        raise DataError(what, "Name a folder that you may write with --out.") from None


def _umask() -> int:
    """What the process takes away from the modes of new files."""
    mask = os.umask(0o077)
    os.umask(mask)
    return mask
