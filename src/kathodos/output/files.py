"""Files that are new: never written over what is there."""

from __future__ import annotations

from pathlib import Path

from kathodos.errors import CallError, DataError


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
