"""The kinds of record and their columns: declared once, used by the store, the gather, the lists and the engine."""

from __future__ import annotations

from enum import Enum
from functools import cached_property

import msgspec


class Form(Enum):
    """What a cell may hold."""

    TEXT = "text"
    NAME = "a name"
    CHOICE = "a choice"
    YES_NO = "yes or no"
    NUMBER = "a whole number"
    MOMENT = "a date or a time"
    LIST = "a list separated by ;"
    FILTER = "a filter"
    ADDRESS = "a resource address"
    ADDRESSES = "resource addresses separated by ;"
    PATTERN = "a resource pattern"
    PATTERNS = "resource patterns separated by ;"
    GATES = "type=action pairs separated by ;"
    REFERENCE = "a reference"
    HOLDER = "a holder"
    GIVES = "role:.. or ACTION PATTERN"
    SCOPE = "an address, a pattern or area:.."


class Column(msgspec.Struct, frozen=True):
    """One column. A reference that `must_exist` sets the row aside where it points at nothing; others are noted.

    Of a column that `decides` what a record means a cell that cannot be read sets the row aside; of others that need
    not be there only the cell is left out.
    """

    name: str
    form: Form = Form.TEXT
    required: bool = False
    default: str | int | None = None
    choices: tuple[str, ...] = ()
    refers: tuple[str, ...] = ()
    must_exist: bool = False
    decides: bool = False

    @property
    def is_number(self) -> bool:
        return self.form in (Form.NUMBER, Form.YES_NO)


class Kind(msgspec.Struct, frozen=True, eq=False, dict=True):
    """One kind of record: the name of its table and file, its columns and the columns that identify a record.

    Each is declared once, and is equal to itself alone.
    """

    name: str
    one: str
    columns: tuple[Column, ...]
    key: tuple[str, ...]
    open_ended: bool = False  # unknown columns become attributes
    bears_id: bool = False  # an absent key is derived from the content
    a_log: bool = False  # what a source no longer lists has still happened

    def column(self, name: str) -> Column:
        return next(column for column in self.columns if column.name == name)

    def form(self, name: str) -> Form | None:
        """The form of a column, by its name in any case; None for further attributes."""
        return next((column.form for column in self.columns if column.name == name.lower()), None)

    def may_lack(self, column: Column) -> bool:
        """Whether a record can stand without what a cell of a column says that cannot be read."""
        return not (column.required or column.decides or column.must_exist or column.name in self.key)

    @cached_property
    def names(self) -> tuple[str, ...]:
        """The names of all values that a record has, in order."""
        return tuple(column.name for column in self.columns) + (("attributes",) if self.open_ended else ())


COMBINING = ("deny-overrides", "permit-overrides", "first-applicable", "nearest")
_SYSTEM = Column("system", Form.REFERENCE, required=True, refers=("systems",), must_exist=True)
_OWNER = Column("owner", Form.REFERENCE, refers=("identities",))
_TITLE = Column("title")
_EFFECT = Column("effect", Form.CHOICE, default="permit", choices=("permit", "deny"), decides=True)
_HOLDERS = ("identities", "accounts", "groups")

# In the order in which one may point at another.
SYSTEMS = Kind(
    "systems",
    "system",
    (
        Column("system", Form.NAME, required=True),
        _TITLE,
        _OWNER,
        Column("combining", Form.CHOICE, default=COMBINING[0], choices=COMBINING, decides=True),
        Column("inherit", Form.YES_NO, default=1, decides=True),
        Column("gates", Form.GATES, decides=True),
    ),
    ("system",),
)
IDENTITIES = Kind(
    "identities",
    "identity",
    (
        Column("id", Form.NAME, required=True),
        Column("name"),
        Column("kind", Form.CHOICE, default="person", choices=("person", "service", "agent")),
        Column("status", Form.CHOICE, default="active", choices=("invited", "active", "suspended", "left")),
        Column("email"),
        Column("department"),
        Column("title"),
        Column("manager", Form.REFERENCE, refers=("identities",)),
        Column("location"),
        Column("employment"),
        Column("starts", Form.MOMENT),
        Column("ends", Form.MOMENT),
        Column("sponsor", Form.REFERENCE, refers=("identities",)),
    ),
    ("id",),
    open_ended=True,
)
ACCOUNTS = Kind(
    "accounts",
    "account",
    (
        _SYSTEM,
        Column("login", Form.NAME, required=True),
        Column("identity", Form.REFERENCE, refers=("identities",)),
        Column("status", Form.CHOICE, default="enabled", choices=("enabled", "disabled")),
        Column("last_login", Form.MOMENT),
        Column("privileged", Form.YES_NO, default=0),
        Column("responsible", Form.REFERENCE, refers=("identities",)),
    ),
    ("system", "login"),
    open_ended=True,
)
GROUPS = Kind(
    "groups",
    "group",
    (_SYSTEM, Column("group", Form.NAME, required=True), _TITLE, _OWNER, Column("filter", Form.FILTER, decides=True)),
    ("system", "group"),
)
MEMBERS = Kind(
    "members",
    "membership",
    (
        _SYSTEM,
        Column("group", Form.REFERENCE, required=True, refers=("groups",), must_exist=True),
        Column("member", Form.HOLDER, required=True, refers=_HOLDERS, must_exist=True),
    ),
    ("system", "group", "member"),
)
ROLES = Kind(
    "roles",
    "role",
    (
        _SYSTEM,
        Column("role", Form.NAME, required=True),
        _TITLE,
        _OWNER,
        Column("active", Form.YES_NO, default=1),
    ),
    ("system", "role"),
)
ROLE_JUNIORS = Kind(
    "role_juniors",
    "junior role",
    (
        _SYSTEM,
        Column("role", Form.REFERENCE, required=True, refers=("roles",), must_exist=True),
        Column("junior", Form.REFERENCE, required=True, refers=("roles",), must_exist=True),
    ),
    ("system", "role", "junior"),
)
ACTIONS = Kind(
    "actions",
    "action",
    (
        _SYSTEM,
        Column("action", Form.NAME, required=True),
        Column("kind", Form.CHOICE, choices=("read", "write", "export", "approve", "administer")),
        Column("implies", Form.LIST),
    ),
    ("system", "action"),
)
ROLE_PERMISSIONS = Kind(
    "role_permissions",
    "role permission",
    (
        _SYSTEM,
        Column("role", Form.REFERENCE, required=True, refers=("roles",), must_exist=True),
        Column("action", Form.NAME, required=True),
        Column("resource", Form.PATTERN, required=True),
        _EFFECT,
    ),
    ("system", "role", "action", "resource", "effect"),
)
RESOURCES = Kind(
    "resources",
    "resource",
    (
        Column("resource", Form.ADDRESS, required=True),
        Column("type"),
        _TITLE,
        _OWNER,
        Column("sensitivity", Form.NUMBER),
        Column("detached", Form.YES_NO, default=0, decides=True),
        Column("tags", Form.LIST),
        Column("refers", Form.ADDRESSES),
    ),
    ("resource",),
    open_ended=True,
)
AREAS = Kind(
    "areas",
    "area",
    (
        Column("area", Form.NAME, required=True),
        Column("resources", Form.PATTERNS, required=True),
        Column("except", Form.PATTERNS, decides=True),
        Column("filter", Form.FILTER, decides=True),
    ),
    ("area",),
)
GRANTS = Kind(
    "grants",
    "grant",
    (
        Column("grant", Form.NAME),
        Column("holder", Form.HOLDER, required=True, refers=(*_HOLDERS, "everyone"), must_exist=True),
        Column("gives", Form.GIVES, required=True, must_exist=True),
        Column("on", Form.SCOPE, must_exist=True),
        _EFFECT,
        Column("tier", Form.NUMBER, default=0, decides=True),
        Column("from", Form.MOMENT),
        Column("until", Form.MOMENT),
        Column("given_by"),
        Column("given_at", Form.MOMENT),
        Column("reason"),
        Column("last_used", Form.MOMENT),
    ),
    ("grant",),
    bears_id=True,
)
MANDATES = Kind(
    "mandates",
    "mandate",
    (
        Column("holder", Form.HOLDER, required=True, refers=_HOLDERS, must_exist=True),
        Column("roles", Form.LIST, required=True),
        Column("area", Form.REFERENCE, refers=("areas",), must_exist=True),
        Column("for", Form.FILTER),
        Column("may", Form.LIST, default="give;take"),
    ),
    ("holder", "roles", "area", "for", "may"),
)
ACTIVITY = Kind(
    "activity",
    "activity",
    (
        Column("time", Form.MOMENT, required=True),
        Column("account", Form.REFERENCE, refers=("accounts",)),
        Column("identity", Form.REFERENCE, refers=("identities",)),
        Column("action", Form.NAME, required=True),
        Column("resource", Form.ADDRESS, required=True),
        Column("record"),
        Column("task"),
        Column("count", Form.NUMBER, default=1),
    ),
    ("time", "account", "identity", "action", "resource", "record"),
    a_log=True,
)

GATHERED = (
    SYSTEMS,
    IDENTITIES,
    ACCOUNTS,
    GROUPS,
    MEMBERS,
    ROLES,
    ROLE_JUNIORS,
    ACTIONS,
    ROLE_PERMISSIONS,
    RESOURCES,
    AREAS,
    GRANTS,
    MANDATES,
    ACTIVITY,
)

# What Kathodos itself keeps beside the gathered records.
PROBLEMS = Kind(
    "problems",
    "problem",
    (
        Column("file"),
        Column("line", Form.NUMBER),
        Column("column"),
        Column("value"),
        Column("reason"),
        Column("remedy"),
        Column("outcome"),
    ),
    ("file", "line", "column", "reason"),
)
CLAIMS = Kind(
    "claims",
    "claim",
    (Column("kind"), Column("record"), Column("said_by"), Column("said")),
    ("kind", "record", "said_by"),
)
RETURNED = Kind(
    "returned",
    "returned record",
    (
        Column("kind"),
        Column("record"),
        Column("said_by"),
        Column("ended_by", Form.NUMBER),
        Column("ended_at"),
        Column("why"),
        Column("back_at"),
    ),
    ("kind", "record"),
)
TIES = Kind(
    "ties",
    "tie",
    (
        Column("account", Form.REFERENCE, refers=("accounts",)),
        Column("identity", Form.REFERENCE, refers=("identities",)),
        Column("how"),
        Column("tied_by"),
        Column("tied_at"),
        Column("reason"),
        Column("said"),
        Column("responsible", Form.REFERENCE, refers=("identities",)),
    ),
    ("account",),
)
BASELINES = Kind(
    "baselines",
    "baseline",
    (Column("baseline", Form.NAME), Column("entry", Form.NUMBER), Column("marked_at"), Column("reason")),
    ("baseline",),
)
REVIEWS = Kind(
    "reviews",
    "review",
    (
        Column("review", Form.NAME),
        Column("selects", Form.FILTER),
        Column("opened_at"),
        Column("opened_by"),
        Column("due", Form.MOMENT),
        Column("state"),
        Column("signed_at"),
        Column("signed_by"),
        Column("reviewers", Form.LIST),
        Column("declared"),
        Column("about"),
        Column("undecided", Form.CHOICE, choices=("certify", "revoke")),
        Column("only", Form.FILTER),
    ),
    ("review",),
)
REVIEW_THINGS = Kind(
    "review_things",
    "review thing",
    (
        Column("review", Form.NAME),
        Column("thing", Form.NUMBER),
        Column("gives"),
        Column("brings"),
        Column("contains"),
        Column("within"),
        Column("having", Form.NUMBER),
        Column("counted", Form.NUMBER),
        Column("recorded", Form.MOMENT),
        Column("sensitivity", Form.NUMBER),
    ),
    ("review", "thing"),
)
REVIEW_LINES = Kind(
    "review_lines",
    "review line",
    (
        Column("review", Form.NAME),
        Column("line", Form.NUMBER),
        Column("identity", Form.REFERENCE, refers=("identities",)),
        Column("reviewer"),
        Column("holder"),
        Column("grant"),
        Column("group"),
        Column("part"),
        Column("value"),
        Column("thing", Form.NUMBER),
        Column("peers_having", Form.NUMBER),
        Column("peers_counted", Form.NUMBER),
        Column("needed_by", Form.LIST),
        Column("conflicts", Form.LIST),
        Column("spoken", Form.YES_NO),
        Column("fences", Form.LIST),
        Column("status"),
        Column("ends"),
        Column("former"),
        Column("last_used"),
        Column("uses", Form.NUMBER),
        Column("until"),
        Column("given_by"),
        Column("given_at"),
        Column("given_for"),
        Column("signed_in", Form.MOMENT),
        Column("risk", Form.NUMBER),
        Column("excess", Form.LIST),
        Column("redundant", Form.YES_NO),
        Column("certified_at", Form.MOMENT),
        Column("certified_by"),
        Column("speaks", Form.CHOICE, choices=("against", "for")),
        Column("stands_out"),
        Column("all_having", Form.NUMBER),
        Column("all_counted", Form.NUMBER),
        Column("also_needed", Form.LIST),
        Column("beyond"),
        Column("known_since"),
        Column("credited_at"),
        Column("never", Form.LIST),
        Column("lost", Form.NUMBER),
        Column("found", Form.LIST),
        Column("no_account", Form.LIST),
        Column("stands_by"),
    ),
    ("review", "line"),
)
DECISIONS = Kind(
    "decisions",
    "decision",
    (
        Column("review", Form.NAME),
        Column("line", Form.NUMBER),
        Column("decision", Form.CHOICE, choices=("certify", "reduce", "revoke", "correct")),
        Column("decided_by"),
        Column("decided_at"),
        Column("reason"),
        Column("signed", Form.YES_NO, default=0),
        Column("capacity"),
        Column("reduced"),
        Column("opened", Form.YES_NO),
    ),
    ("review", "line"),
)
# What is said of a line: who passed it on to whom and why, what was asked back and answered, comments.
REVIEW_REMARKS = Kind(
    "review_remarks",
    "remark",
    (
        Column("review", Form.NAME),
        Column("line", Form.NUMBER),
        Column("remark", Form.NUMBER),
        Column("sort", Form.CHOICE, choices=("passed on", "question", "answer", "comment")),
        Column("said_by"),
        Column("said_at"),
        Column("text"),
        Column("whom"),
    ),
    ("review", "line", "remark"),
)
CONTROLS = Kind(
    "controls",
    "control",
    (
        Column("control", Form.NAME),
        Column("title"),
        Column("owner", Form.REFERENCE, refers=("identities",)),
        Column("does"),
        Column("period"),
        Column("until", Form.MOMENT),
        Column("added_at"),
    ),
    ("control",),
)
CONFIRMATIONS = Kind(
    "confirmations",
    "confirmation",
    (Column("control", Form.NAME), Column("confirmed_at"), Column("confirmed_by"), Column("note")),
    ("control", "confirmed_at"),
)
COVERS = Kind(
    "covers",
    "cover",
    (
        Column("rule", Form.NAME),
        Column("identity", Form.REFERENCE, refers=("identities",)),
        Column("control", Form.NAME),
        Column("until", Form.MOMENT),
        Column("reason"),
        Column("covered_by"),
        Column("covered_at"),
        Column("ended_by"),
        Column("ended_at"),
    ),
    ("rule", "identity", "covered_at"),
)

CHANGES = Kind(
    "changes",
    "change",
    (
        Column("change", Form.NAME),
        Column("state"),
        Column("origin"),
        Column("author"),
        Column("made_at", Form.MOMENT),
        Column("reason"),
        Column("applied_by"),
        Column("applied_at", Form.MOMENT),
        Column("effect"),
        Column("despite"),
    ),
    ("change",),
)
CHANGE_EDITS = Kind(
    "change_edits",
    "edit of a change",
    (
        Column("change", Form.NAME),
        Column("edit", Form.NUMBER),
        Column("kind"),
        Column("record"),
        Column("before"),
        Column("after"),
        Column("why"),
        Column("author"),
    ),
    ("change", "edit"),
)
ORDERS = Kind(
    "orders",
    "order",
    (
        Column("order", Form.NUMBER),
        Column("change", Form.NAME),
        Column("system"),
        Column("source_named"),
        Column("kind"),
        Column("record"),
        Column("before"),
        Column("after"),
        Column("state"),
        Column("ordered_by"),
        Column("ordered_at", Form.MOMENT),
        Column("due", Form.MOMENT),
        Column("changed_by"),
        Column("changed_at", Form.MOMENT),
        Column("note"),
    ),
    ("order",),
)
MERGES = Kind(
    "merges",
    "merge",
    (
        Column("identity", Form.NAME),
        Column("into", Form.REFERENCE, refers=("identities",)),
        Column("email"),
        Column("record"),
        Column("merged_by"),
        Column("merged_at", Form.MOMENT),
        Column("reason"),
    ),
    ("identity",),
)

ROLE_PARTS = Kind(
    "role_parts",
    "part of a combined role",
    (
        Column("whole", Form.HOLDER, required=True, refers=("roles",)),
        Column("part", Form.HOLDER, required=True, refers=("roles",)),
        Column("took"),
        Column("combined_at", Form.MOMENT),
    ),
    ("whole", "part"),
)

# Kits and requests, which Kathodos itself keeps.
KITS = Kind(
    "kits",
    "kit",
    (
        Column("kit", Form.NAME, required=True),
        _TITLE,
        _OWNER,
        Column("for", Form.FILTER),
        Column("domains", Form.LIST),
        Column("approve", required=True),
        Column("lasts", required=True),
        Column("longest", required=True),
        Column("says", Form.LIST),
        Column("hours", Form.NUMBER),
        Column("told", Form.LIST),
        Column("looked_at_by", Form.LIST),
    ),
    ("kit",),
)
KIT_ENTRIES = Kind(
    "kit_entries",
    "entry of a kit",
    (
        Column("kit", Form.NAME, required=True),
        Column("gives", required=True),
        Column("on"),
        Column("to", Form.CHOICE, default="person", choices=("person", "account")),
    ),
    ("kit", "gives", "on", "to"),
)
# `entries`: what is asked for, as JSON, where it is no kit; `less`: what was left out of it when it was granted.
REQUESTS = Kind(
    "requests",
    "request",
    (
        Column("request", Form.NUMBER),
        Column("state"),
        Column("kit", Form.NAME),
        Column("entries"),
        Column("whom"),
        Column("holder"),
        Column("asked_by"),
        Column("asked_at", Form.MOMENT),
        Column("reason"),
        Column("says"),
        Column("until", Form.MOMENT),
        Column("on"),
        Column("less"),
        Column("step", Form.NUMBER),
        Column("lapses", Form.MOMENT),
        Column("renews", Form.NUMBER),
        Column("emergency", Form.YES_NO, default=0),
        Column("change", Form.NAME),
        Column("closed_at", Form.MOMENT),
        Column("closed_by"),
        Column("why"),
        Column("told_of_end", Form.MOMENT),
    ),
    ("request",),
)
# Who decides which step of a request: the steps of its chain from 1 on; step 0 is the look back on an emergency.
REQUEST_STEPS = Kind(
    "request_steps",
    "step of a request",
    (
        Column("request", Form.NUMBER),
        Column("step", Form.NUMBER),
        Column("approver"),
        Column("as"),
        Column("takes", Form.CHOICE, choices=("one", "all")),
        Column("due", Form.MOMENT),
        Column("decision", Form.CHOICE, choices=("grant", "deny", "right", "wrong")),
        Column("decided_by"),
        Column("decided_at", Form.MOMENT),
        Column("capacity"),
        Column("reason"),
        Column("less"),
    ),
    ("request", "step", "approver"),
)
# What a request gives while it runs: the record that holds each entry; `brought`: whether a request put it there.
REQUEST_ITEMS = Kind(
    "request_items",
    "item of a request",
    (
        Column("request", Form.NUMBER),
        Column("item", Form.NUMBER),
        Column("kind"),
        Column("record"),
        Column("holder"),
        Column("gives"),
        Column("on"),
        Column("brought", Form.YES_NO),
    ),
    ("request", "item"),
)
REQUEST_REMARKS = Kind(
    "request_remarks",
    "remark on a request",
    (
        Column("request", Form.NUMBER),
        Column("remark", Form.NUMBER),
        Column("sort", Form.CHOICE, choices=("question", "answer", "comment")),
        Column("said_by"),
        Column("said_at", Form.MOMENT),
        Column("text"),
    ),
    ("request", "remark"),
)

SETTINGS = Kind(
    "settings",
    "setting",
    (Column("file", Form.NAME), Column("digest"), Column("text")),
    ("file",),
)

KINDS = (
    *(*GATHERED, PROBLEMS, CLAIMS, RETURNED, TIES, BASELINES, REVIEWS, REVIEW_THINGS, REVIEW_LINES, DECISIONS),
    REVIEW_REMARKS,
    *(CONTROLS, CONFIRMATIONS, COVERS, SETTINGS, CHANGES, CHANGE_EDITS, ORDERS, MERGES, ROLE_PARTS),
    *(KITS, KIT_ENTRIES, REQUESTS, REQUEST_STEPS, REQUEST_ITEMS, REQUEST_REMARKS),
)
BY_NAME = {kind.name: kind for kind in KINDS}


def split_list(text: str | None) -> list[str]:
    """The parts of a kept list; an absent one has none."""
    return text.split(";") if text else []


def split_gates(text: str | None) -> dict[str, str]:
    """Gated type to gating action of a kept `gates` cell."""
    return dict(gate.split("=", 1) for gate in split_list(text))


def split_gives(gives: str) -> tuple[str, str]:
    """`role:..` as ("", role) or `ACTION PATTERN` as (action, pattern)."""
    action, _, pattern = gives.partition(" ")
    is_permission = ":/" in pattern and not gives.startswith("role:")  # the name of a role may hold a space
    return (action, pattern) if is_permission else ("", gives)
