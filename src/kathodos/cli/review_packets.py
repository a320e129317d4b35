"""The steps of `kathodos review` for reviewers without a terminal: packets, take."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from kathodos.cli.options import Commands, Formatter, acting, command
from kathodos.cli.session import Session
from kathodos.errors import CallError, DataError

if TYPE_CHECKING:
    from kathodos.review.answering import Given, Refused, Taken

_TOGETHER = 2000  # files of answers that are taken in one transaction


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    _add_packets(steps, common, formatter)
    _add_take(steps, common, formatter)


def _add_packets(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "make a packet for each reviewer: one page that opens in any browser, and answers without a server"
    example = (
        "  kathodos review packets autumn --out packets\n"
        "  kathodos review packets autumn --reviewer p0101 --form xlsx --out workbooks"
    )
    packets = command(steps, "packets", common, formatter, run_packets, what, example)
    packets.add_argument("name", nargs="?", metavar="NAME", help="which review (default: the one that is open)")
    packets.add_argument("--out", metavar="FOLDER", required=True, help="a new folder for the files")
    packets.add_argument("--reviewer", nargs="+", metavar="WHO", help="only for these reviewers")
    form = "a page (the default), a workbook with the same content, or both"
    packets.add_argument("--form", choices=("html", "xlsx", "both"), default="html", help=form)
    acting(packets)


def _add_take(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "take in the answers that packets saved, or workbooks that were filled in"
    example = "  kathodos review take answers-autumn-p0101.json\n  kathodos review take returned/*.json --dry-run"
    taking = command(steps, "take", common, formatter, run_take, what, example)
    taking.add_argument("files", nargs="+", metavar="FILE", help="the files that came back; of a folder all in it")
    taking.add_argument("--dry-run", action="store_true", help="say what would be taken, and take nothing")
    acting(taking)


def run_packets(session: Session) -> int:
    from kathodos.model.times import now
    from kathodos.output.files import new_folder
    from kathodos.output.packet_files import PacketFiles
    from kathodos.report.packets import packets_made
    from kathodos.review.answering import IssuePackets
    from kathodos.review.lines import OPEN, ReviewLines, find_review, reviews_in

    asked, view = session.arguments, session.view
    lines = ReviewLines(view.catalogue, find_review(reviews_in(view.catalogue), asked.name))
    review, only = lines.review, None
    if review.state != OPEN:
        raise CallError(f"{review.name} is signed off; nothing is left to be decided.", "Open a new review.")
    if asked.reviewer:
        only = [session.workspace.acting(it).among(view.stored).name for it in asked.reviewer]
    with new_folder(Path(asked.out)) as folder:
        files = PacketFiles(session.workspace.folder, view.point.entry, review.name, folder, asked.form, now())
        seals = files.write(lines, only)
        if not seals:
            raise CallError(f"Nobody has a line of {review.name} left to decide.", "See kathodos review status.")
        session.carry_out(IssuePackets(review.name, seals))  # whoever may not is refused here
    return session.answer(packets_made(review.name, seals, asked.out))


def run_take(session: Session) -> int:
    from kathodos.report.packets import answers_taken
    from kathodos.review.answering import Refused
    from kathodos.review.lines import reviews_in

    known = {it.name for it in reviews_in(session.view.catalogue)}
    files = files_named(session.arguments.files)
    taken, unread = [], []
    for first in range(0, len(files), _TOGETHER):
        by_review, wrong = _read(files[first : first + _TOGETHER], is_alone=len(files) == 1)
        unread += wrong
        for review, some in by_review.items():
            if review in known:
                taken.append(_taken(session, review, some))
            else:
                unread += [Refused(it.file, 0, f"there is no review {review} here") for it in some]
    return session.answer(answers_taken(taken, unread, is_done=not session.arguments.dry_run))


def _read(files: list[Path], is_alone: bool) -> tuple[dict[str, list[Given]], list[Refused]]:
    """What some files answer, by review. Of several, those that hold no answers are refused; one alone is an error."""
    from kathodos.connectors.answers import read_answers
    from kathodos.review.answering import Refused

    found: dict[str, list[Given]] = {}
    refused = []
    for file in files:
        try:
            given = read_answers(file)
        except DataError as error:
            if is_alone:
                raise
            refused.append(Refused(str(file), 0, error.what.removesuffix(".")))
            continue
        found.setdefault(given.answers.seal.review, []).append(given)
    return found, refused


def _taken(session: Session, review: str, some: list[Given]) -> Taken:
    """Takes some files of answers to one review in one transaction, or says what would be taken."""
    from kathodos.review.answering import TakeAnswers

    workspace = session.workspace
    needs_reason = workspace.configuration.authority.needs_reason
    taking = TakeAnswers(review, some, workspace.keys.public(), needs_reason, workspace.acting)
    if session.arguments.dry_run:
        return session.view.plan(taking, session.actor, session.reason)[1]
    return session.carry_out(taking).result


def files_named(words: list[str]) -> list[Path]:
    """The files that are meant; of a folder all that it holds."""
    found: list[Path] = []
    for word in words:
        path = Path(word)
        found += sorted(it for it in path.iterdir() if it.is_file()) if path.is_dir() else [path]
    if not found:
        raise CallError("There is no file in that folder.", "Name the files that came back.")
    return found
