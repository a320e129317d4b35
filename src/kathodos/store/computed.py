"""Files of arrays beside the store: what has been computed from it, mapped into memory and not read.

A file holds arrays as they are in memory, and behind them a description in JSON with the ledger entry that it belongs
to, known by number and leaf. Every array, and every part of one, bears a tag made with a secret key (Poly1305, RFC
8439, 2.5; the one-time key of each is a BLAKE2 digest of the secret, a random number of the file, the array's name and
the number of the part, RFC 7693), checked when it is first asked for. So damage and forgery are found, and what is not
asked for costs nothing. The arrays of a small file bear one tag together, checked when it is opened. A file is written
aside and moved into place: there is never half of one, and whoever has the old one open keeps it.
"""

from __future__ import annotations

import hashlib
import hmac
import itertools
import json
import math
import mmap
import os
import time
import weakref
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager, suppress
from functools import partial
from pathlib import Path
from typing import IO, Any, cast

import msgspec
import numpy as np
import numpy.typing as npt

from kathodos import thresholds
from kathodos.columns.parted import PartedArray
from kathodos.store.modes import OWNER, folder_mode, made

Arrays = Mapping[str, npt.NDArray[Any]]
_MAGIC = b"kathodos computed 4\n" if thresholds.SET != thresholds.SMALLEST else b"kathodos computed, parts small\n"
_ALIGNED = 64
_WHOLE = -1  # instead of the number of a part, in the tag of a whole array
_ALL = ""  # instead of the name of an array, in the tag of all of a small file
_TAG = 32  # the length of the tag of a part, in hex
_TAIL = 8 + 32  # the length of the description, and its tag
_NEW = ".new"  # how a file is called while it is written
_ASIDE = "altered-"  # how one begins that was altered and is kept
_ABANDONED = 600.0  # seconds after which a file that somebody began to write is taken to be left over
KEY = "computed.key"


class Point(msgspec.Struct, frozen=True):
    """A ledger entry by number and leaf: the same number of another history has another leaf."""

    entry: int
    leaf: str


class DamagedError(Exception):
    """A computed file is not what was written: it is put aside, and made anew."""

    def __init__(self, file: Path) -> None:
        super().__init__(file)
        self.damaged_file = file


class Computed(Mapping[str, npt.NDArray[Any]]):
    """One file of arrays, mapped. `rest` is what was kept beside the arrays.

    A large array of which only some numbers are asked for is checked part by part, by reading the parts past the map:
    only what is used of it stays in memory.
    """

    def __init__(
        self, file: Path, descriptor: int, point: Point, data: memoryview, description: dict[str, Any], key: bytes
    ) -> None:
        self.file = file
        self._descriptor = descriptor
        weakref.finalize(self, os.close, descriptor)
        self.point = point
        self.rest: dict[str, Any] = description["rest"]
        self._data = data
        self._locations = {name: place for name, *place in description["arrays"]}
        self._is_checked = bool(description["tag"])  # all of it, when it was opened
        self._nonce = bytes.fromhex(description["nonce"])
        self._key = key
        self._known: dict[str, npt.NDArray[Any]] = {}

    def __getitem__(self, name: str) -> npt.NDArray[Any]:
        if name not in self._known:
            array = self._mapped(name)
            if self._is_checked:
                pass
            elif array.ndim == 1 and array.nbytes > thresholds.PART:
                checks = partial(self._check_parts, name), partial(self.check, name)
                array = cast(npt.NDArray[Any], PartedArray(array, thresholds.PART // array.itemsize, *checks))
            else:
                self.check(name)
            self._known[name] = array
        return self._known[name]

    def check(self, name: str) -> None:
        """Raises DamagedError where an array is not what was written."""
        if self._is_checked:
            return
        _, _, offset, tag, _ = self._locations[name]
        content = self._data[offset : offset + self._size(name)]
        if not hmac.compare_digest(_tag(self._key, self._nonce, name, _WHOLE, content), bytes.fromhex(tag)):
            raise DamagedError(self.file)

    def _mapped(self, name: str) -> npt.NDArray[Any]:
        """An array as it is mapped, not checked."""
        kind, shape, offset, _, _ = self._locations[name]
        count = math.prod(shape)
        return np.frombuffer(self._data, dtype=np.dtype(kind), count=count, offset=offset).reshape(shape)

    def _size(self, name: str) -> int:
        """How many bytes an array has."""
        kind, shape, _, _, _ = self._locations[name]
        count: int = math.prod(shape)
        return count * int(np.dtype(kind).itemsize)

    def _check_parts(self, name: str, numbers: Iterable[int]) -> None:
        """Raises DamagedError where a part of an array is not what was written."""
        _, _, offset, _, tags = self._locations[name]
        size = self._size(name)
        for number in map(int, numbers):
            first = number * thresholds.PART
            content = os.pread(self._descriptor, min(thresholds.PART, size - first), offset + first)
            wanted = bytes.fromhex(tags[number * _TAG : (number + 1) * _TAG])
            if not hmac.compare_digest(_tag(self._key, self._nonce, name, number, content), wanted):
                raise DamagedError(self.file)

    def __contains__(self, name: object) -> bool:
        """Whether it holds an array of this name, which is not read for that."""
        return name in self._locations

    def __iter__(self) -> Iterator[str]:
        return iter(self._locations)

    def __len__(self) -> int:
        return len(self._locations)


def _tag(key: bytes, nonce: bytes, name: str, number: int, content: bytes | memoryview) -> bytes:
    """The tag of one part of an array's bytes (Poly1305, RFC 8439)."""
    from cryptography.hazmat.primitives.poly1305 import Poly1305

    once = hashlib.blake2b(
        nonce + number.to_bytes(8, "big", signed=True) + name.encode(), key=key, digest_size=32
    ).digest()
    return Poly1305.generate_tag(once, content)


def _tags(key: bytes, nonce: bytes, name: str, content: memoryview) -> tuple[str, str]:
    """The tag of an array's bytes, and where they are many those of its parts, one behind the other."""
    size = thresholds.PART
    firsts = range(0, len(content) if len(content) > size else 0, size)
    parts = (_tag(key, nonce, name, at, content[first : first + size]) for at, first in enumerate(firsts))
    return _tag(key, nonce, name, _WHOLE, content).hex(), b"".join(parts).hex()


def _bytes(array: npt.NDArray[Any]) -> memoryview:
    """The memory of an array."""
    return np.ascontiguousarray(array).reshape(-1).view(np.uint8).data if array.size else memoryview(b"")


class ComputedFolder:
    """The folder of computed files of one store. Who may not write here computes, and keeps nothing."""

    def __init__(self, folder: Path, key_file: Path, mode: int = OWNER) -> None:
        self.folder = folder
        self.key_file = key_file
        self.mode = mode
        self._key: bytes | None = None
        self._opened: dict[str, tuple[tuple[int, ...], Computed]] = {}
        self.shared: dict[str, tuple[Point, Any]] = {}  # what was opened of each kind, and as of which entry
        self._known: tuple[Point | None, dict[Any, Any]] = (None, {})
        self.rows_written = 0  # by this process, which what is computed lies behind

    def known_at(self, point: Point) -> dict[Any, Any]:
        """What was worked out of the state after an entry and may be asked for again, by what it is."""
        known = self._known
        if known[0] != point:
            self._known = known = (point, {})
        return known[1]  # not what another thread has put there meanwhile, which may be of another entry

    def file(self, name: str) -> Path:
        return self.folder / name

    def open(self, name: str) -> Computed | None:
        """A file that is there and of this form; None where there is none. Raises DamagedError where it was altered."""
        try:
            descriptor = os.open(self.file(name), os.O_RDONLY | os.O_CLOEXEC)
        except OSError:  # none there, or none that may be read: it is made anew
            return None
        state = os.fstat(descriptor)
        mark = (state.st_dev, state.st_ino, state.st_size, state.st_mtime_ns)
        before = self._opened.get(name)
        if before is not None and before[0] == mark:  # what was checked of it is not read once more
            os.close(descriptor)
            return before[1]
        try:
            found = self._described(name, descriptor)
        except DamagedError:
            os.close(descriptor)
            raise
        if found is None:
            os.close(descriptor)
        else:
            self._opened[name] = (mark, found)
        return found

    def _described(self, name: str, descriptor: int) -> Computed | None:
        """The file that is open, if its description is what was written."""
        try:
            data = memoryview(mmap.mmap(descriptor, 0, access=mmap.ACCESS_READ))
        except (OSError, ValueError):  # an empty one
            return None
        key = self._secret()
        if key is None or data[: len(_MAGIC)] != _MAGIC[: len(data)]:  # of another form
            return None
        size = int.from_bytes(data[-_TAIL : -_TAIL + 8], "big")
        if len(data) < len(_MAGIC) + _TAIL or size > len(data) - _TAIL - len(_MAGIC):
            raise DamagedError(self.file(name))
        text = bytes(data[len(data) - _TAIL - size : len(data) - _TAIL])
        if not hmac.compare_digest(hashlib.blake2b(text, key=key, digest_size=32).digest(), bytes(data[-32:])):
            raise DamagedError(self.file(name))
        description = json.loads(text)
        if description["tag"]:
            content = data[len(_MAGIC) : len(data) - _TAIL - size]
            tag = _tag(key, bytes.fromhex(description["nonce"]), _ALL, _WHOLE, content)
            if not hmac.compare_digest(tag, bytes.fromhex(description["tag"])):
                raise DamagedError(self.file(name))
        point = Point(description["entry"], description["leaf"])
        return Computed(self.file(name), descriptor, point, data, description, key)

    def save(self, name: str, point: Point, arrays: Arrays, rest: Mapping[str, Any]) -> bool:
        """Writes a file. Whether it was written: another may be writing it, or nobody may."""
        key = self._secret(may_make=True)
        if key is None:
            return False
        nonce = os.urandom(16)
        with _written_aside(self.file(name), self.mode) as file:
            if file is None:
                return False
            file.write(_MAGIC)
            offset, locations = len(_MAGIC), []
            contents: list[bytes | memoryview] = []
            is_small = sum(it.nbytes for it in arrays.values()) <= thresholds.CHECKED_WHOLE
            for array_name, array in arrays.items():
                padding = bytes(-offset % _ALIGNED)
                whole = np.ascontiguousarray(array)
                offset += len(padding)
                content = _bytes(whole)
                tags = ("", "") if is_small else _tags(key, nonce, array_name, content)
                locations.append((array_name, whole.dtype.str, list(whole.shape), offset, *tags))
                file.write(padding)
                file.write(content)
                contents += [padding, content] if is_small else []
                offset += whole.nbytes
            description = {
                "entry": point.entry,
                "leaf": point.leaf,
                "nonce": nonce.hex(),
                "arrays": locations,
                "tag": _tag(key, nonce, _ALL, _WHOLE, b"".join(contents)).hex() if is_small else "",
            }
            text = json.dumps({**description, "rest": rest}).encode()
            tag_of_text = hashlib.blake2b(text, key=key, digest_size=32).digest()
            file.write(text + len(text).to_bytes(8, "big") + tag_of_text)
        return True

    def looked_over(self) -> dict[str, Point | None]:
        """Every file that is there, by name, with the entry that it belongs to; None where it was altered."""
        found: dict[str, Point | None] = {}
        for file in sorted(self.folder.iterdir()) if self.folder.is_dir() else ():
            if not file.is_file() or file.name.startswith(_ASIDE) or file.name.endswith(_NEW):
                continue
            try:
                computed = self.open(file.name)
                if computed is not None:
                    for name in computed:
                        computed.check(name)
                    found[file.name] = computed.point
            except DamagedError:
                found[file.name] = None
        return found

    def put_aside(self, name: str) -> Path:
        """Gives a file that was altered another name, under which it is kept and never used; that name."""
        for number in itertools.count(1):
            aside = self.folder / f"{_ASIDE}{number}-{name}"
            if not aside.exists():
                break
        with suppress(OSError):  # who may not write here leaves it to those who may
            self.file(name).rename(aside)
        return aside

    def keep(self, prefix: str, most: int) -> None:
        """Takes the oldest files of a prefix away, so that at most so many stay."""
        with suppress(OSError):
            files = sorted(self.folder.glob(f"{prefix}*"), key=lambda it: it.stat().st_mtime, reverse=True)
            for file in files[most:]:
                file.unlink(missing_ok=True)

    def _secret(self, may_make: bool = False) -> bytes | None:
        """The key that tags are made with; it lies with the signing key, for its owner alone."""
        if self._key is None:
            with suppress(OSError):
                if may_make and not self.key_file.exists():
                    aside = self.key_file.with_name(f"{self.key_file.name}.{os.getpid()}")
                    made(aside, self.mode)
                    aside.write_bytes(os.urandom(32))
                    with suppress(FileExistsError):
                        os.link(aside, self.key_file)  # whole, or not there
                    aside.unlink()
                key = self.key_file.read_bytes()
                self._key = key if len(key) == 32 else None
        return self._key


@contextmanager
def _written_aside(target: Path, mode: int) -> Iterator[IO[bytes] | None]:
    """A file that takes the place of `target` when it is all written; None where nobody may write, or another does."""
    aside = target.with_name(target.name + _NEW)
    with suppress(OSError):
        if not target.parent.exists():
            target.parent.mkdir(mode=folder_mode(mode), exist_ok=True)
            target.parent.chmod(folder_mode(mode))
    with suppress(OSError):
        if time.time() - aside.stat().st_mtime > _ABANDONED:
            aside.unlink()
    try:
        made(aside, mode)
        handle = os.open(aside, os.O_WRONLY)
    except OSError:  # what is computed only saves time: a command that cannot write it works all the same
        yield None
        return
    try:
        with os.fdopen(handle, "wb") as file:
            yield file
        aside.replace(target)
    except OSError:  # as above: the disk is full, say
        aside.unlink(missing_ok=True)
    except BaseException:
        aside.unlink(missing_ok=True)
        raise
