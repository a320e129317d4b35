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
            "A table is added that says of which version the store is, and from which entry of the ledger on.",
            is_record=False,
        ),
        RenamedColumn(
            "ledger",
            "leaf",
            "leaf_hash",
            "A column of the ledger is called otherwise (leaf_hash), so that an earlier Kathodos refuses the store.",
        ),
    ),
)
