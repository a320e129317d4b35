"""A file tree's system calls as uses: what a process read, wrote, executed and searched there (path_resolution(7)).

Opening says how: a file that is opened to be read is read, whatever comes of it. Making, renaming or taking away a name
writes the folder that it is in. Whoever asks about a file searches the folder. What a process makes itself is its own,
and no use. A call that the system refuses for lack of permission is told apart.
"""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import UTC, datetime, timedelta
from pathlib import Path

import msgspec

from kathodos.connectors.mapping import Table
from kathodos.connectors.recordings import Recording
from kathodos.connectors.settings import Source
from kathodos.errors import DataError
from kathodos.formats.raw import Problem
from kathodos.formats.system_calls import Call, named_in, read_calls
from kathodos.model.addresses import address_of
from kathodos.model.carried import carried
from kathodos.model.kinds import ACTIVITY
from kathodos.model.times import time_text

_HERE = b"AT_FDCWD"
_REFUSALS = ("EACCES", "EPERM")
_ASKING = (
    "stat",
    "lstat",
    "newfstatat",
    "statx",
    "readlink",
    "readlinkat",
    "access",
    "faccessat",
    "faccessat2",
    "statfs",
)
_NAMING = ("mkdir", "mkdirat", "mknod", "mknodat", "unlink", "unlinkat", "rmdir", "symlink", "symlinkat")
_RENAMING = ("rename", "renameat", "renameat2", "link", "linkat")
_OPENING = ("open", "openat", "openat2", "creat")
_EXECUTING = ("execve", "execveat")
_OF_OWNERS = ("chmod", "fchmodat", "chown", "lchown", "fchownat", "setxattr", "lsetxattr", "removexattr", "utimensat")
_FORKING = ("clone", "clone3", "fork", "vfork")
_WAYS: Mapping[
    str, Sequence[tuple[int | None, int]]
] = {  # by call: the positions of each path, and of the descriptor of the folder that it is in
    "symlink": ((None, 1),),
    "symlinkat": ((1, 2),),
    **dict.fromkeys(("renameat", "renameat2", "linkat"), ((0, 1), (2, 3))),
    **dict.fromkeys(("rename", "link"), ((None, 0), (None, 1))),
    **dict.fromkeys(("newfstatat", "statx", "readlinkat", "faccessat", "faccessat2", "mkdirat", "mknodat"), ((0, 1),)),
    **dict.fromkeys(("unlinkat", "openat", "openat2", "execveat", "fchmodat", "fchownat", "utimensat"), ((0, 1),)),
}
_Use = tuple[str, str, str]  # when, what is done, on which path


class _Process(msgspec.Struct):
    """Where a process is, and what its descriptors stand for, as far as the log tells."""

    here: str | None = None
    opened: dict[int, str] = msgspec.field(default_factory=dict)


def read_recording(path: Path, source: Source, knows: Callable[[str], bool]) -> Recording:
    """The uses of a tree's files in a log of system calls. `knows`: whether there is a resource at an address.

    Raises DataError where the log says nothing of the tree.
    """
    settings = source.settings
    top = str(settings.path("tree").resolve()) if "tree" in settings.values else "/"
    reader = _Reader(settings.text("system"), top, knows, datetime.fromtimestamp(path.stat().st_mtime, UTC))
    problems: list[Problem] = []
    count = 0
    for call in read_calls(path, problems):
        count += 1
        reader.take(call)
    if not reader.uses and not reader.refused:
        what = f"{path.name} has {count:,} calls, none of a file at or below {top}."
        raise DataError(what, "Record what works on the tree: strace -f -y -ttt -o FILE COMMAND")
    passed = [
        (f"calls outside {top}", reader.outside),
        ("uses of files that the task made itself", reader.of_its_own),
        ("calls that only the owner of a file may make", reader.of_owners),
        ("relative paths of which the log does not say where they begin", reader.nowhere),
    ]
    refused = _table(path.name, reader.refused) if reader.refused else None
    return Recording(_table(path.name, reader.uses), problems, refused, passed_over=[it for it in passed if it[1]])


def _table(file: str, uses: Sequence[_Use]) -> Table:
    times, actions, resources = zip(*uses, strict=True) if uses else ((), (), ())
    return Table.of_cells(ACTIVITY, file, {"time": times, "action": actions, "resource": resources})


class _Reader:
    """Follows the processes of a log, and notes what they did in a tree."""

    def __init__(self, system: str, top: str, knows: Callable[[str], bool], day: datetime) -> None:
        self.system = system
        self.top = top
        self.knows = knows
        self.day = day
        self.uses: list[_Use] = []
        self.refused: list[_Use] = []
        self.outside = self.of_its_own = self.of_owners = self.nowhere = 0
        self._made: set[str] = set()
        self._processes: dict[int, _Process] = {}
        self._last = _Process()

    def take(self, call: Call) -> None:
        """Notes one call."""
        process = self._processes.setdefault(call.process, _Process(self._last.here, dict(self._last.opened)))
        self._last = process
        if call.name in _FORKING and call.result.isdigit():
            child = _Process(process.here, dict(process.opened))
            self._processes[int(call.result)] = process if b"CLONE_FS" in b"".join(call.arguments) else child
        elif call.name == "close" and call.arguments:
            process.opened.pop(_number(call.arguments[0]), None)
        elif call.name in ("dup", "dup2", "dup3") and not call.error:
            known = process.opened.get(_number(call.arguments[0]))
            if known is not None:
                process.opened[_number(call.result)] = known
        elif call.name in ("chdir", "fchdir"):
            self._change_folder(call, process)
        elif call.name in (*_ASKING, *_NAMING, *_RENAMING, *_OPENING, *_EXECUTING, *_OF_OWNERS, "truncate"):
            self._take_paths(call, process)

    def _change_folder(self, call: Call, process: _Process) -> None:
        if call.name == "chdir":
            path = self._path(call, process, None, 0)
        else:
            path = named_in(call.arguments[0]) or process.opened.get(_number(call.arguments[0]))
        if path is not None:
            self._note(call, [("search", path)])
            if not call.error:
                process.here = path

    def _take_paths(self, call: Call, process: _Process) -> None:
        paths = [self._path(call, process, *at) for at in _WAYS.get(call.name, ((None, 0),))]
        if None in paths:
            self.nowhere += 1
            return
        (path, *more) = (str(it) for it in paths)
        if call.name in _ASKING:
            self._note(call, [("search", posixpath.dirname(path))])
        elif call.name in _OPENING:
            self._open(call, process, path)
        elif call.name in _EXECUTING:
            self._note(call, [("execute", path)])
        elif call.name == "truncate":
            self._note(call, [("write", path)])
        elif call.name in _OF_OWNERS:
            self.of_owners += self._address(path) is not None
        else:
            self._rename(call, path, more)

    def _rename(self, call: Call, path: str, more: Sequence[str]) -> None:
        """A name that is made, taken away or changed: the folders that it is in are written."""
        names = more if call.name in ("link", "linkat") else [path, *more]
        self._note(call, [pair for name in names for pair in _written(posixpath.dirname(name))])
        if call.error:
            return
        if call.name.startswith(("mk", "symlink")):
            self._made.add(path)
        elif more and (call.name.startswith("link") or path in self._made):
            self._made.add(more[0])

    def _open(self, call: Call, process: _Process, path: str) -> None:
        flags = next((it for it in call.arguments if it.startswith((b"O_", b"{flags=O_"))), b"O_RDONLY")
        if call.name == "creat":
            flags = b"O_WRONLY|O_CREAT|O_TRUNC"
        if not call.error:
            process.opened[_number(call.result)] = named_in(call.result) or path
            path = named_in(call.result) or path
        makes = b"O_CREAT" in flags and (b"O_EXCL" in flags or not self._is_known(path))
        if makes and (self._address(path) is not None):
            self._note(call, list(_written(posixpath.dirname(path))))
            if not call.error:
                self._made.add(path)
            return
        if b"O_PATH" in flags:
            self._note(call, [("search", posixpath.dirname(path))])
            return
        does = ["write"] if b"O_WRONLY" in flags else ["read", "write"] if b"O_RDWR" in flags else ["read"]
        does += ["write"] if b"O_TRUNC" in flags and "write" not in does else []
        self._note(call, [(action, path) for action in does])

    def _is_known(self, path: str) -> bool:
        address = self._address(path)
        return address is not None and self.knows(address)

    def _note(self, call: Call, done: Sequence[tuple[str, str]]) -> None:
        """Notes uses, or tries that were refused; what failed for another reason is neither."""
        for action, path in done:
            address = self._address(path)
            if address is None:
                self.outside += 1
            elif path in self._made:
                self.of_its_own += 1
            elif not call.error:
                self.uses.append((self._time(call), action, address))
            elif call.error in _REFUSALS:
                self.refused.append((self._time(call), action, address))

    def _path(self, call: Call, process: _Process, folder: int | None, at: int) -> str | None:
        """The whole path that a call names; None where the log does not say where it begins."""
        text = call.text(at)
        if text is None:
            return None
        if text.startswith("/"):
            return posixpath.normpath(text)
        start = process.here
        if folder is not None:
            given = call.arguments[folder]
            known = named_in(given)
            if given.startswith(_HERE):
                start = process.here = known or process.here
            else:
                start = known or process.opened.get(_number(given))
        return posixpath.normpath(posixpath.join(start, text)) if start is not None else None

    def _address(self, path: str) -> str | None:
        """The address of a path; None where it is not in the tree."""
        if path != self.top and not path.startswith(self.top.rstrip("/") + "/"):
            return None
        parts = [carried(part) for part in path[len(self.top) :].split("/") if part]
        return address_of(self.system, parts)

    def _time(self, call: Call) -> str:
        """When a call was made: as the log says, with the day of the file where it says no day."""
        if not call.time:
            return time_text(self.day.replace(microsecond=0))
        if ":" in call.time:
            hours, minutes, seconds = call.time.split(":")
            midnight = self.day.replace(hour=0, minute=0, second=0, microsecond=0)
            return time_text(midnight + timedelta(hours=int(hours), minutes=int(minutes), seconds=float(seconds)))
        return time_text(datetime.fromtimestamp(float(call.time), UTC))


def _written(folder: str) -> Iterator[tuple[str, str]]:
    """What changing a name needs on the folder that it is in."""
    yield "write", folder
    yield "search", folder


def _number(argument: bytes) -> int:
    """The number of a descriptor; -1 where it is none."""
    number = argument.partition(b"<")[0].strip()
    return int(number) if number.isdigit() else -1
