"""A task recorded on a real server by its audit extension: the role made of it lets the task run, and no more."""

import contextlib
import time
import unittest

import psycopg

from tests import stores
from tests.servers import Postgres
from tests.support import Scratch
from tests.support import inside as run

SETTINGS = (
    "shared_preload_libraries=pgaudit",
    "logging_collector=on",
    "log_destination=stderr,csvlog{json}",
    "log_filename=server.log",
    "log_timezone=UTC",
    "pgaudit.log=read,write,function",
    "pgaudit.log_relation=on",
    "log_line_prefix=%m [%p] %q%u@%d ",
)
WORLD = """
CREATE ROLE owner LOGIN; CREATE ROLE clerk LOGIN; CREATE ROLE newcomer LOGIN;
REVOKE CONNECT ON DATABASE shop FROM PUBLIC; GRANT CONNECT ON DATABASE shop TO clerk;
CREATE SCHEMA sales AUTHORIZATION owner; CREATE SCHEMA hidden AUTHORIZATION owner;
GRANT USAGE ON SCHEMA sales, hidden TO clerk;
SET ROLE owner;
CREATE TABLE hidden.secrets (id int PRIMARY KEY, what text);
CREATE TABLE sales.customers (id int PRIMARY KEY, name text);
CREATE TABLE sales.orders (id serial PRIMARY KEY, customer int REFERENCES sales.customers, amount int);
CREATE TABLE sales.lines (id int PRIMARY KEY, "order" int REFERENCES sales.orders, note text);
CREATE TABLE sales."odd; name" (a int);
CREATE TABLE sales.journal (what text);
CREATE SEQUENCE sales.numbers;
CREATE VIEW sales.totals AS SELECT customer, sum(amount) AS total FROM sales.orders GROUP BY customer;
CREATE VIEW sales.best AS SELECT t.* FROM sales.totals t, sales.totals u WHERE t.total >= u.total;
CREATE VIEW sales.own WITH (security_invoker = true) AS SELECT * FROM sales.lines;
CREATE FUNCTION sales.count_secrets() RETURNS bigint LANGUAGE plpgsql SECURITY DEFINER AS
  $$ BEGIN RETURN (SELECT count(*) FROM hidden.secrets); END $$;
CREATE FUNCTION sales.count_lines() RETURNS bigint LANGUAGE plpgsql AS
  $$ BEGIN RETURN (SELECT count(*) FROM sales.lines); END $$;
CREATE FUNCTION sales.note() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER AS
  $$ BEGIN INSERT INTO sales.journal VALUES ('an order'); RETURN new; END $$;
CREATE TRIGGER noted AFTER INSERT ON sales.orders FOR EACH ROW EXECUTE FUNCTION sales.note();
REVOKE EXECUTE ON ALL FUNCTIONS IN SCHEMA sales FROM PUBLIC;
GRANT EXECUTE ON ALL FUNCTIONS IN SCHEMA sales TO clerk;
GRANT ALL ON ALL TABLES IN SCHEMA sales, hidden TO clerk;
GRANT ALL ON ALL SEQUENCES IN SCHEMA sales TO clerk;
INSERT INTO sales.customers VALUES (1, 'one'), (2, 'two');
RESET ROLE;
"""
TASKS = {
    "reads a view in a view, and a table": ("SELECT * FROM sales.best", 'SELECT a FROM sales."odd; name"'),
    "reads a view and what is below it": ("SELECT * FROM sales.totals, sales.orders",),
    "reads what a view reads for its caller": ("SELECT * FROM sales.own",),
    "calls functions": ("SELECT sales.count_secrets()", "SELECT sales.count_lines()"),
    "adds an order": ("INSERT INTO sales.orders (customer, amount) VALUES (1, 5)",),
    "adds a line and sees it": ("INSERT INTO sales.lines VALUES (7, NULL, 'a') RETURNING id",),
    "adds or changes": ("INSERT INTO sales.customers VALUES (1, 'new') ON CONFLICT (id) DO UPDATE SET name = 'newer'",),
    "changes all alike": ("UPDATE sales.customers SET name = 'same'",),
    "changes one": ("UPDATE sales.orders SET amount = 2 WHERE id = 1",),
    "counts up": ("UPDATE sales.orders SET amount = amount + 1",),
    "takes away": ("DELETE FROM sales.lines WHERE id = 7", "DELETE FROM sales.journal"),
    "locks": ("SELECT id FROM sales.orders FOR UPDATE",),
    "puts together": (
        "MERGE INTO sales.orders o USING sales.customers c ON c.id = o.customer "
        "WHEN MATCHED THEN UPDATE SET amount = 7 WHEN NOT MATCHED THEN INSERT (id, customer) VALUES (90 + c.id, 2)",
    ),
    "draws a number": ("SELECT nextval('sales.numbers')",),
    "empties": ("TRUNCATE sales.journal",),
    "in a block": ("DO $$ BEGIN PERFORM * FROM sales.customers; END $$",),
}


def granted(entry):
    """The statement that gives one entry to the newcomer, and the one that takes it."""
    path = [part.replace("%2F", "/") for part in entry["resource"].partition(":/")[2].split("/")]
    action = entry["action"]
    if action == "connect":
        thing = f'CONNECT ON DATABASE "{path[0]}"'
    elif action == "use-schema":
        thing = f'USAGE ON SCHEMA "{path[1]}"'
    elif action == "execute":
        name, _, arguments = path[2].partition("(")
        thing = f'EXECUTE ON FUNCTION "{path[1]}"."{name}"({arguments}'
    else:
        of = "SEQUENCE " if action == "usage" else ""
        thing = f'{action.upper()} ON {of}"{path[1]}"."{path[2]}"'
    return f"GRANT {thing} TO newcomer", f"REVOKE {thing} FROM newcomer"


def is_installed():
    """Whether the server's audit extension is there."""
    from kathodos.demo import services

    programs = services.postgres_programs()
    return programs is not None and any((programs.parent / "lib").glob("pgaudit.so"))


@unittest.skipIf(stores.ON_POSTGRES, "touches no store")
@unittest.skipUnless(is_installed(), "PostgreSQL's audit extension (pgaudit) is not installed")
class OnAServer(Scratch, unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        settings = [it.format(json=",jsonlog") for it in SETTINGS]
        cls.server = Postgres(*settings)
        cls.addClassCleanup(cls.server.close)
        cls.server.create("shop")
        with cls.server.connect("shop") as connection:
            connection.execute(f"CREATE EXTENSION pgaudit; {WORLD}")

    def setUp(self):
        super().setUp()
        run("init", "office", cwd=self.folder)
        self.office = self.folder / "office"
        url = f"postgresql://postgres@/shop?host={self.server.folder}&port={self.server.port}"
        stores.configured(self.office, f'[[source]]\nname = "db"\nkind = "postgres"\nsystem = "pg"\nurl = "{url}"\n')
        run("gather", cwd=self.office)
        self.seen = {}

    def recorded(self, statements, ending, user="clerk"):
        """Runs statements as somebody; gives the lines that the server's log has of it."""
        with self.server.connect("shop", user) as connection:
            with connection.transaction(force_rollback=True):
                for statement in statements:
                    connection.execute(statement)
            connection.execute("SELECT 'the end of this task'")
        log = self.server.data / "log" / f"server.{ending}"
        for _ in range(100):
            text = log.read_text()[self.seen.get(ending, 0) :]
            if text.count("the end of this task"):
                break
            time.sleep(0.05)
        self.seen[ending] = self.seen.get(ending, 0) + len(text)
        file = self.office / f"task.{ending}"
        file.write_text(text)
        return file

    def entries(self, file):
        import json

        words = ("role", "distil", "pg/task", "--trace", file, "--like", "db", "--companions", "0", "--dry-run")
        told = json.loads(run(*words, "--format", "json", cwd=self.office).stdout)
        return told, told["roles"][0]["entries"]

    def runs(self, statements):
        """Whether the newcomer can do a task; what it did is taken back."""
        with contextlib.suppress(psycopg.errors.InsufficientPrivilege):
            try:
                with self.server.connect("shop", "newcomer") as connection, connection.transaction(force_rollback=True):
                    for statement in statements:
                        connection.execute(statement)
                return True
            except psycopg.OperationalError as error:
                self.assertIn("permission denied for database", str(error))
        return False

    def test_the_role_lets_each_task_run_and_every_entry_of_it_is_needed(self):
        for number, (name, statements) in enumerate(TASKS.items()):
            with self.subTest(name):
                ending = ("log", "csv", "json")[number % 3]
                for other in ("log", "csv", "json"):
                    self.seen[other] = len((self.server.data / "log" / f"server.{other}").read_text())
                told, entries = self.entries(self.recorded(statements, ending))
                self.assertEqual(told["doubtful"], [])
                pairs = [granted(it) for it in entries]
                self.assertFalse(self.runs(statements))
                before = self.privileges()
                with self.given(pairs) as admin:
                    self.assertTrue(self.runs(statements), entries)
                    given = {(it["action"], it["resource"].rpartition("/")[2]) for it in entries}
                    self.assertEqual({it for it in self.privileges() - before if it not in given}, set())
                    for give, take in pairs:
                        admin.execute(take)
                        self.assertFalse(self.runs(statements), f"{take} leaves the task as it was")
                        admin.execute(give)

    def privileges(self):
        """What the server says the newcomer may do with any table, view or sequence."""
        sql = """SELECT lower(p), c.relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
            CROSS JOIN unnest(ARRAY['SELECT', 'INSERT', 'UPDATE', 'DELETE', 'TRUNCATE', 'USAGE']) p
            WHERE n.nspname IN ('sales', 'hidden') AND c.relkind IN ('r', 'v', 'S') AND
            CASE WHEN c.relkind = 'S' THEN p IN ('SELECT', 'USAGE', 'UPDATE')
                AND has_sequence_privilege('newcomer', c.oid, CASE WHEN p IN ('INSERT', 'DELETE', 'TRUNCATE')
                THEN 'USAGE' ELSE p END) ELSE p <> 'USAGE' AND has_table_privilege('newcomer', c.oid,
                CASE WHEN p = 'USAGE' THEN 'SELECT' ELSE p END) END"""
        with self.server.connect("shop") as connection:
            return set(connection.execute(sql).fetchall())

    @contextlib.contextmanager
    def given(self, pairs):
        """The newcomer has what the role gives, as far as the block goes."""
        with self.server.connect("shop") as admin:
            for give, _ in pairs:
                admin.execute(give)
            try:
                yield admin
            finally:
                for _, take in pairs:
                    admin.execute(take)
