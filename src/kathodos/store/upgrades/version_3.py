"""The third version: lines of reviews say more of how what they are about is needed, used and usual."""

from __future__ import annotations

from kathodos.store.upgrades.steps import AddedColumn, Upgrade

UPGRADE = Upgrade(
    3,
    "0.3.0",
    tuple(
        AddedColumn("review_lines", column, f"Lines of reviews say {what}.")
        for column, what in (
            ("all_having#", "how many others of all have the same"),
            ("all_counted#", "of how many others that is"),
            ("also_needed", "which needs ask for what others give too"),
            ("beyond", "what is allowed beside what is needed"),
            ("known_since", "since when their use would be known"),
            ("credited_at", "when last they were used for what nothing else gives"),
            ("never", "which of their actions were never used"),
            ("lost#", "how much would be lost without them"),
            ("found", "what was found about the person and not about the line"),
            ("no_account", "in which of the systems concerned the person has no account"),
            ("stands_by", "by what request, kit or change they stand"),
        )
    ),
)
