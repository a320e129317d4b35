"""Small words that every room needs."""

from __future__ import annotations


def plural(count: int, one: str, many: str = "") -> str:
    """`1 line`, `2 lines`, `1,200 lines`."""
    return f"{count:,} {one if count == 1 else many or one + 's'}"


def people_and_accounts(people: int, accounts: int, one: str = "", many: str = "") -> str:
    """`1 person`, `2 people and 1 account`, `3 accounts`, with the verb for one or for many of them."""
    told = [plural(people, "person", "people")] * bool(people or not accounts) + [plural(accounts, "account")] * bool(
        accounts
    )
    verb = one if people + accounts == 1 else many
    return " and ".join(told) + (f" {verb}" if verb else "")
