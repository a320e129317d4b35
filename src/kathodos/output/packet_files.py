"""The packets of a review written to a folder: of a large review by several processes, each some of the reviewers."""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from datetime import datetime
from pathlib import Path

import msgspec

from kathodos.output.files import file_name
from kathodos.output.packets import WORDS, PacketWriter
from kathodos.report.packets import packets, waiting_lines
from kathodos.review.lines import ReviewLines, find_review, reviews_in
from kathodos.review.packets import Seal
from kathodos.workspace.workspace import Workspace

_LARGE = 20_000  # lines from which on they are shared out
_PROCESSES = 4
HTML, XLSX, BOTH = "html", "xlsx", "both"


class PacketFiles(msgspec.Struct, frozen=True):
    """What is written: of which workspace as of which ledger entry, which review, where, in which form, made when."""

    workspace: Path
    entry: int
    review: str
    folder: Path
    form: str
    issued: datetime

    def write(self, lines: ReviewLines, reviewers: Sequence[str] | None) -> list[Seal]:
        """Writes the packets of everybody who has lines to decide, or of some of them; their seals."""
        waiting, taken = waiting_lines(lines, reviewers), set[str]()
        files = {name: file_name(name, taken) for name in waiting}
        processors = min(os.cpu_count() or 1, _PROCESSES)
        if processors < 2 or sum(waiting.values()) < _LARGE:
            return self.write_share(lines, files)
        shares = _shared_out(waiting, processors)
        with ProcessPoolExecutor(len(shares), multiprocessing.get_context("spawn")) as pool:
            made = [pool.submit(_write_apart, self, {name: files[name] for name in share}) for share in shares]
            return [seal for it in made for seal in it.result()]

    def write_share(self, lines: ReviewLines, files: Mapping[str, str]) -> list[Seal]:
        """Writes the packets of some reviewers. `files`: for each the name of the file."""
        workspace = Workspace(self.workspace)
        key, writer, seals = workspace.keys.private(), PacketWriter(self.workspace / WORDS), []
        needs_reason = workspace.configuration.authority.needs_reason
        for packet in packets(lines, list(files), self.issued, needs_reason):
            seal, name = packet.seal.signed(key), files[packet.reviewer]
            seals.append(seal)
            if self.form in (HTML, BOTH):
                (self.folder / f"{name}.html").write_bytes(writer.page(packet, seal))
            if self.form in (XLSX, BOTH):
                (self.folder / f"{name}.xlsx").write_bytes(writer.workbook(packet, seal))
        return seals


def _write_apart(files: PacketFiles, names: Mapping[str, str]) -> list[Seal]:
    """As `write_share`, in a process of its own."""
    with Workspace(files.workspace).view(str(files.entry)) as view:
        lines = ReviewLines(view.catalogue, find_review(reviews_in(view.catalogue), files.review))
        return files.write_share(lines, names)


def _shared_out(waiting: Mapping[str, int], shares: int) -> list[list[str]]:
    """The reviewers in shares with about as many lines each."""
    loads, found = [0] * shares, [list[str]() for _ in range(shares)]
    for name, count in sorted(waiting.items(), key=lambda it: (-it[1], it[0])):
        at = loads.index(min(loads))
        loads[at] += count
        found[at].append(name)
    return [it for it in found if it]
