"""Stores in words: what was made, what was copied, and whether what protects one is in force."""

from __future__ import annotations

from typing import TYPE_CHECKING

from msgspec.structs import asdict

from kathodos.errors import Status
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field

if TYPE_CHECKING:
    from kathodos.ledger.upgrading import BroughtUp
    from kathodos.ledger.verify import Verification
    from kathodos.store.base import Store
    from kathodos.store.copying import Copied
    from kathodos.store.postgres_setup import Check
    from kathodos.workspace.stores import StoreUpgrade
    from kathodos.workspace.workspace import Workspace

_CHECKS = (
    Field("holds", "Holds", 9, least=5),
    Field("what", "What has to hold", 9, least=24),
    Field("found", "Found", 6, least=16),
)
_WIDTH = 16  # of the names of what was made


def workspace_made(workspace: Workspace, is_joined: bool) -> Answer:
    """What `init` has made."""
    keys, place = workspace.keys, workspace.store.place
    key = keys.private_file.name if keys.private_file.exists() else None
    made = {
        "workspace": str(workspace.folder),
        "configuration": "kathodos.toml",
        "store": place,
        "signing_key": key,
        "public_key": keys.public_file.name,
    }
    if is_joined:
        signing = "the signing key, as given: give it to nobody" if key else "not given: here one can look, not change"
        parts = [("the store", f"{place}, with what others have gathered and decided")]
    else:
        signing = "the signing key: keep a copy apart, give it to nobody"
        name = place if len(place) <= _WIDTH else "the store"
        parts = [(name, f"the catalogue and its ledger, still empty{'' if name is place else f': {place}'}")]
    parts = [
        ("kathodos.toml", "what to gather, and where the store is"),
        *parts,
        (keys.private_file.name, signing),
        (keys.public_file.name, "its public half: for auditors"),
    ]
    text = [
        f"{'Joined' if is_joined else 'Made'} the workspace {workspace.folder}",
        *(f"  {name:<{_WIDTH}} {what}" for name, what in parts),
        "  tables/ rules/   your exported tables, your rules",
    ]
    hint = "Next: put CSV tables into tables/ and run `kathodos gather` there."
    if is_joined:
        hint = "The rules and settings of the others are here too. Next: `kathodos ledger verify`."
    return Answer(text=text, document=made, rows=[made], hint=hint)


def store_copied(found: Copied, verification: Verification, source: Store, target: Store, url: str | None) -> Answer:
    """What was copied, whether it is as signed, and where the workspace works from now on (`url`: there)."""
    counted = f"{plural(found.entries, 'entry', 'entries')} and {plural(found.rows, 'catalogue row')}"
    wrong = [asdict(it) for it in verification.discrepancies]
    document = {
        "from": source.place,
        "to": target.place,
        "entries": found.entries,
        "rows": verification.rows,
        "intact": not wrong,
        "discrepancies": wrong,
        "moved": url is not None,
    }
    text = [f"Copied {counted}.", f"  from  {source.place}", f"  to    {target.place}"]
    if found.was_there:
        entries = plural(found.entries, "entry", "entries")
        text = [f"Nothing had to be copied: {target.place} holds all {entries} already."]
    if wrong:
        fields = (Field("where", "Where", 9, least=14), Field("what", "What is wrong", 8, least=20))
        text.append(f"The copy is NOT as signed: {plural(len(wrong), 'discrepancy', 'discrepancies')}.")
        hint = "See with `kathodos ledger verify` whether the original is; the workspace still works there."
        return Answer(fields, wrong, text=text, hint=hint, status=Status.FOUND, document=document)
    text.append("The copy is as signed.")
    hint = "The workspace still works where it did. To work there from now on: kathodos store copy URL --move"
    if url is not None:
        hint = f"The workspace works there from now on: [store] url in kathodos.toml is {url}."
    return Answer(text=text, hint=hint, document=document)


def upgrade_planned(planned: StoreUpgrade, place: str, is_trial: bool) -> Answer:
    """What bringing a store up would do."""
    document = {"store": place, **asdict(planned)}
    if not planned.is_needed:
        same = f"The store {place} is of version {planned.after}, which is that of this kathodos."
        return Answer(text=[f"{same} There is nothing to do."], document=document)
    as_entry = f", as entry {planned.entry + 1} of the ledger" if planned.entry else ""
    text = [
        f"The store {place} is of version {planned.before}. Bringing it up to version {planned.after}{as_entry}:",
        *(f"  {it}" for it in planned.steps),
        "No record is altered, and what was signed is checked as it was signed. It is done as a whole or not at all.",
        "Kathodos of an earlier version cannot use the store afterwards.",
    ]
    return Answer(text=text, document=document, hint="To do it: kathodos store upgrade --yes" if is_trial else "")


def store_upgraded(found: BroughtUp, entry: int | None, place: str) -> Answer:
    """What was brought up."""
    document = {"store": place, **asdict(found), "entry": entry}
    if found.before == found.after:
        return Answer(text=[f"The store {place} is of version {found.after} already."], document=document)
    said = f" Entry {entry} of the ledger says so." if entry else ""
    text = f"The store {place} was brought up from version {found.before} to version {found.after}.{said}"
    return Answer(text=[text], document=document, hint="Proof that nothing was altered: kathodos ledger verify")


def setup_printed(sql: str) -> Answer:
    """What an administrator runs."""
    return Answer(text=sql.splitlines(), document={"sql": sql}, rows=[{"sql": sql}], is_verbatim=True)


def store_checked(found: list[Check], place: str) -> Answer:
    """Whether all that protects a store is in force."""
    rows = [{"holds": it.holds, "what": it.what, "found": it.found} for it in found]
    failed = sum(not it.holds for it in found)
    shown = [{**row, "holds": "yes" if row["holds"] else "NO"} for row in rows]
    document = {"store": place, "in_force": not failed, "checks": rows}
    if failed:
        heading = f"{failed} of the {len(found)} things that protect {place} are not in force."
        hint = (
            "Let an administrator run what `kathodos store setup` prints, and work with a login of the working role; "
            "then check again."
        )
        return Answer(_CHECKS, shown, heading, hint=hint, status=Status.FOUND, document=document)
    heading = f"All {len(found)} things that protect {place} are in force."
    return Answer(
        _CHECKS, shown, heading, hint="Proof that nothing was altered: kathodos ledger verify", document=document
    )
