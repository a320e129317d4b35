"""What is said about units, written as plainly as possible: one person at a time, from the tables, by removing rows."""

import itertools

from tests.reference import Reference, instant, matches, split


class Unit:
    """What can be taken from somebody by itself: a grant, or a membership of theirs or of one of their accounts."""

    def __init__(self, asker, kind, row):
        self.asker, self.kind, self.row = asker, kind, row

    @property
    def holder(self):
        return self.row["holder" if self.kind == "grants" else "member"]

    @property
    def group(self):
        return f"group:{self.row['system']}/{self.row['group']}"


class Plain:
    """The reference of the evidence: a catalogue at a moment, with uses as (who, action, node, time) and needs as
    (who, permissions) where `who` tells an asker's record."""

    def __init__(self, catalogue, moment, uses=(), needs=()):
        self.catalogue, self.moment, self.uses, self.needs = catalogue, moment, uses, needs
        self.reading = Reference(catalogue)
        self.reached = {asker: self.reach(self.reading, asker) for asker in self.reading.askers()}

    def reach(self, reading, asker):
        return {
            (action, node)
            for node in reading.nodes
            for action in reading.actions(node[0])
            if reading.reaches(asker, action, node, self.moment)
        }

    def asker_of(self, holder):
        owned = holder.startswith("account:") and self.reading.owner(holder) in self.reading.identities
        return f"identity:{self.reading.owner(holder)}" if owned else holder

    def units(self):
        """Grants and memberships of people and accounts, whether or not they give anything now."""
        for kind, column in (("grants", "holder"), ("members", "member")):
            for row in self.catalogue[kind]:
                if row[column].startswith(("identity:", "account:")):
                    yield Unit(self.asker_of(row[column]), kind, row)

    def without(self, unit):
        rows = [row for row in self.catalogue[unit.kind] if row is not unit.row]
        return self.reach(Reference({**self.catalogue, unit.kind: rows}), unit.asker)

    def adds(self, unit):
        return self.reached[unit.asker] - self.without(unit)

    def withholds(self, unit):
        return self.without(unit) - self.reached[unit.asker]

    def content(self, unit):
        """What is reached by a chain through the unit, or not without it: one may open a gate for something else."""
        found = self.adds(unit)
        for action, node in self.reached[unit.asker]:
            for holders, grant, *_ in self.reading.chains(unit.asker, action, node, self.moment)[0]:
                if unit.kind == "grants" and grant == unit.row["grant"]:
                    found.add((action, node))
                steps = itertools.pairwise(holders)
                if unit.kind == "members" and (unit.holder, unit.group) in steps:
                    found.add((action, node))
        return found

    # What it names

    def carried(self, unit):
        """The grants that a unit consists of: itself, or what the group and those that it is in hold."""
        if unit.kind == "grants":
            return [unit.row]
        groups = {unit.group}
        while more := {it for group in groups for it in self.reading.groups_of(group)} - groups:
            groups |= more
        return [
            row
            for row in self.catalogue["grants"]
            if row["holder"] in groups and instant(row.get("from")) <= self.moment < instant(row.get("until"), end=True)
        ]

    def names(self, unit):
        """The pairs that it is written for, reached or not."""
        found = set()
        for grant in self.carried(unit):
            for action, pattern, denies in self.reading.given[grant["grant"]]:
                if not denies:
                    system = split(pattern)[0]
                    actions = self.reading.actions(system) if action == "*" else {action}
                    found |= {(it, node) for node in self.named(grant, pattern) for it in actions}
        return found

    def named(self, grant, pattern):
        """The targets of a pattern within a grant's scope; where the scope lies below, the topmost nodes of it."""
        path = split(pattern)
        target = path[:-1] if path[-1] == "**" and len(path) > 1 else path

        def applies(node):
            return bool(node) and bool(
                self.reading.targets_reaching(pattern, node)
                and self.reading.scope_anchor(grant.get("on"), node) is not None
            )

        return {
            node
            for node in self.reading.nodes
            if node[0] == path[0] and applies(node) and (matches(target[1:], node[1:]) or not applies(node[:-1]))
        }

    # Use

    def used(self, unit, pairs, actions=None):
        """How often and when last somebody used some pairs in the time of a unit; only of some actions, where said."""
        begins = max(instant(unit.row.get("from")), instant(unit.row.get("given_at")))
        some = [
            (count, time)
            for who, action, node, time, count in self.uses
            if self.asker_of(who) == unit.asker
            and (action, node) in pairs
            and (actions is None or action in actions)
            and instant(time) >= begins
        ]
        return sum(count for count, _ in some), max((time for _, time in some), default=None)

    # Need

    def asked(self, permissions):
        """What a need asks for: its actions and what they imply, wherever the permission applies."""
        return {
            (other, node)
            for action, pattern in permissions
            for node in self.reading.nodes
            if self.reading.targets_reaching(pattern, node)
            for other in self.reading.actions(node[0])
            if action == "*" or self.reading.implies(node[0], action, other)
        }

    def needs_of(self, asker):
        record = self.reading.identities.get(asker.removeprefix("identity:"))
        return [at for at, (who, _) in enumerate(self.needs) if record is not None and who(record)]

    def needed(self, unit):
        """The needs by which it adds something, and those that ask only for what others give as well."""
        adds, content = self.adds(unit), self.content(unit)
        by = {at: self.asked(self.needs[at][1]) for at in self.needs_of(unit.asker)}
        needed = {at for at, pairs in by.items() if pairs & adds}
        return needed, {at for at, pairs in by.items() if pairs & content} - needed

    def beyond(self, unit):
        """The actions, with their system, that a unit that is asked for names and no need asks for, and on how many
        resources it lets them be done that no need asks for; none where it lets them be done on none."""
        if not any(self.needed(unit)):
            return {}
        asked = set().union(*(self.asked(self.needs[at][1]) for at in self.needs_of(unit.asker)))
        found = dict.fromkeys((node[0], action) for action, node in self.names(unit) - asked)
        for key in found:
            found[key] = len({node for action, node in self.content(unit) - asked if (node[0], action) == key})
        return {key: count for key, count in found.items() if count}

    # How many have it

    def named_for(self, unit):
        """What a unit names, as far as whoever has it reaches that; all of it where that, or the unit, is nothing."""
        names = self.names(unit)
        return (names & self.reached[unit.asker] if self.counts(unit) else names) or names

    def counts(self, unit):
        """Whether a unit is in force, and its holder counts."""
        row = unit.row
        in_force = instant(row.get("from")) <= self.moment < instant(row.get("until"), end=True)
        carries = unit.kind == "grants" or bool(self.carried(unit))
        return in_force and carries and unit.holder in self.reading.principals(unit.asker, self.moment)

    def active(self):
        """The identities that count where it is said how many have something."""
        return [
            name
            for name, row in self.reading.identities.items()
            if row.get("status", "active") == "active"
            and instant(row.get("starts")) <= self.moment < instant(row.get("ends"), end=True)
        ]

    def others(self, unit, *attributes):
        """The others who are active, of the same kind, and share those of some attributes that are known of anybody."""
        people = self.reading.identities.values()
        attributes = [it for it in attributes if any(row.get(it) for row in people)] or attributes
        mine = self.reading.identities.get(unit.asker.removeprefix("identity:"))
        if mine is None or not all(mine.get(it) for it in attributes):
            return []
        return [
            f"identity:{name}"
            for name in self.active()
            if f"identity:{name}" != unit.asker
            and all(self.reading.identities[name].get(it) == mine.get(it) for it in (*attributes, "kind"))
        ]

    def having(self, unit, people):
        """How many of some people reach all that a unit names."""
        names = self.named_for(unit)
        return sum(bool(names) and names <= self.reached[it] for it in people)
