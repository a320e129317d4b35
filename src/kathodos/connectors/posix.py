"""Sources of the kind `posix`: users and groups, and a folder tree with its modes and ACLs.

The tree is read here, or from a dump made elsewhere by `getfacl -R` (the long text form of POSIX.1e draft 17). Symbolic
links are not followed. A dump does not say what is a folder: what others lie below, or what has default entries.
"""

from __future__ import annotations

import os
import re
import stat
import zlib
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path, PurePosixPath

import msgspec
from msgspec.structs import replace

from kathodos.connectors.mapping import Reading, Table, digest_of_tables, unreadable
from kathodos.connectors.posix_tree import EXECUTE, Access, columns_of, read_access
from kathodos.connectors.settings import Settings, Source
from kathodos.errors import DataError
from kathodos.formats.raw import NOTED, Problem, shown
from kathodos.model.carried import carried
from kathodos.model.kinds import GATHERED
from kathodos.model.references import reference_to

_KEYS = ("guard", "system", "tree", "dump", "passwd", "group", "administrators")
_BITS = {"r": 4, "w": 2, "x": 1}
_ESCAPED = re.compile(rb"\\(\\|[0-7]{3})")
_ENTRY = re.compile(
    rb"(?P<default>default:)?(?P<kind>user|group|mask|other):(?P<name>.*?):(?P<marks>[r-][w-][x-])(?:\s*#effective:.*)?\s*\Z",
    re.DOTALL,
)
_LONGEST_NUMBER = 10  # digits of the number of a user or a group


class Users(msgspec.Struct, frozen=True):
    """Users and groups by number, and the members of each group, primary ones included."""

    users: Mapping[int, str]
    groups: Mapping[int, str]
    members: Mapping[int, Sequence[int]]


def place(source: Source) -> str:
    """The tree, or the dump."""
    settings = source.settings
    return settings.text("tree", "") or settings.text("dump")


def glance(source: Source, mark: str) -> str:
    """Nothing: a tree has to be walked."""
    return ""


def read(source: Source, mark: str) -> Reading:
    """Who may do what in a tree."""
    settings = source.settings
    settings.only(*_KEYS)
    problems: list[Problem] = []
    users = _users(settings)
    if "dump" in settings.values:
        files = _dumped(settings.path("dump"), users, problems)
    else:
        files = _walked(settings.path("tree"), problems)
    system = settings.text("system")
    columns = columns_of(system, files, users.users, users.groups, users.members)
    for name in settings.texts("administrators"):
        if name not in users.groups.values():
            raise settings.expected(f"administrators = groups that there are, not {name}")
        given = {"holder": reference_to("group", system, name), "gives": f"* {system}:/**", "on": None, "tier": "-1"}
        for column, value in given.items():
            columns["grants"][column].append(value)
    tables = [Table.of_cells(kind, place(source), columns[kind.name]) for kind in GATHERED if kind.name in columns]
    tables = [replace(table, once=True) for table in tables]
    return Reading(tables, problems, digest_of_tables(tables))


# Users and groups


def _users(settings: Settings) -> Users:
    """The users and groups of a pair of files, or of the running system."""
    if "passwd" in settings.values or "group" in settings.values:
        people = [(line[0], int(line[2]), int(line[3])) for line in _lines(settings.path("passwd"), 7, (2, 3))]
        groups = [(line[0], int(line[2]), line[3].split(",")) for line in _lines(settings.path("group"), 4, (2,))]
    else:
        import grp
        import pwd

        people = [(carried(it.pw_name), it.pw_uid, it.pw_gid) for it in pwd.getpwall()]
        groups = [(carried(it.gr_name), it.gr_gid, [carried(name) for name in it.gr_mem]) for it in grp.getgrall()]
    users: dict[int, str] = {}
    for name, user, _ in people:
        users.setdefault(user, name)
    number = {name: user for name, user, _ in people}
    names: dict[int, str] = {}
    members: dict[int, list[int]] = {}
    for name, group, inside in groups:
        names.setdefault(group, name)
        members.setdefault(group, []).extend(number[it] for it in inside if it in number)
    for _, user, group in people:
        names.setdefault(group, f"gid:{group}")  # one that has no line; no name in a file of groups has a colon
        members.setdefault(group, []).append(user)
    return Users(users, names, {group: sorted(set(inside)) for group, inside in members.items()})


def _lines(path: Path, width: int, numbers: Sequence[int]) -> Iterator[list[str]]:
    """The lines of a file of colon-separated fields. Raises DataError with the line where one is none."""
    try:
        text = path.read_bytes().decode("utf-8", "surrogateescape")
    except OSError as error:
        raise unreadable(path, error) from error
    for number, line in enumerate(text.split("\n"), 1):
        if line.strip() and not line.startswith(("#", "+", "-")):
            parts = [carried(part) for part in line.removesuffix("\r").split(":")]
            if len(parts) < width or not all(_is_number(parts[at]) for at in numbers):
                what = f"{path}, line {number}: expected {width} fields with colons between them."
                raise DataError(what, "Nothing was changed; copy the file anew.")
            yield parts


def _is_number(text: str) -> bool:
    """Whether a text is the number of a user or a group."""
    return text.isascii() and text.isdecimal() and len(text) <= _LONGEST_NUMBER


# Files


def _walked(top: Path, problems: list[Problem]) -> Iterator[Access]:
    """The access of every file and folder of a tree; one that went or changed its kind meanwhile is noted."""
    if not top.is_dir() or top.is_symlink():
        raise DataError(f"{top} is no folder.", "Name the top of a folder tree; a link is not followed.")
    rest = [top]
    while rest:
        file = rest.pop()
        try:
            mode = os.lstat(file).st_mode
            if stat.S_ISLNK(mode):
                continue
            yield read_access(top, file)
            if stat.S_ISDIR(mode):
                with os.scandir(file) as inside:
                    rest += sorted((Path(entry.path) for entry in inside), reverse=True)
        except OSError as error:
            if file == top:
                raise unreadable(top, error) from error
            reason = "went while the tree was read" if isinstance(error, FileNotFoundError) else f"{error.strerror}"
            name = os.fsencode(file).decode("utf-8", "replace")
            remedy = "Gather again, or as somebody who may read it."
            problems.append(Problem(str(top), 0, "", shown(name), reason, remedy, NOTED))


def _dumped(path: Path, users: Users, problems: list[Problem]) -> Iterator[Access]:
    """The access of every file in a dump of ACLs in their textual form."""
    number_of = {name: number for number, name in users.users.items()}
    group_of = {name: number for number, name in users.groups.items()}
    try:
        with path.open("rb") as file:
            folders = {parent for raw in file if raw.startswith(b"# file:") for parent in _above(raw)}
            file.seek(0)
            for line, block in _blocks(file):
                try:
                    access = _access(block, number_of, group_of)
                    yield replace(access, is_folder=True) if hash(access.path) in folders else access
                except (ValueError, KeyError) as error:
                    remedy = "Write the dump anew: getfacl -R -p TOP."
                    text = shown(block[0].decode("utf-8", "replace"))
                    reason = f"has no {error}" if isinstance(error, KeyError) else str(error)
                    problems.append(Problem(path.name, line, "", text, reason, remedy))
    except OSError as error:
        raise unreadable(path, error) from error


def _above(line: bytes) -> Iterator[int]:
    """The folder that the file of a block's first line lies in, as a hash of its path."""
    path = _path(_unescaped(line.rstrip(b"\r\n").removeprefix(b"# file: ")))
    if path:
        yield hash(path[:-1])


def _path(text: str) -> tuple[str, ...]:
    return tuple(part for part in PurePosixPath(text).parts if part not in ("/", "."))


def _blocks(file: Iterator[bytes]) -> Iterator[tuple[int, list[bytes]]]:
    block: list[bytes] = []
    begin = 0
    for number, raw in enumerate(file, 1):
        line = raw.rstrip(b"\r\n")
        if line:
            begin = begin if block else number
            block.append(line)
        elif block:
            yield begin, block
            block = []
    if block:
        yield begin, block


def _access(block: Sequence[bytes], users: Mapping[str, int], groups: Mapping[str, int]) -> Access:
    """One file's block of a dump."""
    given: dict[str, str] = {}
    entries: list[tuple[str, str, int]] = []
    has_defaults = False
    for raw in block:
        if raw.startswith(b"#"):
            name, _, value = raw.removeprefix(b"# ").partition(b": ")
            given[name.decode("ascii", "replace")] = _unescaped(value)
        else:
            found = _ENTRY.match(raw)
            if not found:
                raise ValueError(f"has the line {_unescaped(raw.strip())!r}, which is no ACL entry")
            if found["default"]:
                has_defaults = True
                continue
            named = carried(_unescaped(found["name"]))
            entries.append((found["kind"].decode(), named, sum(_BITS.get(chr(mark), 0) for mark in found["marks"])))
    plain = {kind: bits for kind, name, bits in entries if not name}
    of_users = {_number(name, users): bits for kind, name, bits in entries if kind == "user" and name}
    of_groups = {_number(name, groups): bits for kind, name, bits in entries if kind == "group" and name}
    if ".." in _path(given["file"]):
        raise ValueError("has a path that leads upward")
    mask = plain.get("mask")
    of_mode = [plain["user"], plain["group"] if mask is None else mask, plain["other"]]  # of which `ls` shows the bits
    if mask == 0:  # the kernel does not look at the ACL then
        of_users, of_groups, mask = {}, {}, None
        plain["group"] = 0
    return Access(
        path=_path(given["file"]),
        is_folder=has_defaults,
        owner=_number(carried(given["owner"]), users),
        group=_number(carried(given["group"]), groups),
        of_owner=plain["user"],
        of_group=plain["group"],
        of_others=plain["other"],
        of_users=of_users,
        of_groups=of_groups,
        mask=mask,
        is_executable=any(bits & EXECUTE for bits in of_mode),
    )


def _number(name: str, known: Mapping[str, int]) -> int:
    """The number of a user or group; a name that is not known stands for a number that nobody has."""
    if name in known:
        return known[name]
    return int(name) if _is_number(name) else -2 - zlib.crc32(name.encode("utf-8", "surrogatepass"))


def _unescaped(raw: bytes) -> str:
    def meant(found: re.Match[bytes]) -> bytes:
        return b"\\" if found[1] == b"\\" else bytes([int(found[1], 8) & 255])

    return _ESCAPED.sub(meant, raw).decode("utf-8", "surrogateescape")
