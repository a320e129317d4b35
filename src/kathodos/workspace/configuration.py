"""`kathodos.toml` as typed settings; an error names the file, the line and the key."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, Any, Literal

import msgspec

from kathodos.change.orders import OrderTerms
from kathodos.connectors.settings import Source
from kathodos.errors import DataError
from kathodos.findings.excess.thresholds import Thresholds
from kathodos.findings.risk.weights import Weights
from kathodos.ingest.tie_rules import ATTRIBUTE, LOGIN, TieRule
from kathodos.ledger.powers import ACTS, FOUR_EYES, May, Powers
from kathodos.model.comparing import check_comparisons
from kathodos.model.filters import FilterError, parse_filter
from kathodos.model.forms import written_for
from kathodos.model.kinds import IDENTITIES
from kathodos.model.periods import parts_of
from kathodos.model.times import end_moment, first_moment, microseconds, now
from kathodos.model.toml import TomlText, toml_text
from kathodos.request.kits import ApprovalStep
from kathodos.request.terms import RequestTerms
from kathodos.review.authority import Authority
from kathodos.roles.mining.weights import MiningWeights

CONFIGURATION = "kathodos.toml"
FILE_STORE = "sqlite:///catalogue.db"
_TEMPLATE = """\
# A Kathodos workspace. Paths are relative to this folder.
kathodos = {version}   # for which version this is written; an earlier one does not work with it

[store]
url = {url}   # the catalogue and its ledger
wait = 10{space}   # seconds to wait while another command writes

# Who may act besides the people in the catalogue and their accounts (`--as NAME`).
[actors]
names = [{name}]

# What `kathodos gather` reads: a folder of CSV tables (systems.csv, identities.csv, grants.csv ...).
[[source]]
name = "files"
kind = "tables"
path = "tables"

# Where a file has other headers, values or dates than ours, say so, one block a table:
# [source.tables.identities]
# file = "staff_export.csv"
# columns = { "Pers. No" = "id", "Full name" = "name" }
# values = { status = { "employed" = "active", "gone" = "left" } }
# dates = ["%d.%m.%Y"]
"""
DATABASE, SSH = "database", "ssh"
ALL_OTHERS = "*"  # systems, in [enact]
_STORE = re.compile(r"^\[store\][^\n]*\n(?:(?!\s*\[)[^\n]*(?:\n|\Z))*", re.MULTILINE)
_REMEDY = "Correct the file; `kathodos init` shows one, and docs/file-formats.md all keys."


class StoreSection(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """`[store]`: where the catalogue lives, how many seconds a command waits while another writes, and file modes."""

    url: str = FILE_STORE
    wait: Annotated[float, msgspec.Meta(ge=0)] = 10
    mode: Annotated[str, msgspec.Meta(pattern="^0?[0-7]{3}$")] = "0600"


class ActorsSection(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """`[actors]`: who may act besides the people in the catalogue, and by what it is proven who does.

    `names` stand for themselves; `identities` says of a name whose it is. `proof`: "database", who acts is whose login
    the store was opened with; "ssh", each entry is signed with a key that the file `allowed_signers` gives to who acts.
    """

    names: list[str] = []
    identities: dict[str, str] = {}
    proof: Literal["", "database", "ssh"] = ""
    allowed_signers: str = "allowed_signers"
    key: str = ""


class LedgerSection(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """`[ledger]`: the anchor, a place outside the folder that receives each signed head."""

    anchor: str = ""


class ExchangeSection(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """`[exchange]`: the fingerprints of the keys whose exchange files of roles are taken in without asking."""

    keys: list[Annotated[str, msgspec.Meta(pattern="^[0-9a-f]{32}$")]] = []


class AwayBlock(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"first": "from", "last": "until"}):
    """`[[reviews.away]]`: who is away, from one day to another, and who stands in meanwhile."""

    who: str
    first: str
    last: str
    stand_ins: str | list[str]


class ReviewsSection(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """`[reviews]`: who stands in for a reviewer, always or while away, and who may decide in place of any reviewer.

    `needs_reason`: certifying takes a reason where the evidence speaks against a line.
    """

    stand_ins: dict[str, str | list[str]] = {}
    deciders: list[str] = []
    needs_reason: bool = False
    away: list[AwayBlock] = []


class RequestsSection(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """`[requests]`: who approves what is asked for without a kit, step by step, for how long it is had, and when what.

    `approve`: for each step who does, one of them: manager, owner, or ids of people.
    """

    approve: tuple[str | list[str], ...] = ("manager", "owner")
    lasts: str = "P3M"
    longest: str = "P1Y"
    decide_within: str = "P7D"
    lapse_after: str = "P21D"
    tell_before: str = "P14D"
    look_back_within: str = "P3D"


class MailSection(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"sender": "from"}):
    """`[mail]`: from whom mail comes, the folder for mail that is not sent, and the server that sends it.

    `smtp`: host:port; `starttls`: whether the connection has to be encrypted; `ca`: a file of certificates to trust
    besides; `password`: env:NAME or file:PATH.
    """

    sender: str = "kathodos@localhost"
    outbox: str = "outbox"
    smtp: Annotated[str, msgspec.Meta(pattern=r"^$|^[^\s:/]+:[0-9]{1,5}$")] = ""
    starttls: bool = True
    ca: str = ""
    user: str = ""
    password: str = ""


class EnactBlock(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """`[enact.SYSTEM]`: how orders are carried out there, and within which time; `[enact."*"]`: in all others."""

    by: Literal["worklist", "tables"] = "worklist"
    within: str = "P14D"


class MayBlock(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """`[[may]]`: who (names, or a filter over people) may do which acts."""

    who: list[str] | str
    acts: list[str]


class TieBlock(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """`[[tie]]`: how accounts of these systems (all: none named) find their identity."""

    by: Literal["id", "mail", "attribute", "name", "login"]
    systems: list[str] = []
    account: str = ""
    identity: str = ""
    of: str = ""


class _Content(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    store: StoreSection = StoreSection()
    actors: ActorsSection = ActorsSection()
    ledger: LedgerSection = LedgerSection()
    reviews: ReviewsSection = ReviewsSection()
    exchange: ExchangeSection = ExchangeSection()
    mail: MailSection = MailSection()
    requests: RequestsSection = RequestsSection()
    four_eyes: list[str] = []
    may: list[MayBlock] = []
    enact: dict[str, EnactBlock] = {}
    source: list[dict[str, Any]] = []
    precedence: dict[str, dict[str, list[str]]] = {}
    tie: list[TieBlock] | TieBlock = []
    risk: Weights = Weights()
    findings: Thresholds = Thresholds()
    suggest: MiningWeights = MiningWeights()


def _listed(names: str | list[str]) -> list[str]:
    return [names] if isinstance(names, str) else names


class Configuration:
    """What a workspace's configuration says. Every part is checked when the file is read."""

    def __init__(self, file: TomlText, folder: Path) -> None:
        self.file = file
        self.folder = folder
        content = file.as_type(_Content, _REMEDY)
        self.store = content.store
        self.mode = int(content.store.mode, 8)
        self.actors = content.actors
        self.authority = self._authority(content.reviews)
        self.anchor = content.ledger.anchor
        self.exchange_keys = content.exchange.keys
        self.mail = content.mail
        self.mining_weights = content.suggest
        self.is_actor_the_login = content.actors.proof == DATABASE
        self.precedence = content.precedence
        self.thresholds = content.findings
        self.weights = content.risk
        if abs(self.weights.total() - 100) > 1e-9:
            what = f"the weights of a risk score have to be 100 together; these are {self.weights.total():g}"
            raise file.error(["risk"], what, _REMEDY)
        blocks = content.tie if isinstance(content.tie, list) else [content.tie]
        self.powers = self._powers(content)
        self.enact = content.enact
        self.order_terms = self._order_terms()
        self.request_terms = self._request_terms(content.requests)
        self.tie_rules = [self._tie_rule(block, ["tie", at]) for at, block in enumerate(blocks)]
        self.sources = [self._source(block, ["source", at]) for at, block in enumerate(content.source)]
        names = [source.name for source in self.sources]
        for at, name in enumerate(names):
            if name in names[:at]:
                what = f"there is a source {name} already"
                raise file.error(["source", at, "name"], what, "Give each [[source]] a name of its own.")

    @property
    def who_may_act(self) -> dict[str, str]:
        """The names that may act besides the people in the catalogue, each with the identity that it is, or nothing."""
        return {**dict.fromkeys(self.actors.names, ""), **self.actors.identities}

    def way_of(self, system: str) -> str:
        """How the orders of a system are carried out."""
        return (self.enact.get(system) or self.enact.get(ALL_OTHERS) or EnactBlock()).by

    def _authority(self, reviews: ReviewsSection) -> Authority:
        """Who decides besides the reviewers: those who stand in now, and those who may decide for all."""
        found = {name: _listed(names) for name, names in reviews.stand_ins.items()}
        for at, block in enumerate(reviews.away):
            try:
                is_away = first_moment(block.first) <= microseconds(now()) < end_moment(block.last)
            except ValueError as error:
                raise self.file.error(["reviews", "away", at], f"from or until is no day: {error}", _REMEDY) from None
            if is_away:
                found[block.who] = [*found.get(block.who, []), *_listed(block.stand_ins)]
        return Authority(found, reviews.deciders, reviews.needs_reason)

    def _powers(self, content: _Content) -> Powers:
        for at, block in enumerate(content.may):
            for act in block.acts:
                if act not in ACTS:
                    what = f"there is no act {act!r}"
                    raise self.file.error(["may", at, "acts"], what, f"Write some of {', '.join(ACTS)}.")
            if isinstance(block.who, str):
                try:
                    check_comparisons(parse_filter(block.who), IDENTITIES.form, None)
                except FilterError as error:
                    what = f"who is no filter over people: {error}"
                    remedy = 'Write names as who = ["p0001"], or a filter as in who = \'department eq "IT"\'.'
                    raise self.file.error(["may", at, "who"], what, remedy) from None
        for act in content.four_eyes:
            if act not in FOUR_EYES:
                raise self.file.error(
                    ["four_eyes"], f"nothing called {act!r} takes two", f"Write some of {', '.join(FOUR_EYES)}."
                )
        may = [May(it.acts, where=it.who) if isinstance(it.who, str) else May(it.acts, it.who) for it in content.may]
        return Powers(may, content.four_eyes)

    def _order_terms(self) -> OrderTerms:
        for name, block in self.enact.items():
            try:
                parts_of(block.within)
            except ValueError as error:
                raise self.file.error(["enact", name, "within"], str(error), _REMEDY) from None
        rest = self.enact.get(ALL_OTHERS, EnactBlock())
        return OrderTerms(rest.within, {name: block.within for name, block in self.enact.items()})

    def _request_terms(self, section: RequestsSection) -> RequestTerms:
        periods = ("lasts", "longest", "decide_within", "lapse_after", "tell_before", "look_back_within")
        for name in periods:
            try:
                parts_of(getattr(section, name))
            except ValueError as error:
                raise self.file.error(["requests", name], str(error), _REMEDY) from None
        if not section.approve or not all(_listed(it) for it in section.approve):
            raise self.file.error(["requests", "approve"], "approve names nobody in a step", _REMEDY)
        chain = [ApprovalStep(list(_listed(it))) for it in section.approve]
        values = {name: getattr(section, name) for name in periods}
        return RequestTerms(chain, **values, authority=self.authority, orders=self.order_terms)

    def _source(self, block: dict[str, Any], path: Sequence[str | int]) -> Source:
        for key in ("name", "kind"):
            if not isinstance(block.get(key), str) or not block[key]:
                raise self.file.error([*path, key], f"expected {key} = a text in each [[source]]", _REMEDY)
        if ";" in block["name"]:
            what = f"the name of the source {block['name']} holds a semicolon"
            raise self.file.error([*path, "name"], what, "Write it without one.")
        rest = {key: value for key, value in block.items() if key not in ("name", "kind")}
        return Source(block["name"], block["kind"], self.folder, rest)

    def _tie_rule(self, block: TieBlock, path: Sequence[str | int]) -> TieRule:
        if (block.by == ATTRIBUTE) != bool(block.account and block.identity):
            remedy = (
                'Write by = "id", "mail", "name" or "login", or by = "attribute" with account = and identity = columns.'
            )
            raise self.file.error(path, f"a [[tie]] by {block.by} does not fit its other keys", remedy)
        if (block.by == LOGIN) != bool(block.of):
            remedy = 'Write by = "login" with of = the system in which the same login says whose it is.'
            raise self.file.error(path, f"a [[tie]] by {block.by} does not fit its other keys", remedy)
        return TieRule(block.by, tuple(block.systems), block.account, block.identity, block.of)


def new_configuration(url: str, actor: str, has_files: bool = False) -> str:
    """The text of a new workspace's configuration, with its store at a URL, and a name that may act.

    `has_files`: its sources are still to be proposed, so that none stands there as an example.
    """
    import json

    url, name = (json.dumps(it, ensure_ascii=False) for it in (url, actor))
    written = _TEMPLATE.replace("{space}", " " * max(len(url) - 2, 0))
    written = written.replace("{url}", url).replace("{name}", name).replace("{version}", f'"{written_for()}"')
    return written.partition("# What `kathodos gather` reads:")[0].rstrip() + "\n\n" if has_files else written


def with_store(text: str, url: str) -> str:
    """The text of a configuration that says nothing of its store (`in_force`), with the store at a URL."""
    import json

    return f"{text}{'' if text.endswith(chr(10)) else chr(10)}[store]\nurl = {json.dumps(url, ensure_ascii=False)}\n"


def in_force(text: str) -> str:
    """The text of a configuration without where one's own store is, which says nothing of what holds in it."""
    import tomllib

    rest = _STORE.sub("", text, count=1)
    try:
        whole, kept = tomllib.loads(text), tomllib.loads(rest)
    except (tomllib.TOMLDecodeError, RecursionError):
        return text
    whole.pop("store", None)
    return rest if kept == whole else text


def read_configuration(folder: Path) -> Configuration:
    """The configuration of a workspace. Raises DataError where it is not as expected."""
    return Configuration(read_toml(folder / CONFIGURATION, CONFIGURATION), folder)


def read_toml(file: Path, name: str = "") -> TomlText:
    """What a TOML file says. Raises DataError with file, line and what was expected there."""
    try:
        return toml_text(name or str(file), file.read_text(encoding="utf-8"))
    except UnicodeDecodeError as error:
        line = file.read_bytes()[: error.start].count(b"\n") + 1
        raise DataError(f"{name or file}, line {line}: expected UTF-8 text.", "Save the file as UTF-8.") from None
    except OSError as error:
        raise DataError(f"{name or file} cannot be read: {error.strerror}.", "Check the file.") from None
