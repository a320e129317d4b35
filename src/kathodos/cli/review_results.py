"""The steps of `kathodos review` that tell what came of a review: overview, report."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from kathodos.cli.options import Commands, Formatter, command
from kathodos.cli.session import Session
from kathodos.errors import DataError

FIRST_PROGRAM = "0.1"  # whose proofs did not say it yet

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from kathodos.report.review_results import Result


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "count what is done and left, by reviewer, department, system, or what the evidence said"
    example = "  kathodos review overview autumn --by department\n  kathodos review overview autumn --by evidence"
    overview = command(steps, "overview", common, formatter, run_overview, what, example)
    overview.add_argument("name", nargs="?", metavar="NAME", help="which review (default: the one that is open)")
    ways = ("reviewer", "department", "system", "evidence")
    overview.add_argument("--by", choices=ways, default="department", help="what is counted by (default: department)")
    what = "write the result of a review that is signed off, exactly as it was, with the proof beside it"
    example = (
        "  kathodos review report autumn --out autumn-report\n  kathodos review report autumn --check autumn-report"
    )
    report = command(steps, "report", common, formatter, run_report, what, example)
    report.add_argument("name", metavar="NAME", help="which review")
    where = report.add_mutually_exclusive_group(required=True)
    where.add_argument(
        "--out", metavar="FOLDER", help="a new folder: a page, a workbook, a table, a PDF, and the proof"
    )
    where.add_argument("--check", metavar="FOLDER", help="look whether a report that lies here still is what it was")


def run_overview(session: Session) -> int:
    from kathodos.report.review_overview import review_overview

    asked = session.arguments
    return session.answer(review_overview(session.view, asked.name, asked.by))


def run_report(session: Session) -> int:
    from kathodos.output.files import new_folder
    from kathodos.output.review_results import PROOF, write_result
    from kathodos.report.review_results import report_checked, report_written

    asked = session.arguments
    result, proof_for = _result(session)
    if asked.check is not None:
        return session.answer(report_checked(asked.name, *_wrong(session, Path(asked.check), result, proof_for)))
    with new_folder(Path(asked.out)) as folder:
        digests = write_result(folder, result)
        (folder / PROOF).write_text(proof_for(digests), encoding="utf-8")
    return session.answer(report_written(result, asked.out, digests))


def _result(session: Session) -> tuple[Result, Callable[[Mapping[str, str]], str]]:
    """The result of the review that is named; and what makes the proof of files with some digests."""
    from kathodos.ledger.entries import entry_of
    from kathodos.ledger.proofs import proof_of
    from kathodos.report.review_results import entries_about, result_of, signing_entry
    from kathodos.review.lines import find_review, reviews_in

    name, view = session.arguments.name, session.view
    find_review(reviews_in(view.catalogue), name)
    last, reader = signing_entry(view.histories, name), view.histories.reader
    closing = next(entry_of(row) for row in reader.entries() if row.number == last)
    key = session.workspace.keys.private()

    def proof_for(digests: Mapping[str, str]) -> str:
        numbers = entries_about(reader, name, last)
        return proof_of(reader, f"review:{name}", numbers, last, digests, key).text()

    return result_of(session.view_of(str(last)), name, closing), proof_for


def _wrong(
    session: Session, folder: Path, result: Result, proof_for: Callable[[Mapping[str, str]], str]
) -> tuple[list[str], str]:
    """What in a folder is not as the report of a review is, in words; and the version that made it, where not this."""
    import tempfile

    from kathodos.ledger.proofs import Proof
    from kathodos.output.review_results import PROOF, differing_lines, digests_in, write_result
    from kathodos.version import __version__

    try:
        kept = (folder / PROOF).read_bytes()
        proof = msgspec.json.decode(kept, type=Proof)
        held = digests_in(folder)
    except OSError as error:
        raise DataError(f"{error.filename} cannot be read: {error.strerror}.", "Name the folder of a report.") from None
    except (msgspec.MsgspecError, RecursionError) as error:
        raise DataError(f"{folder / PROOF} is no proof: {error}.", "Name the folder of a report.") from None
    found = proof.wrong(session.workspace.keys.public())
    names = sorted({*proof.files, *held})
    found += [f"{name} is not what the proof says" for name in names if proof.files.get(name) != held.get(name)]
    with tempfile.TemporaryDirectory() as made:
        again = write_result(Path(made), result)
        if proof.program != __version__:  # of another version, which may show the same otherwise
            return found + differing_lines(folder, Path(made)), proof.program or FIRST_PROGRAM
    found += [f"{name} is not what is made anew" for name in sorted(again) if again[name] != held.get(name)]
    if not found and kept != proof_for(again).encode():
        found.append("the proof is not what is made anew")
    return found, ""
