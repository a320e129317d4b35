"""What finding answers, asked in SQL: whole kinds of excess, rules and parts of risk, for DuckDB."""

import numpy as np
import pandas as pd
import peers

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
    holders = index.holders
    seen = basis.moments(basis.account("last_login"))
    system = np.searchsorted(index.system_roots, np.arange(len(index.tree)), side="right")
    weights = [EXCESSIVE[it.severity] * it.confidence / 100 for it in batches]
    return {
        "active": pd.DataFrame({"i": holders.is_active.nonzero()[0]}),
        "able": pd.DataFrame({"i": (holders.is_active | (holders.accounts_of.sizes() > 0)).nonzero()[0]}),
        "account": pd.DataFrame({"owner": holders.owner, "days": np.maximum((basis.moment - seen) // DAY, 0)}),
        "finding": pd.DataFrame(
            {"whose": np.concatenate([it.whose for it in batches]), "weight": np.concatenate(weights)}
        ),
        "system": pd.DataFrame({"node": np.arange(len(index.tree)), "s": system}),
    }
