"""The steps of `kathodos request` for approvers without a terminal: packets handed out, answers taken in."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from kathodos.cli.options import Commands, Formatter, acting, command
from kathodos.cli.review_packets import files_named
from kathodos.cli.session import Session
from kathodos.errors import CallError, DataError

if TYPE_CHECKING:
    from collections.abc import Iterator

    from kathodos.ledger.actors import Actor
    from kathodos.report.notices import Told
    from kathodos.report.request_packets import NotTaken
    from kathodos.request.answering import TakeDecision
    from kathodos.request.deciding import Answered
    from kathodos.request.records import Request
    from kathodos.review.answering import Given
    from kathodos.review.packets import LineAnswer
    from kathodos.workspace.view import View


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "make a page for each approver without a terminal, with what waits for them; it opens in any browser"
    example = "  kathodos request packets --out to-decide --reason 'the week of 6 July'"
    packets = command(steps, "packets", common, formatter, run_packets, what, example)
    packets.add_argument("--out", metavar="FOLDER", required=True, help="a new folder for the files")
    packets.add_argument("--approver", nargs="+", metavar="WHO", help="only for these approvers")
    form = "a page (the default), a workbook with the same content, or both"
    packets.add_argument("--form", choices=("html", "xlsx", "both"), default="html", help=form)
    acting(packets)
    what = "take in the answers that packets saved, or workbooks that were filled in"
    example = "  kathodos request take answers-Requests-to-decide-p0101.json"
    taking = command(steps, "take", common, formatter, run_take, what, example)
    taking.add_argument("files", nargs="+", metavar="FILE", help="the files that came back; of a folder all in it")
    taking.add_argument("--dry-run", action="store_true", help="say what would be taken, and take nothing")
    acting(taking)


def run_packets(session: Session) -> int:
    from kathodos.model.times import now
    from kathodos.output.files import file_name, new_folder
    from kathodos.output.packets import WORDS, PacketWriter
    from kathodos.report.request_packets import request_packets, request_packets_made
    from kathodos.request.answering import IssueRequests

    asked, view, workspace = session.arguments, session.view, session.workspace
    only = [workspace.acting(it).among(view.stored).name for it in asked.approver] if asked.approver else None
    key, writer, seals, taken = workspace.keys.private(), PacketWriter(workspace.folder / WORDS), [], set[str]()
    with new_folder(Path(asked.out)) as folder:
        for packet in request_packets(view, only, now()):
            seal, name = packet.seal.signed(key), file_name(packet.reviewer, taken)
            seals.append(seal)
            if asked.form in ("html", "both"):
                (folder / f"{name}.html").write_bytes(writer.page(packet, seal))
            if asked.form in ("xlsx", "both"):
                (folder / f"{name}.xlsx").write_bytes(writer.workbook(packet, seal))
        if not seals:
            raise CallError("No request waits for anybody.", "See kathodos request status.")
        session.carry_out(IssueRequests(seals))  # whoever may not is refused here
    return session.answer(request_packets_made(seals, asked.out))


def run_take(session: Session) -> int:
    from kathodos.cli.telling import Delivery
    from kathodos.connectors.answers import read_answers
    from kathodos.report.request_packets import NotTaken, requests_taken

    files = files_named(session.arguments.files)
    counts: dict[str, int] = {}
    refused: list[NotTaken] = []
    told: list[Told] = []
    for file in files:
        try:
            given = read_answers(file)
        except DataError as error:
            if len(files) == 1:
                raise
            refused.append(NotTaken(str(file), 0, error.what.removesuffix(".")))
            continue
        refused += _taken(session, given, counts, told)
    is_done = not session.arguments.dry_run
    lines = Delivery(session).tell(told) if told and is_done else []
    return session.answer(requests_taken(counts, refused, lines, is_done))


def _taken(session: Session, given: Given, counts: dict[str, int], told: list[Told]) -> Iterator[NotTaken]:
    """Takes one file of answers, each answer by itself; gives what is refused."""
    from kathodos.report.request_packets import NotTaken
    from kathodos.request.answering import entry_of

    seal, why = given.answers.seal, ""
    if not seal.is_ours(session.workspace.keys.public()) or entry_of(seal) < 0:
        why = "it does not answer a packet of requests that was made here"
    elif given.answers.digest != seal.digest:
        why = "what the packet showed was altered before it was answered; make a new one"
    if why:
        yield NotTaken(given.file, 0, why)
        return
    seen: set[int] = set()
    for answer in given.answers.answers:
        try:
            if answer.line in given.wrong:
                raise CallError(given.wrong[answer.line])
            if answer.line in seen:
                raise CallError("it is answered twice")
            seen.add(answer.line)
            if answer.decision:
                what = _take(session, seal.reviewer, entry_of(seal), answer, told)
                counts[what] = counts.get(what, 0) + 1
        except CallError as error:
            what = error.what.removesuffix(".")
            yield NotTaken(given.file, answer.line, f"{what[:1].lower()}{what[1:]}")


def _take(session: Session, approver: str, entry: int, answer: LineAnswer, told: list[Told]) -> str:
    """Takes one answer, and says what was done. Raises CallError where it does not fit any more."""
    from kathodos.report.notices import of_deciding, of_remark
    from kathodos.request.answering import REPEATED, TakeRemark, was_taken
    from kathodos.request.asking import must_be_open
    from kathodos.request.deciding import Answered, step_of
    from kathodos.request.records import Sort, find_request, steps_of
    from kathodos.review.answering import must_be_plain

    workspace, terms = session.workspace, session.workspace.configuration.request_terms
    must_be_plain(answer)
    view = session.view_of(None)
    request = find_request(view.stored, answer.line)
    actor = workspace.acting(approver).among(view.stored)
    steps = steps_of(view.stored, [request.number])[request.number]
    if was_taken(view.stored, request, steps, actor, answer):
        return REPEATED
    must_be_open(request)
    step_of(view.stored, request, steps, actor, terms.authority, workspace.acting)
    if answer.decision == "ask":
        remark = TakeRemark(request.number, Sort.QUESTION, answer.say, terms, actor)
        view.plan(remark, session.said_actor, session.reason)
        if not session.arguments.dry_run:
            session.carry_out(remark)
            told += of_remark(view.catalogue, request, "question", [])
        return answer.decision
    operation = _decision(session, view, request, actor, Answered(approver, answer.reason.strip(), entry), answer)
    if session.arguments.dry_run:
        view.plan(operation, session.said_actor, session.reason)
        return answer.decision
    done = session.carry_out(operation).result
    if answer.say.strip():
        session.carry_out(TakeRemark(request.number, Sort.COMMENT, answer.say, terms, actor))
    told += of_deciding(view.catalogue, done)
    return answer.decision


def _decision(
    session: Session, view: View, request: Request, actor: Actor, said: Answered, answer: LineAnswer
) -> TakeDecision:
    """What an answer decides. Raises CallError where it decides nothing, or the request is not what it was."""
    from kathodos.model.times import normal_moment
    from kathodos.request.answering import TakeDecision
    from kathodos.request.deciding import DENY, GRANT, must_be_unchanged
    from kathodos.request.records import Less
    from kathodos.workspace.requests import trial

    terms, acting_by, less = session.workspace.configuration.request_terms, session.workspace.acting, Less()
    if answer.decision == DENY:
        return TakeDecision(request.number, DENY, terms, acting_by, answer=said)
    if answer.decision not in (GRANT, "shorten"):
        raise CallError(f"a request cannot be decided with {answer.decision!r}", "")
    if answer.decision == "shorten":
        try:
            less = Less(normal_moment(answer.until))
        except ValueError:
            raise CallError(f"{answer.until!r} is no day until which it could last", "") from None
    must_be_unchanged(view.stored, request, said.entry)
    found = trial(view, request, less, actor)
    against = found.evidence.speaks_against
    return TakeDecision(request.number, GRANT, terms, acting_by, less, found.rehearsed, against, "", said)
