"""The same questions put to general-purpose tools: DuckDB and PostgreSQL in recursive SQL, networkx as a graph.

The SQL peers get what makes their work easiest: numbers for names, every resource with all below it as a table,
and in PostgreSQL an index for every join.
"""

import io
import os
import shutil
import subprocess
import time
from pathlib import Path

import networkx as nx
import numpy as np
import pandas as pd
from organisation import ACTIONS, IMPLIES

# One duty or resource: the nodes [$lo, $hi) and an action. Permits and denies are carried down from what applies.
WHO = """
WITH RECURSIVE
hit AS (
  SELECT DISTINCT l.role, b.x AS n, l.deny,
         NOT l.deny AND EXISTS (SELECT 1 FROM covers c WHERE c.b = l.action AND c.a = {a}) AS p,
         EXISTS (SELECT 1 FROM covers c WHERE c.b = {a} AND c.a = l.action) AS d
  FROM below b JOIN line l ON l.node = b.t
  WHERE b.x >= {lo} AND b.x < {hi} AND (l.deep OR b.same)),
sen AS (
  SELECT role, n, deny, p, d FROM hit WHERE p OR d
  UNION SELECT j.r, s.n, s.deny, s.p, s.d FROM junior j JOIN sen s ON j.j = s.role),
held AS (
  SELECT g.holder, s.n, (g.deny OR s.deny) AS deny FROM grt g JOIN sen s ON g.role = s.role
  WHERE ((g.deny OR s.deny) AND s.d) OR (NOT g.deny AND NOT s.deny AND s.p)
  UNION
  SELECT g.holder, b.x, false FROM below b JOIN grt g ON g.node = b.t
  WHERE g.role < 0 AND b.x >= {lo} AND b.x < {hi}
    AND EXISTS (SELECT 1 FROM covers c WHERE c.b = g.action AND c.a = {a})),
down AS (
  SELECT holder, n, deny FROM held
  UNION SELECT m.m, d.n, d.deny FROM member m JOIN down d ON m.g = d.holder),
every AS (
  SELECT holder, n, deny FROM down WHERE holder >= 0 AND holder < {people}
  UNION SELECT i.i, d.n, d.deny FROM down d, person i WHERE d.holder = -1)
SELECT DISTINCT holder FROM (
  SELECT holder, n FROM every WHERE NOT deny EXCEPT SELECT holder, n FROM every WHERE deny) w ORDER BY holder
"""
# What the people of a sample reach: (asker, action, node).
WHAT = """
WITH RECURSIVE
up AS (SELECT i AS asker, i AS holder FROM sample UNION SELECT u.asker, m.g FROM member m JOIN up u ON m.m = u.holder),
got AS (
  SELECT DISTINCT u.asker, g.role, g.action, g.node, g.deny FROM up u JOIN grt g ON g.holder = u.holder
  UNION SELECT s.i, g.role, g.action, g.node, g.deny FROM sample s, grt g WHERE g.holder = -1),
rol AS (
  SELECT asker, role, deny FROM got WHERE role >= 0
  UNION SELECT r.asker, j.j, r.deny FROM junior j JOIN rol r ON j.r = r.role),
given AS (
  SELECT DISTINCT r.asker, l.action, l.node, l.deep, (r.deny OR l.deny) AS deny
  FROM rol r JOIN line l ON l.role = r.role
  UNION SELECT asker, action, node, true, deny FROM got WHERE role < 0),
pairs AS (
  SELECT DISTINCT g.asker, g.deny, CASE WHEN g.deny THEN c.b ELSE c.a END AS action, w.x AS n
  FROM given g JOIN covers c ON (CASE WHEN g.deny THEN c.a ELSE c.b END) = g.action
  JOIN below w ON w.t = g.node WHERE g.deep OR w.same)
SELECT asker, action, n FROM pairs WHERE NOT deny EXCEPT SELECT asker, action, n FROM pairs WHERE deny
"""


def tables(organisation, index):
    """The organisation as data frames; nodes are numbered as the index numbers them."""
    number = {address: at for at, address in enumerate(index.tree.addresses)}
    node = np.array([number[address] for address in organisation.addresses()])
    entry, grant = organisation.entry.copy(), organisation.grant.copy()
    entry[:, 2] = node[entry[:, 2]]
    grant[:, 3] = np.where(grant[:, 3] >= 0, node[grant[:, 3]], -1)
    covers = sorted({(b, a) for b in range(len(ACTIONS)) for a in _implied(b)})
    tree = index.tree
    return {
        "person": pd.DataFrame({"i": np.arange(organisation.identities)}),
        "member": pd.DataFrame(organisation.member, columns=["m", "g"]),
        "junior": pd.DataFrame(organisation.junior, columns=["r", "j"]),
        "line": _flags(pd.DataFrame(entry, columns=["role", "action", "node", "deep", "deny"]).drop_duplicates()),
        "grt": _flags(pd.DataFrame(grant, columns=["holder", "role", "action", "node", "deny"])),
        "below": _below(tree),
        "covers": pd.DataFrame(covers, columns=["b", "a"]),
    }


def _below(tree):
    """Every node with each node at or below it, and whether nothing detached lies between."""
    sizes = tree.end - np.arange(len(tree))
    top = np.repeat(np.arange(len(tree)), sizes)
    below = np.arange(len(top)) - np.repeat(np.cumsum(sizes) - sizes, sizes) + top
    return pd.DataFrame({"t": top, "x": below, "same": tree.region[top] == tree.region[below]})


def _implied(action):
    found, rest = {action}, [action]
    for at in rest:
        rest += [ACTIONS.index(name) for name in IMPLIES.get(ACTIONS[at], ()) if ACTIONS.index(name) not in found]
        found.update(rest)
    return found


def _flags(frame):
    return frame.assign(**{name: frame[name].astype(bool) for name in ("deep", "deny") if name in frame})


class Duck:
    """DuckDB in memory, on both cores."""

    name = "DuckDB"

    def __init__(self, frames):
        import duckdb

        self.connection = duckdb.connect()
        self.connection.execute("SET threads = 2")
        for name, frame in frames.items():
            self.connection.register("frame", frame)
            self.connection.execute(f"CREATE TABLE {name} AS SELECT * FROM frame")
            self.connection.unregister("frame")
        self.people = len(frames["person"])

    def who(self, action, lo, hi):
        query = WHO.format(a=action, lo=lo, hi=hi, people=self.people)
        return self.connection.execute(query).fetchnumpy()["holder"]

    def set_sample(self, people):
        self.connection.execute("CREATE OR REPLACE TABLE sample (i BIGINT)")
        self.connection.executemany("INSERT INTO sample VALUES (?)", [(int(one),) for one in people])

    def what(self):
        return len(self.connection.execute(WHAT).fetchnumpy()["asker"])

    def count(self):
        query = f"SELECT asker, count(*) AS pairs FROM ({WHAT}) w GROUP BY asker"
        found = self.connection.execute(query).fetchnumpy()
        return dict(zip(found["asker"].tolist(), found["pairs"].tolist(), strict=True))

    def to_parquet(self, file):
        self.connection.execute(f"COPY ({WHAT}) TO '{file}' (FORMAT parquet)")

    def close(self):
        self.connection.close()


class Postgres:
    """PostgreSQL in a folder of its own, with an index for every join."""

    name = "PostgreSQL"

    def __init__(self, frames, folder: Path):
        import psycopg

        found = shutil.which("pg_ctl") or next(map(str, Path("/usr/lib/postgresql").glob("*/bin/pg_ctl")))
        self.bin, self.folder = Path(found).parent, folder
        folder.mkdir()
        folder.chmod(0o777)
        self.user = ["setpriv", "--reuid=65534", "--clear-groups"] if os.geteuid() == 0 else []
        data = folder / "data"
        self._do("initdb", "-D", data, "-U", "bench", "-A", "trust", "--no-sync")
        settings = f"-k {folder} -c listen_addresses= -c shared_buffers=2GB -c work_mem=512MB -c fsync=off -c jit=off"
        self._do("pg_ctl", "-D", data, "-w", "-o", settings, "-l", folder / "log", "start")
        self.connection = psycopg.connect(host=str(folder), user="bench", dbname="postgres", autocommit=True)
        kinds = {"bool": "boolean", "int64": "int", "int32": "int"}
        for name, frame in frames.items():
            columns = ", ".join(f"{column} {kinds[str(kind)]}" for column, kind in frame.dtypes.items())
            self.connection.execute(f"CREATE TABLE {name} ({columns})")
            text = io.StringIO()
            frame.to_csv(text, header=False, index=False)
            with self.connection.cursor().copy(f"COPY {name} FROM STDIN (FORMAT csv)") as copy:
                copy.write(text.getvalue())
        for index in ("member (m)", "member (g)", "junior (r)", "junior (j)", "line (role)", "line (node)"):
            self.connection.execute(f"CREATE INDEX ON {index}")
        for index in ("grt (holder)", "grt (role)", "grt (node)", "below (t)", "below (x)", "person (i)"):
            self.connection.execute(f"CREATE INDEX ON {index}")
        self.connection.execute("CREATE TABLE sample (i int)")
        self.connection.execute("ANALYZE")
        self.people = len(frames["person"])

    def _do(self, program, *words):
        done = subprocess.run(
            [*self.user, str(self.bin / program), *map(str, words)], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE
        )
        if done.returncode:
            raise RuntimeError(done.stderr.decode())

    def who(self, action, lo, hi):
        query = WHO.format(a=action, lo=lo, hi=hi, people=self.people)
        return np.array([row[0] for row in self.connection.execute(query).fetchall()])

    def set_sample(self, people):
        self.connection.execute("TRUNCATE sample")
        for one in people:
            self.connection.execute("INSERT INTO sample VALUES (%s)", (int(one),))
        self.connection.execute("ANALYZE sample")

    def what(self):
        return len(self.connection.execute(WHAT).fetchall())

    def count(self):
        query = f"SELECT asker, count(*) FROM ({WHAT}) w GROUP BY asker"
        return dict(self.connection.execute(query).fetchall())

    def close(self):
        self.connection.close()
        self._do("pg_ctl", "-D", self.folder / "data", "-m", "immediate", "stop")


class Graph:
    """networkx: members, groups, roles and lines as one directed graph; the tree of resources by dictionaries."""

    name = "networkx"

    def __init__(self, frames):
        started = time.perf_counter()
        graph = nx.DiGraph()
        graph.add_edges_from(map(tuple, frames["member"].to_numpy().tolist()))
        graph.add_nodes_from(range(len(frames["person"])))
        self.people, self.frames = len(frames["person"]), frames
        self.roles = nx.DiGraph([(("r", r), ("r", j)) for r, j in frames["junior"].to_numpy().tolist()])
        self.graph = graph
        self.by_node, self.by_role, self.held = {}, {}, {}
        for role, action, node, deep, deny in frames["line"].itertuples(index=False):
            self.by_node.setdefault(node, []).append((role, action, deep, deny))
            self.roles.add_node(("r", role))
        for holder, role, action, node, deny in frames["grt"].itertuples(index=False):
            if role >= 0:
                self.by_role.setdefault(role, []).append((holder, deny))
            else:
                self.held.setdefault(node, []).append((holder, action))
        self.above = {}
        for top, below, same in frames["below"].itertuples(index=False):
            self.above.setdefault(below, []).append((top, same))
        self.covers = set(map(tuple, frames["covers"].to_numpy().tolist()))
        self.took = time.perf_counter() - started

    def who(self, action, lo, hi):
        found = set()
        for node in range(lo, hi):
            found |= self._on(action, node)
        return np.array(sorted(found))

    def _on(self, action, node):
        sides = (set(), set())
        for top, same in self.above[node]:
            for role, given, deep, deny in self.by_node.get(top, ()):
                if deep or same:
                    for _, senior in (("", ("r", role)), *(("", one) for one in nx.ancestors(self.roles, ("r", role)))):
                        for holder, denies in self.by_role.get(senior[1], ()):
                            says_no = deny or denies
                            if ((action, given) if says_no else (given, action)) in self.covers:
                                sides[says_no].add(holder)
            sides[0].update(holder for holder, given in self.held.get(top, ()) if (given, action) in self.covers)
        permits, denials = (self._members(side) for side in sides)
        return permits - denials

    def _members(self, holders):
        if -1 in holders:
            return set(range(self.people))
        found = set(holders)
        for holder in holders:
            if holder in self.graph:
                found |= nx.ancestors(self.graph, holder)
        return {one for one in found if one < self.people}

    def close(self):
        pass
