"""A store of an earlier version brought up to the newest, as an entry of the ledger that names the versions."""

from __future__ import annotations

from typing import ClassVar

import msgspec

from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, UpgradePayload
from kathodos.store.base import Store, Writer
from kathodos.store.upgrades import NEWEST
from kathodos.store.versions import VersionRow
from kathodos.version import __version__


class BroughtUp(msgspec.Struct, frozen=True):
    """From which version to which a store was brought up; the same where there was nothing to do."""

    before: int
    after: int


class BringUp(msgspec.Struct, Operation[BroughtUp], frozen=True):
    """Brings the store up to the newest version. What is kept stays as it is, and is checked as it was signed."""

    act: ClassVar[Act] = Act.UPGRADE

    def begin(self, store: Store, writer: Writer) -> None:
        """Makes the tables those of the newest version; whoever waited for somebody who did finds nothing to do."""
        if writer.version < NEWEST:
            writer.upgrade(VersionRow(NEWEST, writer.newest().entry + 1, __version__))

    def compose(self, plan: Plan) -> BroughtUp:
        """Writes an entry without a record; none where nothing was ever entered, as the first entry says it itself."""
        versions = plan.records.histories.reader.versions
        if versions.newest.entry <= plan.entry_before:
            return BroughtUp(NEWEST, NEWEST)
        plan.is_kept_empty = plan.entry_before > 0
        plan.payload = UpgradePayload(versions.before, NEWEST)
        return BroughtUp(versions.before, NEWEST)
