"""The kinds of review: what a line of each is, who decides it where nothing else is said, and what may be decided."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from enum import StrEnum

import msgspec

from kathodos.model.kinds import ACCOUNTS, IDENTITIES, RESOURCES, ROLES, Kind


class About(StrEnum):
    """What a review is about."""

    ACCESS = "access"
    ACCOUNTS = "accounts"
    RESOURCES = "resources"
    ROLES = "roles"
    IDENTITY_DATA = "identity-data"
    COVERS = "covers"


class Decision(StrEnum):
    """What is decided of a line: it stands, is made less, is taken away; what is wrong of a person is corrected."""

    CERTIFY = "certify"
    REDUCE = "reduce"
    REVOKE = "revoke"
    CORRECT = "correct"


MANAGER, OWNER, PERSON = "manager", "owner", "person"  # of whom it is about; of what it is about; that person


class Subject(msgspec.Struct, frozen=True):
    """One kind of review. `selected`: the kind of record that its filter selects; `chain`: who decides by default.

    `line`: what one line is, in words; `decisions`: what may be decided of it.
    """

    selected: Kind
    chain: Sequence[str]
    line: str
    decisions: Sequence[Decision]


_TWO = (Decision.CERTIFY, Decision.REVOKE)
_THREE = (Decision.CERTIFY, Decision.REDUCE, Decision.REVOKE)
SUBJECTS: Mapping[About, Subject] = {
    About.ACCESS: Subject(IDENTITIES, (MANAGER,), "what can be taken from one person", _THREE),
    About.ACCOUNTS: Subject(ACCOUNTS, (OWNER,), "an account and what it can do", _TWO),
    About.RESOURCES: Subject(RESOURCES, (OWNER,), "a grant that opens a resource", _THREE),
    About.ROLES: Subject(ROLES, (OWNER,), "a role, or one of its entries", _TWO),
    About.IDENTITY_DATA: Subject(
        IDENTITIES,
        (PERSON, MANAGER),
        "one attribute of one person",
        (Decision.CERTIFY, Decision.CORRECT, Decision.REVOKE),
    ),
    About.COVERS: Subject(IDENTITIES, (OWNER,), "a conflict left standing under a control", _TWO),
}
