"""The meaning of reach, steps 1 to 7, written as plainly as possible: sets, loops and recursion, no arrays.

Works on a catalogue of plain records: {kind name: [{column: value}]}, absent columns left out.
"""

import functools
import re
from datetime import UTC, datetime, timedelta


def instant(text, end=False):
    if not text:
        return datetime.max.replace(tzinfo=UTC) if end else datetime.min.replace(tzinfo=UTC)
    if len(text) == 10:
        day = datetime.fromisoformat(text).replace(tzinfo=UTC)
        return day + timedelta(days=1) if end else day
    return datetime.fromisoformat(text)


def split(address):
    system, path = address.split(":/", 1)
    return (system, *(path.split("/") if path else ()))


def matches(pattern, path):
    """Whether the pattern's segments match all of the path's."""
    if not pattern:
        return not path
    if pattern[0] == "**":
        return any(matches(pattern[1:], path[count:]) for count in range(len(path) + 1))
    if not path:
        return False
    expression = ".*".join(re.escape(part) for part in pattern[0].split("*"))
    return re.fullmatch(expression, path[0], re.DOTALL) is not None and matches(pattern[1:], path[1:])


class Reference:
    def __init__(self, catalogue):
        self.catalogue = catalogue
        self.rows = lambda kind: catalogue.get(kind, [])
        self.systems = {row["system"]: row for row in self.rows("systems")}
        self.identities = {row["id"]: row for row in self.rows("identities")}
        self.resources = {split(row["resource"]): row for row in self.rows("resources")}
        self.nodes = {(system,) for system in self.systems}
        for path in self.resources:
            self.nodes |= {path[:size] for size in range(1, len(path) + 1)}
        self.implied = {}
        for row in self.rows("actions"):
            for other in (row.get("implies") or "").split(";"):
                if other:
                    self.implied.setdefault((row["system"], row["action"]), set()).add(other)
        self.lines = {}
        for row in self.rows("role_permissions"):
            line = (row["action"], row["resource"], row.get("effect", "permit") == "deny")
            self.lines.setdefault(f"{row['system']}/{row['role']}", []).append(line)
        self.given = {grant["grant"]: self.gives(grant) for grant in self.rows("grants")}

    @functools.cached_property
    def holders(self):
        """Whoever may hold a grant; one to anybody else is as none."""
        found = {f"group:{row['system']}/{row['group']}" for row in self.rows("groups")}
        found |= {f"account:{row['system']}/{row['login']}" for row in self.rows("accounts")}
        return found | {f"identity:{name}" for name in self.identities} | {"everyone"}

    def actions(self, system):
        names = {row["action"] for row in self.rows("actions") if row["system"] == system}
        names |= {other for (owner, _), others in self.implied.items() if owner == system for other in others}
        lines = [line for lines in self.lines.values() for line in lines]
        lines += [
            (*row["gives"].split(" "), False)
            for row in self.rows("grants")
            if " " in row["gives"] and row["holder"] in self.holders
        ]
        names |= {action for action, pattern, _ in lines if split(pattern)[0] == system and action != "*"}
        return names | set(self.gates(system).values())

    def gates(self, system):
        return dict(gate.split("=") for gate in (self.systems[system].get("gates") or "").split(";") if gate)

    # Step 1
    @functools.cache  # noqa: B019  # a reference lives as long as one example
    def principals(self, asker, moment):
        kind, name = asker.split(":", 1)
        accounts = [
            row
            for row in self.rows("accounts")
            if row.get("status", "enabled") == "enabled"
            and (row.get("identity") == name if kind == "identity" else f"{row['system']}/{row['login']}" == name)
        ]
        found = {f"account:{row['system']}/{row['login']}" for row in accounts}
        if kind == "identity":
            row = self.identities[name]
            within = instant(row.get("starts")) <= moment < instant(row.get("ends"), end=True)
            if row.get("status", "active") == "active" and within:
                found.add(asker)
        if found:
            found.add("everyone")
        while True:
            more = {
                f"group:{row['system']}/{row['group']}" for row in self.rows("members") if row["member"] in found
            } | {
                f"group:{row['system']}/{row['group']}"
                for row in self.rows("groups")
                if row.get("filter")
                for member in found
                if member.startswith("identity:") and self.selects(row["filter"], self.identities[member[9:]])
            }
            if more <= found:
                return found
            found |= more

    @staticmethod
    def selects(text, record):
        attribute, operator, value = [*text.split(" ", 2), ""][:3]
        held = (record.get(attribute) or "").casefold()
        return {"eq": held == value.strip('"').casefold(), "pr": bool(held)}[operator]

    # Step 3
    def gives(self, grant):
        if " " in grant["gives"]:
            lines = [(*grant["gives"].split(" "), False)]
        else:
            lines, roles, seen = [], [grant["gives"].removeprefix("role:")], set()
            active = {f"{row['system']}/{row['role']}" for row in self.rows("roles") if row.get("active", 1)}
            while roles:
                role = roles.pop()
                if role in active and role not in seen:
                    seen.add(role)
                    lines += self.lines.get(role, [])
                    for row in self.rows("role_juniors"):
                        if f"{row['system']}/{row['role']}" == role:
                            roles.append(row["junior"].removeprefix("role:"))
        denies = grant.get("effect", "permit") == "deny"
        return [(action, pattern, denies or line_denies) for action, pattern, line_denies in lines]

    # Step 4
    def is_cut(self, top, node):
        """Whether a node after `top` on the way to `node`, `node` included, is detached."""
        between = (node[:size] for size in range(len(top) + 1, len(node) + 1))
        return any(self.resources.get(path, {}).get("detached") for path in between)

    @functools.cache  # noqa: B019
    def targets_reaching(self, pattern, node):
        """The targets of a pattern from which it applies to the node."""
        path = split(pattern)
        ancestors = [node[:size] for size in range(1, len(node) + 1)]
        if path[-1] == "**" and len(path) > 1:
            return [top for top in ancestors if top[0] == path[0] and matches(path[1:-1], top[1:])]
        inherits = self.systems[node[0]].get("inherit", 1)
        return [
            top
            for top in ancestors
            if top[0] == path[0]
            and matches(path[1:], top[1:])
            and (top == node or (inherits and not self.is_cut(top, node)))
        ]

    def holds(self, entry, node, exception=False):
        path = split(entry)
        if "*" in entry:
            return path[0] == node[0] and matches(path[1:], node[1:])
        return node[: len(path)] == path and (exception or not self.is_cut(path, node))

    @functools.cache  # noqa: B019
    def scope_anchor(self, scope, node):
        """None where the scope does not hold the node; else the depth that the scope anchors at, or -1."""
        if scope is None:
            return -1
        if not scope.startswith("area:"):
            if not self.holds(scope, node):
                return None
            return -1 if "*" in scope else len(split(scope)) - 1
        area = next(row for row in self.rows("areas") if row["area"] == scope[5:])
        entries = area["resources"].split(";")
        outside = [text for text in (area.get("except") or "").split(";") if text]
        if not any(self.holds(entry, node) for entry in entries):
            return None
        if any(self.holds(entry, node, exception=True) for entry in outside):
            return None
        if area.get("filter") and not self.selects(area["filter"], self.resources.get(node, {})):
            return None
        addresses = [split(entry) for entry in entries if "*" not in entry]
        return max((len(path) - 1 for path in addresses if node[: len(path)] == path), default=-1)

    # Step 5
    @functools.cache  # noqa: B019
    def implies(self, system, action, other):
        seen, rest = set(), [action]
        while rest:
            now = rest.pop()
            if now == other:
                return True
            if now not in seen:
                seen.add(now)
                rest += self.implied.get((system, now), ())
        return False

    def applicable(self, principals, action, node, moment):
        """(tier, anchor depth, denies) of everything that applies."""
        for grant in self.rows("grants"):
            if grant["holder"] not in principals:
                continue
            if not instant(grant.get("from")) <= moment < instant(grant.get("until"), end=True):
                continue
            within = self.scope_anchor(grant.get("on"), node)
            if within is None:
                continue
            for given, pattern, denies in self.given[grant["grant"]]:
                bears = given == "*" or (
                    self.implies(node[0], action, given) if denies else self.implies(node[0], given, action)
                )
                for target in self.targets_reaching(pattern, node) if bears else ():
                    yield grant.get("tier", 0), max(len(target) - 1, within), denies

    # Step 6
    def permitted(self, principals, action, node, moment):
        found = list(self.applicable(principals, action, node, moment))
        combining = self.systems[node[0]].get("combining", "deny-overrides")
        if combining == "first-applicable":
            found = [entry for entry in found if entry[0] == min(entry[0] for entry in found)]
        if combining == "nearest":
            found = [entry for entry in found if entry[1] == max(entry[1] for entry in found)]
        permits = any(not denies for _, _, denies in found)
        denials = any(denies for _, _, denies in found)
        if combining in ("deny-overrides", "nearest"):
            return permits and not denials
        return permits

    # Step 7
    def reaches(self, asker, action, node, moment):
        principals = self.principals(asker, moment)
        if not self.permitted(principals, action, node, moment):
            return False
        return all(
            self.permitted(principals, gate, node[:size], moment)
            for kind, gate in self.gates(node[0]).items()
            for size in range(1, len(node))
            if self.resources.get(node[:size], {}).get("type") == kind
        )

    # Chains, and the reasons of a no
    def holder_ways(self, asker, moment, holder):
        """Every way from the asker to a holder that names nobody twice."""
        kind, name = asker.split(":", 1)
        principals = self.principals(asker, moment)
        own = [found for found in principals if found.startswith("account:") and kind == "identity"]
        own = [found for found in own if self.owner(found) == name]
        starts = [(asker,)] if asker in principals else []
        starts += [(asker, account) for account in own]
        for way in starts:
            if holder == "everyone":
                if len(way) == 1 or asker not in principals:
                    yield (*way, "everyone")
            else:
                yield from self.ways(way, holder, self.groups_of)

    def owner(self, account):
        return next(
            row.get("identity") for row in self.rows("accounts") if f"{row['system']}/{row['login']}" == account[8:]
        )

    def groups_of(self, member):
        found = {f"group:{row['system']}/{row['group']}" for row in self.rows("members") if row["member"] == member}
        if member.startswith("identity:"):
            found |= {
                f"group:{row['system']}/{row['group']}"
                for row in self.rows("groups")
                if row.get("filter") and self.selects(row["filter"], self.identities[member[9:]])
            }
        return found

    def ways(self, way, end, ahead):
        if way[-1] == end:
            yield way
        else:
            for step in ahead(way[-1]):
                if step not in way:
                    yield from self.ways((*way, step), end, ahead)

    def juniors_of(self, role, any_status=False):
        active = {f"{row['system']}/{row['role']}" for row in self.rows("roles") if any_status or row.get("active", 1)}
        found = {row["junior"][5:] for row in self.rows("role_juniors") if f"{row['system']}/{row['role']}" == role}
        return found & active

    def role_ways(self, grant, line, any_status=False):
        """Every way from what the grant gives to a role that carries the line; one empty way for a permission."""
        if " " in grant["gives"]:
            return [()]
        top = (grant["gives"].removeprefix("role:"),)
        carriers = [role for role, lines in self.lines.items() if line in lines]
        ahead = functools.partial(self.juniors_of, any_status=any_status)
        return [tuple(f"role:{role}" for role in way) for end in carriers for way in self.ways(top, end, ahead)]

    def bearing(self, asker, action, node, moment):
        """Every (rank, denies, chain) of what applies, lowest rank first."""
        system = self.systems[node[0]].get("combining", "deny-overrides")
        principals = self.principals(asker, moment)
        for grant in self.rows("grants"):
            within = self.scope_anchor(grant.get("on"), node)
            live = instant(grant.get("from")) <= moment < instant(grant.get("until"), end=True)
            if grant["holder"] not in principals or not live or within is None:
                continue
            for line in set(self.given[grant["grant"]]):
                given, pattern, denies = line
                first, second = (action, given) if denies else (given, action)
                if given != "*" and not self.implies(node[0], first, second):
                    continue
                lines = [(given, pattern, carried) for carried in (False, True)]
                roles = {
                    way
                    for one in lines
                    for way in self.role_ways(grant, one)
                    if one[2] == denies or grant.get("effect") == "deny"
                }
                for target in self.targets_reaching(pattern, node):
                    anchor = max(len(target) - 1, within)
                    rank = {"first-applicable": grant.get("tier", 0), "nearest": -anchor}.get(system, 0)
                    for holders in self.holder_ways(asker, moment, grant["holder"]):
                        for way in roles:
                            yield rank, denies, (holders, grant["grant"], way, given, pattern, target)

    def chains(self, asker, action, node, moment):
        """The chains that permit and that deny: of the rank that decides, or all permits where it does not permit."""
        found = list(self.bearing(asker, action, node, moment))
        best = min((rank for rank, _, _ in found), default=0)
        permits = [chain for rank, denies, chain in found if rank == best and not denies]
        denials = [chain for rank, denies, chain in found if rank == best and denies]
        if not self.permitted(self.principals(asker, moment), action, node, moment):
            permits = [chain for _, denies, chain in found if not denies]
        return permits, denials

    def closed_gates(self, asker, action, node, moment):
        principals = self.principals(asker, moment)
        if not self.permitted(principals, action, node, moment):
            return []
        return [
            f"{node[0]}:/{'/'.join(node[1:size])}"
            for kind, gate in self.gates(node[0]).items()
            for size in range(1, len(node))
            if self.resources.get(node[:size], {}).get("type") == kind
            and not self.permitted(principals, gate, node[:size], moment)
        ]

    def near_misses(self, asker, action, node, moment):
        """For each grant that would permit it, all that may be said to stand against it."""
        kind, name = asker.split(":", 1)
        owned = {
            f"account:{row['system']}/{row['login']}"
            for row in self.rows("accounts")
            if kind == "identity" and row.get("identity") == name
        }
        could_be = {asker, "everyone"} | owned
        while more := {group for member in could_be for group in self.groups_of(member)} - could_be:
            could_be |= more
        found = {}
        for grant in self.rows("grants"):
            if grant["holder"] not in could_be or grant.get("effect") == "deny":
                continue
            own = (
                [(*grant["gives"].split(" "), False)]
                if " " in grant["gives"]
                else [line for lines in self.lines.values() for line in lines]
            )
            for line in own:
                given, pattern, denies = line
                path = split(pattern)
                target = path[:-1] if path[-1] == "**" and len(path) > 1 else path
                above = [
                    node[:size]
                    for size in range(1, len(node) + 1)
                    if path[0] == node[0] and matches(target[1:], node[1:size])
                ]
                if denies or not above or (given != "*" and not self.implies(node[0], given, action)):
                    continue
                for way in self.role_ways(grant, line, any_status=True):
                    reasons = sorted(self.against(grant, pattern, way, node, asker, moment))
                    if reasons:
                        found.setdefault(grant["grant"], []).append(reasons)
        return found

    def against(self, grant, pattern, way, node, asker, moment):
        if moment < instant(grant.get("from")):
            yield f"not before {instant(grant['from']):%Y-%m-%dT%H:%M:%SZ}"
        if moment >= instant(grant.get("until"), end=True):
            yield f"ended {instant(grant['until'], end=True):%Y-%m-%dT%H:%M:%SZ}"
        for role in way:
            row = next(row for row in self.rows("roles") if f"role:{row['system']}/{row['role']}" == role)
            if not row.get("active", 1):
                yield f"{role} is not active"
        if not self.targets_reaching(pattern, node):
            if not self.systems[node[0]].get("inherit", 1):
                yield f"{node[0]} does not inherit from above"
            else:
                cut = max(
                    size for size in range(1, len(node) + 1) if self.resources.get(node[:size], {}).get("detached")
                )
                yield f"cut off at {node[0]}:/{'/'.join(node[1:cut])}, which is detached"
        if self.scope_anchor(grant.get("on"), node) is None:
            yield f"out of its scope {grant['on']}"
        if grant["holder"] not in self.principals(asker, moment):
            yield f"{grant['holder']} does not count now"

    # Potential reach
    def potential(self, asker, moment):
        """What the asker could reach by giving itself what it may, and the steps as (kind, what, scope)."""
        pairs, steps = self.reached_by([self], asker, moment), {}
        entries = [name for name in self.principals(asker, moment) if name == asker or name.startswith("account:")]
        while entries:
            me = asker if asker in entries else min(entries, key=self.account_order)
            harmless = [step for step, denies in steps.items() if not denies]
            alone = [[step] for step, denies in steps.items() if denies]
            worlds = [self.after([*harmless, *more], me) for more in ([], *alone)]
            pairs |= self.reached_by(worlds, asker, moment)
            fresh = {
                step: world_denies
                for step, world_denies in self.possible(worlds, pairs, asker, moment)
                if step not in steps
            }
            if not fresh:
                break
            steps |= fresh
        return pairs, set(steps)

    def account_order(self, account):
        return [f"account:{row['system']}/{row['login']}" for row in self.rows("accounts")].index(account)

    def reached_by(self, worlds, asker, moment):
        return {
            (action, node)
            for world in worlds
            for node in self.nodes
            for action in self.actions(node[0])
            if world.reaches(asker, action, node, moment)
        }

    def after(self, steps, me):
        grants = [
            {"grant": f"taken{at}", "holder": me, "gives": what, "on": scope}
            for at, (kind, what, scope) in enumerate(steps)
            if kind in ("gives itself", "grants itself")
        ]
        lines = [
            {"system": what[5:].split("/")[0], "role": what[5:].split("/")[1], "action": "*", "resource": pattern}
            for kind, what, _ in steps
            if kind == "widens"
            for pattern in [f"{what[5:].split('/')[0]}:/**"]
        ]
        joined = [
            {"system": what[6:].split("/")[0], "group": what[6:].split("/")[1], "member": me}
            for kind, what, _ in steps
            if kind == "joins"
        ]
        catalogue = {**self.catalogue, "grants": [*self.rows("grants"), *grants]}
        catalogue["role_permissions"] = [*self.rows("role_permissions"), *lines]
        return Reference({**catalogue, "members": [*self.rows("members"), *joined]})

    def possible(self, worlds, pairs, asker, moment):
        """Every step that is possible now, and whether what it brings also denies."""
        counted = {name for world in worlds for name in world.principals(asker, moment)}
        roles = [f"{row['system']}/{row['role']}" for row in self.rows("roles")]
        for mandate in self.rows("mandates"):
            receives = not mandate.get("for") or (
                asker.startswith("identity:") and self.selects(mandate["for"], self.identities[asker[9:]])
            )
            if mandate["holder"] in counted and receives and "give" in mandate.get("may", "give;take"):
                for role in roles:
                    if any(matches((pattern,), (role,)) for pattern in mandate["roles"].split(";")):
                        scope = f"area:{mandate['area']}" if mandate.get("area") else None
                        yield ("gives itself", f"role:{role}", scope), self.denies_in_role(role)
        kinds = {(row["system"], row["action"]): row.get("kind") for row in self.rows("actions")}
        for action, node in pairs:
            kind = self.resources.get(node, {}).get("type")
            if len(node) > 1 and kinds.get((node[0], action)) == "administer":
                name = f"{node[0]}/{node[-1]}"
                by_hand = {f"{row['system']}/{row['group']}" for row in self.rows("groups") if not row.get("filter")}
                if kind == "group" and name in by_hand and f"group:{name}" not in self.principals(asker, moment):
                    yield ("joins", f"group:{name}", None), self.denies_in_group(f"group:{name}")
                if kind == "grants":
                    yield ("grants itself", f"* {node[0]}:/{'/'.join((*node[1:-1], '**'))}", None), False
                if kind == "role":
                    effects = {effect for world in worlds for effect in world.effects_of(name, asker, moment)}
                    if "permit" in effects:
                        yield ("widens", f"role:{name}", None), "deny" in effects

    def effects_of(self, role, asker, moment):
        for grant in self.rows("grants"):
            live = instant(grant.get("from")) <= moment < instant(grant.get("until"), end=True)
            if live and grant["holder"] in self.principals(asker, moment):
                top = grant["gives"].removeprefix("role:")
                if grant["gives"] != top and role in self.roles_below(top):
                    yield grant.get("effect") or "permit"

    def roles_below(self, top, any_status=False):
        found = {
            f"{row['system']}/{row['role']}" for row in self.rows("roles") if any_status or row.get("active", 1)
        } & {top}
        while more := {junior for role in found for junior in self.juniors_of(role, any_status)} - found:
            found |= more
        return found

    def denies_in_role(self, role):
        return any(
            denies for one in self.roles_below(role, any_status=True) for _, _, denies in self.lines.get(one, [])
        )

    def denies_in_group(self, group):
        above = {group}
        while more := {name for member in above for name in self.groups_of(member)} - above:
            above |= more
        held = [grant for grant in self.rows("grants") if grant["holder"] in above]
        return any(
            grant.get("effect") == "deny" or any(line[2] for line in self.given[grant["grant"]]) for grant in held
        )

    def askers(self):
        owned = set(self.identities)
        return [f"identity:{name}" for name in self.identities] + [
            f"account:{row['system']}/{row['login']}"
            for row in self.rows("accounts")
            if row.get("identity") not in owned
        ]

    def everything(self, moment):
        return {
            (asker, action, f"{node[0]}:/{'/'.join(node[1:])}")
            for asker in self.askers()
            for node in self.nodes
            for action in self.actions(node[0])
            if self.reaches(asker, action, node, moment)
        }
