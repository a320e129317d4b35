"""The second version: a store says which version it is of, and from which entry of the ledger on."""

from __future__ import annotations

from kathodos.store.upgrades.steps import AddedTable, RenamedColumn, Upgrade

UPGRADE = Upgrade(
    2,
    "0.2.0",
    (
        AddedTable(
            "ledger_versions",
            "version#* entry# program",
            "The store says which version it is of, and from which entry of the ledger on.",
            is_record=False,
        ),
        # Versions before this one look for the old name: they say that they cannot use the store, and write nothing.
        RenamedColumn(
            "ledger",
            "leaf",
            "leaf_hash",
            "What the ledger keeps of each entry's leaf is called as its standard calls it (RFC 9162).",
        ),
    ),
)
