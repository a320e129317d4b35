"""What finding answers, asked in SQL: whole kinds of excess, rules and parts of risk, for DuckDB."""

import numpy as np
import pandas as pd
import peers

from kathodos.findings.excess.peers import upper_share
from kathodos.findings.risk.judging import EXCESSIVE
from kathodos.model.times import DAY

ABOVE = """
CREATE OR REPLACE TABLE above AS
WITH RECURSIVE up AS (
  SELECT DISTINCT g, g AS a FROM (SELECT g FROM member UNION SELECT m FROM member WHERE m >= {people}) x
  UNION SELECT u.g, m.g FROM up u JOIN member m ON m.m = u.a)
SELECT g, a FROM up
"""
SENIOR = """
CREATE OR REPLACE TABLE package AS
WITH RECURSIVE down AS (
  SELECT DISTINCT role AS r, role AS j FROM line UNION SELECT r, r FROM junior UNION SELECT j, j FROM junior
  UNION SELECT d.r, jr.j FROM down d JOIN junior jr ON jr.r = d.j)
SELECT r, j FROM down
"""
# What is held: groups that give something as they are, roles behind them, permissions behind these.
THING = "CASE WHEN role >= 0 THEN {groups} + role ELSE {groups} + {roles} + action * {nodes} + node END"
BEYOND_PEERS = """
WITH
given AS (SELECT holder, {thing} AS t FROM grt WHERE NOT deny),
giving AS (SELECT DISTINCT a.g FROM above a JOIN given v ON v.holder = a.a),
unit AS (
  SELECT m AS i, m.g AS t FROM member m JOIN giving USING (g) WHERE m.m < {people}
  UNION ALL SELECT holder, t FROM given WHERE holder >= 0 AND holder < {people}),
known AS (SELECT i, t, p FROM unit JOIN position USING (i) WHERE p >= 0),
wanted AS (SELECT DISTINCT t FROM known),
mine AS (SELECT i, p FROM position JOIN active USING (i) WHERE p >= 0),
inside AS (SELECT DISTINCT i, p, a FROM mine JOIN member m ON m.m = i JOIN above USING (g)),
held AS (
  SELECT i, p, a AS t FROM inside
  UNION SELECT i, p, t FROM inside JOIN given v ON v.holder = a SEMI JOIN wanted USING (t)
  UNION SELECT i, p, t FROM mine JOIN given v ON v.holder = i
  UNION SELECT i, p, t FROM mine, given v SEMI JOIN wanted USING (t) WHERE v.holder = -1),
counts AS (SELECT p, t, count(*) AS having_it FROM held GROUP BY p, t),
sizes AS (SELECT p, count(*) - 1 AS others FROM position WHERE p >= 0 GROUP BY p)
SELECT count(*) FROM known JOIN counts USING (p, t) JOIN sizes USING (p) JOIN few USING (others)
WHERE having_it - 1 <= most
"""
USED = """
WITH
hit AS (
  SELECT DISTINCT u.i, l.role FROM used u JOIN below b ON b.x = u.node JOIN line l ON l.node = b.t
  JOIN covers c ON c.b = l.action AND c.a = u.action WHERE NOT l.deny AND (l.deep OR b.same)),
carried AS (SELECT DISTINCT h.i, p.r AS role FROM hit h JOIN package p ON p.j = h.role),
by_role AS (SELECT c.i, g.holder FROM carried c JOIN grt g ON g.role = c.role WHERE NOT g.deny),
by_permission AS (
  SELECT u.i, g.holder FROM used u JOIN below b ON b.x = u.node JOIN grt g ON g.node = b.t AND g.role < 0
  JOIN covers c ON c.b = g.action AND c.a = u.action WHERE g.holder = u.i),
singles AS (
  SELECT i, holder FROM by_permission UNION ALL SELECT i, holder FROM by_role WHERE holder = i),
memberships AS (
  SELECT DISTINCT r.i, m.g FROM by_role r JOIN above a ON a.a = r.holder JOIN member m ON m.m = r.i AND m.g = a.g)
SELECT (SELECT count(DISTINCT i) FROM singles) + (SELECT count(*) FROM memberships)
"""
NEAR_ROLES = """
WITH
pack AS (SELECT DISTINCT p.r, l.action, l.node, l.deep, l.deny FROM package p JOIN line l ON l.role = p.j),
numbered AS (SELECT r, dense_rank() OVER (ORDER BY action, node, deep, deny) AS n FROM pack),
sizes AS (SELECT r, count(*) AS size FROM numbered GROUP BY r),
common AS (
  SELECT a.r AS one, b.r AS other, count(*) AS shared FROM numbered a JOIN numbered b USING (n)
  WHERE a.r < b.r GROUP BY a.r, b.r),
pairs AS (
  SELECT one, other, shared, s.size AS mine, t.size AS yours FROM common
  JOIN sizes s ON s.r = one JOIN sizes t ON t.r = other)
SELECT count(*) FROM pairs
WHERE (shared >= 0.8 * (mine + yours - shared) AND least(mine, yours) >= 3 OR mine + yours - shared = shared)
  AND NOT EXISTS (SELECT 1 FROM package p WHERE p.r = one AND p.j = other OR p.r = other AND p.j = one)
"""
DORMANT = "SELECT count(*) FROM account WHERE days > 90"
# Breadth, excess and dormancy of everybody, before they are rounded.
RISK = """
WITH
given AS (
  SELECT g.holder, l.node FROM grt g JOIN package p ON p.r = g.role JOIN line l ON l.role = p.j
  WHERE NOT g.deny AND NOT l.deny
  UNION SELECT holder, node FROM grt WHERE role < 0),
within AS (SELECT DISTINCT holder, s FROM given JOIN system USING (node)),
through AS (
  SELECT m.m AS i, a.a AS holder FROM member m JOIN above a USING (g) WHERE m.m < {people}
  UNION ALL SELECT i, i FROM person),
breadth AS (
  SELECT i, count(DISTINCT s) AS wide FROM (
    SELECT t.i, w.s FROM through t JOIN within w USING (holder)
    UNION SELECT a.i, w.s FROM able a, within w WHERE w.holder = -1) x GROUP BY i),
excess AS (SELECT whose AS i, 1 - exp(sum(ln(1 - weight))) AS much FROM finding WHERE whose >= 0 GROUP BY whose),
idle AS (SELECT owner AS i, max(days) AS days FROM account WHERE days > 90 AND owner >= 0 GROUP BY owner)
SELECT i, coalesce(wide, 0) AS breadth, coalesce(much, 0) * 15 AS excess,
  least(coalesce(days, 0) / 365, 1) * 5 AS dormancy
FROM person LEFT JOIN breadth USING (i) LEFT JOIN excess USING (i) LEFT JOIN idle USING (i) ORDER BY i
"""


class Asked(peers.Duck):
    """DuckDB with what finding needs beside grants and groups, and the closures that several questions share."""

    def __init__(self, frames, more):
        super().__init__({**frames, **more})
        self.words = {}
        self.words = {
            "people": self.people,
            "groups": self.count("SELECT max(g) + 1 FROM member"),
            "roles": self.count("SELECT max(role) + 1 FROM line"),
            "nodes": self.count("SELECT max(x) + 1 FROM below"),
        }
        self.words["thing"] = THING.format(**self.words)
        self.connection.execute(ABOVE.format(**self.words))
        self.connection.execute(SENIOR)

    def count(self, query):
        return int(self.connection.execute(query.format(**self.words)).fetchone()[0])

    def risk(self):
        """Breadth, excess and dormancy of everybody, as columns."""
        found = self.connection.execute(RISK.format(**self.words)).fetchnumpy()
        return np.stack([np.asarray(found[name]) for name in ("breadth", "excess", "dormancy")], axis=1)


def more_tables(context, batches):
    """What is known of people, accounts, uses and findings, as data frames."""
    basis, index = context.basis, context.basis.index
    uses, holders, limits = basis.uses, index.holders, context.thresholds
    seen = basis.moments(basis.account("last_login"))
    number = np.array([peers.ACTIONS.index(name) for _, name in index.actions])
    by_people = uses.user < basis.people
    used = {"i": uses.user, "action": number[uses.action], "node": uses.node}
    system = np.searchsorted(index.system_roots, np.arange(len(index.tree)), side="right")
    weights = [EXCESSIVE[it.severity] * it.confidence / 100 for it in batches]
    sizes = np.unique(np.bincount(basis.peers[basis.peers >= 0]) - 1)
    few = [(int(of), most) for of in sizes[sizes > 0] if (most := _most(int(of), limits)) >= 0]
    return {
        "position": pd.DataFrame({"i": np.arange(basis.people), "p": basis.peers}),
        "active": pd.DataFrame({"i": holders.is_active.nonzero()[0]}),
        "able": pd.DataFrame({"i": (holders.is_active | (holders.accounts_of.sizes() > 0)).nonzero()[0]}),
        "used": pd.DataFrame({name: column[by_people] for name, column in used.items()}).drop_duplicates(),
        "account": pd.DataFrame({"owner": holders.owner, "days": np.maximum((basis.moment - seen) // DAY, 0)}),
        "finding": pd.DataFrame(
            {"whose": np.concatenate([it.whose for it in batches]), "weight": np.concatenate(weights)}
        ),
        "system": pd.DataFrame({"node": np.arange(len(index.tree)), "s": system}),
        "few": pd.DataFrame(few, columns=["others", "most"]),
    }


def _most(of, limits):
    """How many of so many others are still surely few; -1 where not even none is."""
    having = np.arange(of + 1)
    shares = upper_share(having, np.full(of + 1, of), limits.peer_confidence)
    return int((shares < limits.peer_share).sum()) - 1
