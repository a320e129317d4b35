"""A PostgreSQL database as records that decide as the server does.

Every role is an account. For every role there is a group of those who have its privileges (itself, and members that
inherit, through members that inherit) and one of those who may become it (all members). Access lists, with the server's
own defaults where none is set, are grants to these groups, PUBLIC is everyone, a superuser may do everything. A table
needs `use-schema` on its schema: a gate. Versions differ in whether a role or each membership says that it inherits.

No name can pass for another: in the names of these groups a colon of a role is written out (`%3A`), in addresses the
bracket of a table or a function's name (`%28`) and the at sign that a database begins with (`%40`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

import msgspec

from kathodos.model.addresses import address_of
from kathodos.model.json_text import json_text
from kathodos.model.references import reference_to
from kathodos.model.times import time_text

Record = dict[str, object]
Query = Callable[[str], Sequence[tuple[Any, ...]]]
ROLES = "@roles"
MEMBERS = "@members"
DEFAULTS = "@defaults"
RUNS_AS, READS, DRAWS_ON, FIRES = "runs_as", "reads", "draws_on", "fires"  # attributes of tables, views and functions
OWNER, CALLER = "owner", "caller"
_AS = {True: OWNER, False: CALLER}
ACTIONS = {
    "select": "read",
    "insert": "write",
    "update": "write",
    "delete": "write",
    "truncate": "write",
    "references": "write",
    "trigger": "write",
    "usage": "read",
    "use-schema": "read",
    "create-in-schema": "write",
    "connect": "read",
    "create-schema": "write",
    "temporary": "write",
    "use-role": "administer",
    "become-role": "administer",
    "execute": "write",
    "admit": "administer",
}
_TYPES = {"r": "table", "p": "table", "f": "table", "v": "view", "m": "view", "S": "sequence"}
_MAINTAIN = "maintain"  # since version 17
_READ_ALL, _WRITE_ALL, _MAINTAIN_ALL = "pg_read_all_data", "pg_write_all_data", "pg_maintain"
_SCHEMAS = "nspname !~ '^pg_' AND nspname <> 'information_schema'"
_OF_DATABASES = {"CONNECT": "connect", "CREATE": "create-schema", "TEMPORARY": "temporary"}
_OF_SCHEMAS = {"USAGE": "use-schema", "CREATE": "create-in-schema"}
_HAS_OPTION = """
SELECT count(*) FROM pg_attribute WHERE attrelid = 'pg_auth_members'::regclass AND attname = 'inherit_option'
"""
_MEMBERS = """
SELECT g.rolname, m.rolname, {inherits}, {sets} FROM pg_auth_members a
JOIN pg_roles g ON g.oid = a.roleid JOIN pg_roles m ON m.oid = a.member
"""
_DATABASE = """
SELECT d.datname, pg_get_userbyid(d.datdba), pg_get_userbyid(e.grantee), e.grantee, e.privilege_type FROM pg_database d
CROSS JOIN LATERAL aclexplode(coalesce(d.datacl, acldefault('d', d.datdba))) e WHERE d.datallowconn
"""
_HERE = "SELECT datname, pg_get_userbyid(datdba) FROM pg_database WHERE datname = current_database()"
_FUNCTION = f"""
SELECT n.nspname, p.proname, pg_get_function_identity_arguments(p.oid), pg_get_userbyid(e.grantee), e.grantee
FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace
CROSS JOIN LATERAL aclexplode(coalesce(p.proacl, acldefault('f', p.proowner))) e WHERE {_SCHEMAS}
"""
_FUNCTIONS = f"""
SELECT n.nspname, p.proname, pg_get_function_identity_arguments(p.oid), pg_get_userbyid(p.proowner), p.prosecdef
FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace WHERE {_SCHEMAS}
"""
_ADMINS = """
SELECT g.rolname, m.rolname FROM pg_auth_members a
JOIN pg_roles g ON g.oid = a.roleid JOIN pg_roles m ON m.oid = a.member WHERE a.admin_option
"""
_DEFAULT = """
SELECT pg_get_userbyid(d.defaclrole), coalesce(n.nspname, '*'), d.defaclobjtype::text, pg_get_userbyid(e.grantee),
  e.grantee, e.privilege_type FROM pg_default_acl d LEFT JOIN pg_namespace n ON n.oid = d.defaclnamespace
CROSS JOIN LATERAL aclexplode(d.defaclacl) e
"""
_SEEN = "SELECT usename, max(backend_start) FROM pg_stat_activity WHERE usename IS NOT NULL GROUP BY usename"
_HAS_LAST_SCAN = """
SELECT count(*) FROM pg_attribute WHERE attrelid = 'pg_stat_all_tables'::regclass AND attname = 'last_seq_scan'
"""
_SCANS = """
SELECT schemaname, relname, coalesce(seq_scan, 0) + coalesce(idx_scan, 0), {last} FROM pg_stat_all_tables
WHERE schemaname !~ '^pg_' AND schemaname <> 'information_schema'
"""
_OBJECTS = {"r": "tables", "S": "sequences", "f": "functions", "T": "types", "n": "schemas"}
_SCHEMA = f"""
SELECT n.nspname, pg_get_userbyid(e.grantee), e.grantee, e.privilege_type FROM pg_namespace n
CROSS JOIN LATERAL aclexplode(coalesce(n.nspacl, acldefault('n', n.nspowner))) e WHERE {_SCHEMAS}
"""
_RELATION = f"""
SELECT n.nspname, c.relname, pg_get_userbyid(e.grantee), e.grantee, e.privilege_type FROM pg_class c
JOIN pg_namespace n ON n.oid = c.relnamespace CROSS JOIN LATERAL aclexplode(coalesce(
  c.relacl, acldefault(CASE c.relkind WHEN 'S' THEN 's' ELSE 'r' END::"char", c.relowner))) e
WHERE c.relkind IN ('r', 'p', 'f', 'v', 'm', 'S') AND {_SCHEMAS}
"""
_COLUMN = f"""
SELECT n.nspname, c.relname, a.attname, pg_get_userbyid(e.grantee), e.grantee, e.privilege_type FROM pg_attribute a
JOIN pg_class c ON c.oid = a.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace
CROSS JOIN LATERAL aclexplode(a.attacl) e WHERE a.attnum > 0 AND NOT a.attisdropped AND {_SCHEMAS}
"""
_RELATIONS = f"""
SELECT n.nspname, c.relname, c.relkind::text, pg_get_userbyid(c.relowner), c.relrowsecurity, c.relforcerowsecurity
FROM pg_class c
JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.relkind IN ('r', 'p', 'f', 'v', 'm', 'S') AND {_SCHEMAS}
"""
_FOREIGN_KEYS = f"""
SELECT DISTINCT n.nspname, c.relname, m.nspname, p.relname FROM pg_constraint k
JOIN pg_class c ON c.oid = k.conrelid JOIN pg_namespace n ON n.oid = c.relnamespace
JOIN pg_class p ON p.oid = k.confrelid JOIN pg_namespace m ON m.oid = p.relnamespace
WHERE k.contype = 'f' AND {_SCHEMAS.replace("nspname", "n.nspname")} ORDER BY 1, 2, 3, 4
"""
# How often a view's own rule names each relation: as the server keeps the rule, so often a query that reads the view
# reads the relation for it. Until version 16 a rule names the view itself as well.
_READ_BY_VIEWS = f"""
SELECT n.nspname, c.relname, m.nspname, p.relname FROM pg_rewrite r
JOIN pg_class c ON c.oid = r.ev_class JOIN pg_namespace n ON n.oid = c.relnamespace
CROSS JOIN LATERAL regexp_matches(r.ev_action::text, ':rtekind 0 :relid ([0-9]+)', 'g') AS named (found)
JOIN pg_class p ON p.oid = named.found[1]::oid JOIN pg_namespace m ON m.oid = p.relnamespace
WHERE c.relkind = 'v' AND r.ev_type = '1' AND p.oid <> c.oid AND {_SCHEMAS.replace("nspname", "n.nspname")}
"""
_OF_CALLERS = """
SELECT n.nspname, c.relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE c.relkind = 'v' AND EXISTS (SELECT 1 FROM unnest(c.reloptions) AS o
  WHERE lower(o) IN ('security_invoker=true', 'security_invoker=on', 'security_invoker=1', 'security_invoker=yes'))
"""
_DRAWN_ON = f"""
SELECT n.nspname, c.relname, a.attnum, a.attname, m.nspname, s.relname FROM pg_attrdef f
JOIN pg_depend d ON d.classid = 'pg_attrdef'::regclass AND d.objid = f.oid AND d.refclassid = 'pg_class'::regclass
JOIN pg_class s ON s.oid = d.refobjid AND s.relkind = 'S' JOIN pg_namespace m ON m.oid = s.relnamespace
JOIN pg_attribute a ON a.attrelid = f.adrelid AND a.attnum = f.adnum
JOIN pg_class c ON c.oid = f.adrelid JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE {_SCHEMAS.replace("nspname", "n.nspname")} ORDER BY 1, 2, 3
"""
_FIRED = f"""
SELECT n.nspname, c.relname, m.nspname, p.proname, pg_get_function_identity_arguments(p.oid) FROM pg_trigger t
JOIN pg_class c ON c.oid = t.tgrelid JOIN pg_namespace n ON n.oid = c.relnamespace
JOIN pg_proc p ON p.oid = t.tgfoid JOIN pg_namespace m ON m.oid = p.pronamespace
WHERE NOT t.tgisinternal AND {_SCHEMAS.replace("nspname", "n.nspname")} ORDER BY 1, 2, 3, 4
"""
_COLUMNS = f"""
SELECT n.nspname, c.relname, a.attname FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid
JOIN pg_namespace n ON n.oid = c.relnamespace
WHERE a.attnum > 0 AND NOT a.attisdropped AND c.relkind IN ('r', 'p', 'f', 'v', 'm') AND {_SCHEMAS}
"""


def read_records(query: Query, system: str) -> dict[str, list[Record]]:
    """The records of the database that `query` runs its SQL in, by kind."""
    return _Reader(query, system).tables()


def has(role: str) -> str:
    """The group of those who have a role's privileges."""
    return role.replace("%", "%25").replace(":", "%3A")


def may_become(role: str) -> str:
    """The group of those who may become a role."""
    return f"{has(role)}:member"


def address_in_database(system: str, database: str, *path: str) -> str:
    """The address of a database, a schema, a table or a column."""
    top, *below = (_in_address(name) for name in (database, *path))
    top = f"%40{top[1:]}" if top.startswith("@") else top
    return f"{system}:/{'/'.join([top, *(name.replace('(', '%28') for name in below)])}"


def address_of_function(system: str, database: str, schema: str, name: str, arguments: str) -> str:
    """The address of a function; its bracket tells it from a table, whatever that is called."""
    return f"{address_in_database(system, database, schema, name)}({_in_address(arguments)})"


def _in_address(name: str) -> str:
    """A name as one segment of an address."""
    return address_of("", [name]).removeprefix(":/")


class _Reader(msgspec.Struct):
    query: Query
    system: str

    def tables(self) -> dict[str, list[Record]]:
        ((database, owner),) = self.query(_HERE)
        seen: dict[str, Any] = dict(self.query(_SEEN))
        roles = self.query("SELECT rolname, rolsuper, rolcanlogin FROM pg_roles ORDER BY rolname")
        names = [name for name, _, _ in roles]
        actions = {**ACTIONS, _MAINTAIN: "write"} if _MAINTAIN_ALL in names else ACTIONS
        return {
            "systems": [{"system": self.system, "gates": "schema=use-schema"}],
            "actions": [{"system": self.system, "action": name, "kind": kind} for name, kind in actions.items()],
            "accounts": [
                {
                    "system": self.system,
                    "login": name,
                    "privileged": int(is_super),
                    "can_login": str(can_login).lower(),
                    "last_login": time_text(seen[name]) if seen.get(name) else None,
                }
                for name, is_super, can_login in roles
            ],
            "groups": [
                {"system": self.system, "group": group, "title": title.format(name)}
                for name in names
                for group, title in ((has(name), "has the privileges of {}"), (may_become(name), "may become {}"))
            ],
            "members": list(self.members(names, owner)),
            "resources": list(self.resources(database, names)),
            "grants": [
                {"grant": f"{holder} {action} {address}", "holder": holder, "gives": f"{action} {address}"}
                for holder, action, address in sorted(set(self.grants(database, roles)))
            ],
        }

    def at(self, *path: str) -> str:
        return address_of(self.system, path)

    def in_database(self, *path: str) -> str:
        return address_in_database(self.system, *path)

    def members(self, names: Sequence[str], owner: str) -> Iterator[Record]:
        """Who has the privileges of each role, and who may become it."""
        (has_option,) = self.query(_HAS_OPTION)[0]
        options = ("a.inherit_option", "a.set_option") if has_option else ("m.rolinherit", "true")
        found = list(self.query(_MEMBERS.format(inherits=options[0], sets=options[1])))
        inherits: dict[str, bool] = dict(self.query("SELECT rolname, rolinherit FROM pg_roles"))
        found.append(("pg_database_owner", owner, inherits[owner], True))
        pairs = [(has(name), reference_to("account", self.system, name)) for name in names]
        pairs += [(may_become(name), reference_to("account", self.system, name)) for name in names]
        for role, member, does_inherit, does_set in found:
            if does_set:
                pairs.append((may_become(role), reference_to("group", self.system, may_become(member))))
            if does_inherit:
                pairs.append((has(role), reference_to("group", self.system, has(member))))
        for group, member in sorted(set(pairs)):
            yield {"system": self.system, "group": group, "member": member}

    def resources(self, database: str, names: Sequence[str]) -> Iterator[Record]:
        for name in sorted({row[0] for row in self.query(_DATABASE)}):
            yield {"resource": self.in_database(name), "type": "database"}
        for (schema,) in self.query(f"SELECT nspname FROM pg_namespace WHERE {_SCHEMAS}"):
            yield {"resource": self.in_database(database, schema), "type": "schema"}
        (has_last,) = self.query(_HAS_LAST_SCAN)[0]
        last = "greatest(last_seq_scan, last_idx_scan)" if has_last else "NULL::timestamptz"
        scans = {(schema, name): rest for schema, name, *rest in self.query(_SCANS.format(last=last))}
        further = self.beside(database)
        for schema, relation, kind, owner, has_rules, is_forced in self.query(_RELATIONS):
            count, used = scans.get((schema, relation), (None, None))
            yield {
                "resource": self.in_database(database, schema, relation),
                "type": _TYPES[kind],
                "title": f"owned by {owner}",
                "row_security": ("on", "forced")[is_forced] if has_rules else None,
                "scans": count,
                "last_used": time_text(used) if used else None,
                **further.get((schema, relation), {}),
            }
        for schema, function, arguments, owner, runs_as_owner in self.query(_FUNCTIONS):
            runs_as = f", runs as {owner}" if runs_as_owner else ""
            address = address_of_function(self.system, database, schema, function, arguments)
            title = f"owned by {owner}{runs_as}"
            yield {"resource": address, "type": "function", "title": title, RUNS_AS: _AS[runs_as_owner]}
        for role in sorted({role for role, _ in self.query(_ADMINS)}):
            yield {"resource": self.at(MEMBERS, role), "type": "group", "title": f"who is a member of {role}"}
        for owner, schema, kind in sorted({row[:3] for row in self.query(_DEFAULT)}):
            title = f"what new {_OBJECTS[kind]} of {owner} give"
            yield {"resource": self.at(DEFAULTS, owner, schema, _OBJECTS[kind]), "type": "defaults", "title": title}
        for schema, relation, column in self.query(_COLUMNS):
            yield {"resource": self.in_database(database, schema, relation, column), "type": "column"}
        for name in names:
            yield {"resource": self.at(ROLES, name), "type": "role"}

    def beside(self, database: str) -> dict[tuple[str, str], Record]:
        """What tables and views have to do with others, by schema and name.

        What a table's foreign keys refer to; what a view reads, and with whose rights; on which sequences a table's
        defaults draw, by column; the functions that its triggers call.
        """
        found: dict[tuple[str, str], dict[str, list[Any]]] = {}

        def note(schema: str, relation: str, name: str, what: object) -> None:
            found.setdefault((schema, relation), {}).setdefault(name, []).append(what)

        for schema, relation, *other in self.query(_FOREIGN_KEYS):
            note(schema, relation, "refers", self.in_database(database, *other))
        for schema, relation, *other in self.query(_READ_BY_VIEWS):
            note(schema, relation, READS, self.in_database(database, *other))
        for schema, relation, number, column, *other in self.query(_DRAWN_ON):
            note(schema, relation, DRAWS_ON, [number, column, self.in_database(database, *other)])
        for schema, relation, *function in self.query(_FIRED):
            note(schema, relation, FIRES, address_of_function(self.system, database, *function))
        of_callers = set(self.query(_OF_CALLERS))
        made: dict[tuple[str, str], Record] = {}
        for key, lists in found.items():
            refers = ";".join(it for it in lists.pop("refers", []) if ";" not in it)  # a list cannot hold such a name
            made[key] = {name: json_text(some) for name, some in lists.items()}
            if refers:
                made[key]["refers"] = refers
            if READS in lists:
                made[key][RUNS_AS] = _AS[key not in of_callers]
        return made

    def grants(self, database: str, roles: Sequence[tuple[Any, ...]]) -> Iterator[tuple[str, str, str]]:
        """(holder, action, address) of everything that the access lists give."""
        everything = f"{self.system}:/**"
        for name, is_super, _ in roles:
            yield reference_to("group", self.system, has(name)), "use-role", self.at(ROLES, name)
            yield reference_to("group", self.system, may_become(name)), "become-role", self.at(ROLES, name)
            if is_super:
                yield reference_to("account", self.system, name), "*", everything
            for action in self.of_all_data(name):
                yield reference_to("group", self.system, has(name)), action, everything
        for name, _, role, grantee, privilege in self.query(_DATABASE):
            yield self.holder(role, grantee), _OF_DATABASES[privilege], self.in_database(name)
        for schema, function, arguments, role, grantee in self.query(_FUNCTION):
            address = address_of_function(self.system, database, schema, function, arguments)
            yield self.holder(role, grantee), "execute", address
        for role, member in self.query(_ADMINS):
            yield reference_to("group", self.system, may_become(member)), "admit", self.at(MEMBERS, role)
        for owner, schema, kind, role, grantee, privilege in self.query(_DEFAULT):
            action = _OF_SCHEMAS[privilege] if kind == "n" else privilege.lower()
            yield self.holder(role, grantee), action, self.at(DEFAULTS, owner, schema, _OBJECTS[kind])
        for schema, role, grantee, privilege in self.query(_SCHEMA):
            yield self.holder(role, grantee), _OF_SCHEMAS[privilege], self.in_database(database, schema)
        for schema, relation, role, grantee, privilege in self.query(_RELATION):
            yield self.holder(role, grantee), privilege.lower(), self.in_database(database, schema, relation)
        for schema, relation, column, role, grantee, privilege in self.query(_COLUMN):
            yield self.holder(role, grantee), privilege.lower(), self.in_database(database, schema, relation, column)

    @staticmethod
    def of_all_data(role: str) -> tuple[str, ...]:
        """What the predefined roles over all data may do everywhere."""
        if role == _READ_ALL:
            return "select", "use-schema"
        if role == _MAINTAIN_ALL:
            return (_MAINTAIN,)
        return ("insert", "update", "delete", "use-schema") if role == _WRITE_ALL else ()

    def holder(self, role: str, grantee: int) -> str:
        """Whoever has the privileges of a grantee; number 0 is PUBLIC."""
        return reference_to("group", self.system, has(role)) if grantee else "everyone"
