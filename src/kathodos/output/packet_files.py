"""The packets of a review written to a folder: of a large review by several processes, each some of the reviewers."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from pathlib import Path

import msgspec

from kathodos import thresholds
from kathodos.columns.processes import in_processes, process_count
from kathodos.output.files import file_name
from kathodos.output.packets import WORDS, PacketWriter
from kathodos.report.packets import packets, waiting_lines
from kathodos.review.lines import ReviewLines, find_review, reviews_in
from kathodos.review.packets import Seal
from kathodos.workspace.workspace import Workspace

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
        count = process_count(sum(waiting.values()), thresholds.PACKED_APART)
        if count == 1:
            return self.write_share(lines, files)
        shares = [{name: files[name] for name in share} for share in _shared_out(waiting, count)]
        return [seal for it in in_processes(_write_apart, [(self, share) for share in shares], count) for seal in it]

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
