"""Provisioning services by SCIM 2.0 (RFC 7643 and RFC 7644, cursors RFC 9865) over HTTP.

Users become identities, accounts, or both; Groups become groups with their members; a user's roles and entitlements
become grants. Every answer is bounded in size, every page has to bring something new, no other host is followed.
"""

from __future__ import annotations

import base64
import hashlib
import json
import time
from collections.abc import Iterator, Mapping, Sequence
from email.utils import parsedate_to_datetime
from typing import TYPE_CHECKING, Any

import msgspec

from kathodos.connectors.mapping import Reading, Table
from kathodos.connectors.settings import Settings, Source
from kathodos.errors import DataError
from kathodos.formats.raw import Problem, shown
from kathodos.model import kinds
from kathodos.model.addresses import address_of
from kathodos.model.carried import carried
from kathodos.model.kinds import Kind
from kathodos.model.references import name_in, reference_to

if TYPE_CHECKING:
    import httpx

ENTERPRISE = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"
LISTED = "urn:ietf:params:scim:api:messages:2.0:ListResponse"
_KEYS = (
    "guard",
    "url",
    "system",
    "as",
    "auth",
    "filter",
    "attributes",
    "page",
    "cursor",
    "timeout",
    "total_timeout",
    "most",
    "retries",
    "ca_file",
)
_MOST_TAGS = 200
_TOTAL = 3600.0  # seconds that a source may take in all, unless it is configured
_MOST = 2_000_000  # users, or groups, likewise
_LARGEST = 32 << 20
_UNUSUAL = (b"%", b"\\u0000", b"\\ud", b"\\uD")  # what a text may hold that cannot be kept as it is
_LONGEST_VALUE = 1 << 20
_MOST_WAIT = 60.0
_AGAIN = (429, 500, 502, 503, 504)
_HINTS = {
    401: ("does not accept the credentials", "Check [auth]: the token or password may have expired."),
    403: ("does not let this account read here", "Ask for the right to list users and groups."),
    404: ("has no such address", "Check url; it ends where /Users begins."),
}


def place(source: Source) -> str:
    """The service's address."""
    return source.settings.address("url")


def glance(source: Source, mark: str) -> str:
    """The digest of the last gather, where the service says by its entity tags that all pages are as they were."""
    if not mark:
        return ""
    known = json.loads(mark)
    with _Service(source.settings) as service:
        is_same = all(service.is_as_tagged(url, tag) for url, tag in known["tags"].items())
    return str(known["digest"]) if is_same else ""


def read(source: Source, mark: str) -> Reading:
    """All users and groups of a service."""
    settings = source.settings
    settings.only(*_KEYS)
    service = _Service(settings)
    with service:
        users = list(service.listed("Users", settings.text("filter", "")))
        groups = list(service.listed("Groups", ""))
    problems: list[Problem] = []
    tables = _Translation(settings, problems).tables(users, groups)
    content = json.dumps([sorted(map(_canonical, users)), sorted(map(_canonical, groups))])
    digest = hashlib.sha256(content.encode()).hexdigest()
    is_tagged = service.untagged == 0 and len(service.tags) <= _MOST_TAGS
    tags = json.dumps({"digest": digest, "tags": service.tags}) if is_tagged else ""
    return Reading(tables, problems, digest, waited=service.waited, mark=tags)


def _canonical(resource: Mapping[str, Any]) -> str:
    return json.dumps({key: value for key, value in resource.items() if key != "meta"}, sort_keys=True)


class _Service:
    """An open connection to a service. `waited`: seconds spent waiting for it."""

    def __init__(self, settings: Settings) -> None:
        import httpx

        self.settings = settings
        self.url = settings.address("url").rstrip("/")
        self.waited = 0.0
        self.tags: dict[str, str] = {}
        self.untagged = 0
        self.retries = int(settings.number("retries", 5))
        self.most = int(settings.number("most", _MOST))
        self.total = settings.number("total_timeout", _TOTAL)
        self.until = time.monotonic() + self.total
        if not self.url.startswith(("https://", "http://")):
            raise settings.expected("url = https://...")
        if self.url.startswith("http://") and httpx.URL(self.url).host not in ("localhost", "127.0.0.1", "::1"):
            raise settings.expected("url = https://..., so that no credentials go over the network in the clear")
        verify: Any = str(settings.path("ca_file")) if "ca_file" in settings.values else True
        headers = {"Accept": "application/scim+json, application/json", **_authorization(settings.block("auth"))}
        timeout = settings.number("timeout", 30)
        self.client = httpx.Client(headers=headers, timeout=timeout, verify=verify, follow_redirects=False)

    def __enter__(self) -> _Service:
        return self

    def __exit__(self, *_: object) -> None:
        self.client.close()

    def listed(self, endpoint: str, chosen: str) -> Iterator[dict[str, Any]]:
        """All resources of an endpoint, by index or by cursor; each once."""
        by_cursor = self.settings.flag("cursor", False)
        count = int(self.settings.number("page", 200)) or 1
        start, cursor = 1, ""
        seen: set[str] = set()
        cursors: set[str] = set()
        while True:
            self.must_go_on()
            asked = {"count": str(count), **({"filter": chosen} if chosen else {})}
            asked |= {"cursor": cursor} if by_cursor else {"startIndex": str(start)}
            page = self.get(endpoint, asked)
            found = page.get("Resources", [])
            if not isinstance(found, list) or not all(isinstance(it, dict) for it in found):
                raise self.error(f"gives {endpoint} that are no list of objects", "It does not speak SCIM 2.0 there.")
            fresh = [it for it in found if str(it.get("id")) not in seen]
            seen.update(str(it.get("id")) for it in fresh)
            if len(seen) > self.most:
                raise self.error(
                    f"gives more than {self.most:,} {endpoint}", "Raise most in its block if that is right."
                )
            yield from fresh
            following = str(page.get("nextCursor") or "")
            total = page.get("totalResults", 0)
            if by_cursor:
                if not following:
                    return
                if following in cursors or not fresh:
                    raise self.error(f"gives the same page of {endpoint} for ever", "Ask whoever runs it.")
                cursors.add(following)
                cursor = following
            else:
                if not isinstance(total, int):
                    raise self.error("gives no totalResults", "It does not speak SCIM 2.0 there.")
                if total > self.most:
                    what = f"says it has {shown(str(total))} {endpoint}, more than {self.most:,}"
                    raise self.error(what, "Raise most in its block if that is right.")
                if len(seen) >= total:
                    return
                if not fresh:
                    what = f"says it has {total} {endpoint}, but gives only {len(seen)} and then the same again"
                    raise self.error(what, "Ask whoever runs it; nothing was changed.")
                start += len(found)

    def get(self, endpoint: str, asked: Mapping[str, str]) -> dict[str, Any]:
        """One answer as JSON; asked again, later and later, where the service is busy."""
        import httpx

        url = f"{self.url}/{endpoint}"
        for attempt in range(self.retries + 1):
            began = time.monotonic()
            try:
                with self.client.stream("GET", url, params=dict(asked)) as answer:
                    content = self.content(answer)
            except httpx.HTTPError as error:
                if attempt == self.retries:
                    what = f"does not answer, or broke off ({type(error).__name__})"
                    raise self.error(what, "Nothing was changed; check the address, or gather again later.") from None
                wait = min(2.0**attempt / 4, _MOST_WAIT)
            else:
                if answer.status_code not in _AGAIN or attempt == self.retries:
                    tag = answer.headers.get("ETag")
                    self.untagged += tag is None
                    self.tags |= {str(answer.request.url): tag} if tag else {}
                    return self.understood(answer, content)
                wait = _asked_to_wait(answer.headers.get("Retry-After"), 2.0**attempt / 4)
            finally:
                self.waited += time.monotonic() - began
            wait = max(min(wait, self.until - time.monotonic() + 0.1), 0.0)
            time.sleep(wait)
            self.waited += wait
            self.must_go_on()
        raise AssertionError("the last attempt returns or raises")

    def must_go_on(self) -> None:
        """Raises DataError where the source has taken longer than it may in all."""
        if time.monotonic() > self.until:
            what = f"has taken longer than {self.total:g} s in all"
            raise self.error(what, "Nothing was changed; gather later, or raise total_timeout in its block.")

    def is_as_tagged(self, url: str, tag: str) -> bool:
        """Whether the service says that a page still bears this entity tag (RFC 9110, 13.1.2)."""
        import httpx

        if not url.startswith(f"{self.url}/"):
            return False
        try:
            with self.client.stream("GET", url, headers={"If-None-Match": tag}) as answer:
                return answer.status_code == httpx.codes.NOT_MODIFIED
        except httpx.HTTPError:
            return False

    def content(self, answer: httpx.Response) -> bytes:
        """The body of an answer, which may not be larger than what a page can be."""
        parts, size = [], 0
        for part in answer.iter_bytes():
            self.must_go_on()
            size += len(part)
            if size > _LARGEST:
                what = f"sends more than {_LARGEST >> 20} MiB in one answer"
                raise self.error(what, "Make page smaller; if it stays so, leave that user out with a filter.")
            parts.append(part)
        return b"".join(parts)

    def understood(self, answer: httpx.Response, content: bytes) -> dict[str, Any]:
        """What an answer says. Raises DataError with a clear word where it is no list of resources."""
        code = answer.status_code
        if code in _HINTS:
            raise self.error(f"{_HINTS[code][0]} ({code})", _HINTS[code][1])
        if 300 <= code < 400:
            import httpx

            host = httpx.URL(answer.headers.get("Location", "")).host or "itself"
            raise self.error(f"sends us on to {shown(host)}", "No other host is given the credentials; correct url.")
        if code != 200:
            raise self.error(f"answers {code}", "Nothing was changed; ask whoever runs it.")
        try:
            answered = json.loads(content)
        except (ValueError, RecursionError):
            kind = answer.headers.get("Content-Type", "nothing known").partition(";")[0]
            raise self.error(f"answers {shown(kind)}, and no JSON", "Check url: it may be a page for people.") from None
        if not isinstance(answered, dict) or LISTED not in (answered.get("schemas") or ()):
            raise self.error("answers JSON that is no SCIM list", "Check url; it ends where /Users begins.")
        kept: dict[str, Any] = _kept(answered) if any(mark in content for mark in _UNUSUAL) else answered
        return kept

    def error(self, what: str, remedy: str) -> DataError:
        return DataError(f"{self.url} {what}.", remedy)


def _kept(value: Any) -> Any:
    """What an answer says with each of its texts as it can be kept."""
    if isinstance(value, str):
        return carried(value)
    if isinstance(value, list):
        return [_kept(part) for part in value]
    return {name: _kept(part) for name, part in value.items()} if isinstance(value, dict) else value


def _authorization(block: Settings) -> dict[str, str]:
    """The header that says who asks. The secret is read anew each time and kept nowhere."""
    block.only("how", "user", "password_from", "token_from")
    how = block.text("how", "bearer" if "token_from" in block.values else "none")
    if how == "bearer":
        return {"Authorization": f"Bearer {block.secret('token_from')}"}
    if how == "basic":
        pair = f"{block.text('user')}:{block.secret('password_from')}"
        return {"Authorization": f"Basic {base64.b64encode(pair.encode()).decode()}"}
    if how != "none":
        raise block.expected('how = "bearer", "basic" or "none"')
    return {}


def _asked_to_wait(answered: str | None, otherwise: float) -> float:
    """How long a Retry-After asks to wait (RFC 9110, 10.2.3), within reason."""
    if answered and answered.strip().isdecimal():
        return min(float(answered), _MOST_WAIT)
    if answered:
        try:
            return min(max(parsedate_to_datetime(answered).timestamp() - time.time(), 0.0), _MOST_WAIT)
        except (TypeError, ValueError):
            return otherwise
    return min(otherwise, _MOST_WAIT)


class _Translation(msgspec.Struct, dict=True):
    """Users and groups as tables."""

    settings: Settings
    problems: list[Problem]
    references: dict[str, str] = msgspec.field(default_factory=dict)  # by the service's id

    def __post_init__(self) -> None:
        self.file = self.settings.address("url")
        self.system = self.settings.text("system", "scim")
        self.becomes = self.settings.texts("as") or ["accounts"]
        self.further = self.settings.named("attributes")
        if not set(self.becomes) <= {"identities", "accounts"}:
            raise self.settings.expected('as = ["identities"], ["accounts"] or both')

    def tables(self, users: Sequence[dict[str, Any]], groups: Sequence[dict[str, Any]]) -> list[Table]:
        known = [user for user in users if self.is_fit(user)]
        for user in known:
            name = user["userName"]
            is_person = "identities" in self.becomes
            reference = reference_to("identity", name) if is_person else reference_to("account", self.system, name)
            self.references[str(user.get("id"))] = reference
        named = [group for group in groups if self.is_named(group)]
        for group in named:
            self.references[str(group.get("id"))] = reference_to("group", self.system, group["displayName"])
        tables = [self.table(kinds.SYSTEMS, [{"system": self.system}])]
        if "identities" in self.becomes:
            tables.append(self.table(kinds.IDENTITIES, [self.person(user) for user in known]))
        if "accounts" in self.becomes:
            tables.append(self.table(kinds.ACCOUNTS, [self.account(user) for user in known]))
        rows = [{"system": self.system, "group": group["displayName"]} for group in named]
        tables += [self.table(kinds.GROUPS, rows), self.table(kinds.MEMBERS, list(self.members(named)))]
        roles, resources, grants = self.rights(known)
        tables.append(self.table(kinds.ROLES, roles))
        actions = [{"system": self.system, "action": "hold", "kind": None}] if resources else []
        tables += [self.table(kinds.ACTIONS, actions), self.table(kinds.RESOURCES, resources)]
        return [*tables, self.table(kinds.GRANTS, grants)]

    def table(self, kind: Kind, rows: Sequence[Mapping[str, str | None]]) -> Table:
        names = list(dict.fromkeys(name for row in rows for name in row)) or list(kind.key)
        cells = {name: [row.get(name) for row in rows] for name in names}
        return Table.of_cells(kind, self.file, cells)

    def is_fit(self, user: Mapping[str, Any]) -> bool:
        name = user.get("userName")
        if not isinstance(name, str) or not name.strip():
            self.aside(user, "a user has no userName", "Fill it in.")
            return False
        if any(isinstance(value, str) and len(value) > _LONGEST_VALUE for value in user.values()):
            self.aside(user, "an attribute is longer than 1 MiB", "Shorten it.")
            return False
        return True

    def is_named(self, group: Mapping[str, Any]) -> bool:
        if not isinstance(group.get("displayName"), str) or not group["displayName"].strip():
            self.aside(group, "a group has no displayName", "Fill it in.")
            return False
        return True

    def aside(self, resource: Mapping[str, Any], reason: str, remedy: str) -> None:
        self.problems.append(Problem(self.file, 0, "", shown(str(resource.get("id"))), reason, remedy))

    def person(self, user: Mapping[str, Any]) -> dict[str, str | None]:
        enterprise = _block(user, ENTERPRISE)
        manager = self.references.get(str(_block(enterprise, "manager").get("value")), "")
        record = {
            "id": user["userName"],
            "name": _name(user),
            "status": "active" if user.get("active", True) else "suspended",
            "email": _main(user.get("emails")),
            "title": _text(user.get("title")),
            "department": _text(enterprise.get("department")),
            "manager": name_in("identity", manager) if manager.startswith("identity:") else None,
            "employment": _text(user.get("userType")),
        }
        return record | self.attributes(user)

    def account(self, user: Mapping[str, Any]) -> dict[str, str | None]:
        is_active = user.get("active", True)
        return {
            "system": self.system,
            "login": user["userName"],
            "identity": user["userName"] if "identities" in self.becomes else None,
            "status": "enabled" if is_active else "disabled",
            "email": _main(user.get("emails")),
            "name": _name(user),
            "external": _text(user.get("externalId")),
            "staff_number": _text(_block(user, ENTERPRISE).get("employeeNumber")),
        } | self.attributes(user)

    def attributes(self, user: Mapping[str, Any]) -> dict[str, str | None]:
        """Further attributes, by the paths that the source names, as in `name.familyName`."""
        found = {}
        for ours, path in self.further.items():
            value: Any = user
            first = [ENTERPRISE] if path.startswith(ENTERPRISE) else []
            for part in [*first, *path.removeprefix(ENTERPRISE).strip(":.").split(".")]:
                value = value.get(part) if isinstance(value, Mapping) else None
            found[ours] = _text(value)
        return found

    def members(self, groups: Sequence[Mapping[str, Any]]) -> Iterator[dict[str, str | None]]:
        for group in groups:
            members = group.get("members") or []
            if not isinstance(members, list):
                self.aside(
                    group, f"the members of {shown(group['displayName'])} are no list", "Ask who runs the service."
                )
                continue
            for member in members:
                number = str(member.get("value")) if isinstance(member, Mapping) else ""
                reference = self.references.get(number)
                if reference is None:
                    name = shown(group["displayName"])
                    reason = f"the member {shown(number)} of {name} is no user or group that was read"
                    self.aside(group, reason, "Widen the filter, or take it out.")
                else:
                    yield {"system": self.system, "group": group["displayName"], "member": reference}

    def rights(self, users: Sequence[Mapping[str, Any]]) -> tuple[list[Any], list[Any], list[Any]]:
        """The roles and entitlements that users say they have: roles, resources for entitlements, and the grants."""
        roles: dict[str, dict[str, str | None]] = {}
        resources: dict[str, dict[str, str | None]] = {}
        grants = []
        for user in users:
            holder = self.references[str(user.get("id"))]
            for value in dict.fromkeys(_values(user.get("roles"))):
                roles[value] = {"system": self.system, "role": value}
                name = f"{self.system} {holder} role {value}"
                grants.append({"grant": name, "holder": holder, "gives": reference_to("role", self.system, value)})
            for value in dict.fromkeys(_values(user.get("entitlements"))):
                address = address_of(self.system, ("entitlements", value))
                resources[address] = {"resource": address, "type": "entitlement", "title": value}
                name = f"{self.system} {holder} hold {value}"
                grants.append({"grant": name, "holder": holder, "gives": f"hold {address}"})
        return list(roles.values()), list(resources.values()), grants


def _block(resource: Mapping[str, Any], name: str) -> Mapping[str, Any]:
    value = resource.get(name)
    return value if isinstance(value, Mapping) else {}


def _name(user: Mapping[str, Any]) -> str | None:
    name = _block(user, "name")
    whole = " ".join(filter(None, (_text(name.get("givenName")), _text(name.get("familyName")))))
    return _text(user.get("displayName")) or _text(name.get("formatted")) or whole or None


def _text(value: Any) -> str | None:
    if value is None or isinstance(value, Mapping | list):
        return None
    if isinstance(value, bool):
        return "true" if value else "false"
    return str(value).replace("\0", "") or None


def _values(several: Any) -> list[str]:
    """The values of a multi-valued attribute, whether plain or objects."""
    listed = several if isinstance(several, list) else []
    found = [it.get("value") if isinstance(it, Mapping) else it for it in listed]
    return [text for text in map(_text, found) if text]


def _main(several: Any) -> str | None:
    """The primary value of a multi-valued attribute, else the first."""
    if isinstance(several, list):
        chosen = [it for it in several if isinstance(it, Mapping) and it.get("primary") is True]
        return next(iter(_values(chosen) or _values(several)), None)
    return None
