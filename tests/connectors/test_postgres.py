"""PostgreSQL's own answer: what the engine reaches is what the server says of every role, object and privilege."""

import json
import random
import unittest

from kathodos.connectors import postgres_catalogs as postgres
from kathodos.engine.everyone import triples
from kathodos.model.addresses import address_of
from kathodos.workspace.workspace import Workspace
from tests import stores
from tests.servers import Postgres, newer_postgres_programs
from tests.support import Scratch, index_of
from tests.support import inside as run
from tests.support import records_inside as records

OF_TABLES = ("select", "insert", "update", "delete", "truncate", "references", "trigger")
OF_COLUMNS = ("select", "insert", "update", "references")
OF_SEQUENCES = ("usage", "select", "update")
FUNCTIONS = (("f/*", "integer"), ("f", ""))
OF_SCHEMAS = {"usage": "use-schema", "create": "create-in-schema"}


def quoted(name):
    return '"' + name.replace('"', '""') + '"'


class World:
    """Random roles, schemas, tables, views and sequences, made by SQL in a database of their own."""

    options = ()  # of memberships, that the server knows beside ADMIN
    further = ()  # predefined roles

    def __init__(self, seed, run):
        self.seeded, self.run = random.Random(seed), run
        app = f"r{seed}-0"
        self.roles = [app, f"r{seed}-1", f"{app}:member", f"{app} ", f"group:{app}", f"r{seed}-5", f"Odd*/ %{seed};x"]
        self.schemas, self.relations = [f"one {seed}", "two"], []

    def make(self):
        for at, role in enumerate(self.roles):
            words = [self.pick("INHERIT", "INHERIT", "NOINHERIT"), self.pick("LOGIN", "NOLOGIN")]
            self.run(f"CREATE ROLE {quoted(role)} {' '.join(words)}{' SUPERUSER' if at == 5 else ''}")
        for at, group in enumerate(self.roles):
            for member in self.roles[at + 1 :]:
                if self.seeded.random() < 0.3:
                    options = self.pick("", "ADMIN OPTION", *self.options)
                    self.run(f"GRANT {quoted(group)} TO {quoted(member)}{options and ' WITH '}{options}")
        for name in ("pg_read_all_data", "pg_write_all_data", "pg_database_owner", *self.further):
            if name != "pg_database_owner" and self.seeded.random() < 0.5:
                self.run(f"GRANT {name} TO {quoted(self.seeded.choice(self.roles[:5]))}")
        for schema in self.schemas:
            self.run(f"CREATE SCHEMA {quoted(schema)} AUTHORIZATION {quoted(self.seeded.choice(self.roles))}")
            for name in ("t0", "t0 ", "f()"):
                self.relation(schema, name, 'TABLE {} (a int, b int, "c/*" int)', "TABLE")
            self.relation(schema, "v", "VIEW {} AS SELECT 1 AS a, 2 AS b", "VIEW")
            self.relation(schema, "s", "SEQUENCE {}", "SEQUENCE")
            for name, arguments in FUNCTIONS:
                function = f"{quoted(schema)}.{quoted(name)}"
                self.run(f"CREATE FUNCTION {function}({arguments}) RETURNS int LANGUAGE sql AS 'SELECT 1'")
                self.run(f"ALTER FUNCTION {function} OWNER TO {quoted(self.seeded.choice(self.roles))}")
                for _ in range(3):
                    give, to = self.pick(("GRANT", "TO"), ("REVOKE", "FROM"))
                    who = self.pick("PUBLIC", *map(quoted, self.roles))
                    self.run(f"{give} EXECUTE ON FUNCTION {function} {to} {who}")
        for _ in range(60):
            self.run(self.change())
        self.run(f"CREATE SCHEMA quiet AUTHORIZATION {quoted(self.seeded.choice(self.roles))}")  # keeps its defaults

    def pick(self, *choices):
        return self.seeded.choice(choices)

    def relation(self, schema, name, text, kind):
        full = f"{quoted(schema)}.{quoted(name)}"
        self.run(f"CREATE {text.format(full)}")
        self.run(f"ALTER {kind} {full} OWNER TO {quoted(self.seeded.choice(self.roles))}")
        self.relations.append((schema, name, kind, full))

    def change(self):
        """A grant or a withdrawal, also from the owner itself and from everyone."""
        who = self.pick("PUBLIC", *map(quoted, self.roles))
        give, to = self.pick(("GRANT", "TO"), ("GRANT", "TO"), ("REVOKE", "FROM"))
        if self.seeded.random() < 0.25:
            schema = quoted(self.seeded.choice(self.schemas))
            return f"{give} {self.pick('USAGE', 'CREATE')} ON SCHEMA {schema} {to} {who}"
        _, _, kind, full = self.seeded.choice(self.relations)
        if kind == "SEQUENCE":
            return f"{give} {self.pick(*OF_SEQUENCES)} ON SEQUENCE {full} {to} {who}"
        if self.seeded.random() < 0.4:
            return f"{give} {self.pick(*OF_COLUMNS)} ({self.pick('a', 'b')}) ON {full} {to} {who}"
        return f"{give} {self.pick(*OF_TABLES, 'ALL')} ON {full} {to} {who}"


@stores.ONLY_WITH_A_SERVER
class TheServersOwnAnswer(Scratch, unittest.TestCase):
    programs, world, worlds = None, World, 4

    @classmethod
    def setUpClass(cls):
        cls.server = Postgres(programs=cls.programs)
        cls.addClassCleanup(cls.server.close)
        cls.connect = cls.server.connect

    @unittest.skipIf(stores.ON_POSTGRES, "touches no store")
    def test_of_every_role_object_and_privilege(self):
        for seed in range(self.worlds):
            with self.subTest(seed=seed):
                with self.connect("postgres") as connection:
                    connection.execute(f"CREATE DATABASE world{seed}")
                with self.connect(f"world{seed}") as connection:
                    world = self.world(seed, connection.execute)
                    world.make()
                    owner = quoted(world.seeded.choice(world.roles))
                    connection.execute(f"ALTER DATABASE world{seed} OWNER TO {owner}")
                    tables = postgres.read_records(lambda sql: connection.execute(sql).fetchall(), "pg")
                    reached = set(triples(index_of(tables), None, 0))
                    self.compare(seed, world, lambda sql: connection.execute(sql).fetchall(), reached)
                self.assertEqual(self.gathered(f"world{seed}"), reached)

    def gathered(self, database):
        """What is reached after the command has gathered a database, with nothing set aside or noted."""
        office = self.folder / database
        run("init", database, cwd=self.folder)
        url = f"postgresql://postgres@/{database}?host={self.server.folder}&port={self.server.port}"
        stores.configured(office, f'[[source]]\nname = "db"\nkind = "postgres"\nsystem = "pg"\nurl = "{url}"\n')
        run("gather", cwd=office)
        self.assertEqual(records("gather", "--problems", cwd=office), [])
        with Workspace.find(office).view() as view:
            return set(triples(view.index, None, 0))

    def test_the_command_reads_the_database_and_says_what_is_wrong(self):
        with self.connect("postgres") as connection:
            connection.execute("CREATE DATABASE harbour")
            for role in ("keeper", "clerk", "blind"):
                connection.execute(f"CREATE ROLE {role} LOGIN PASSWORD 'a secret of the tests'")
            connection.execute("GRANT keeper TO clerk WITH ADMIN OPTION")
        with self.connect("harbour") as connection:
            connection.execute("CREATE TABLE dues (a int); ALTER TABLE dues ENABLE ROW LEVEL SECURITY")
            connection.execute("ALTER DEFAULT PRIVILEGES FOR ROLE keeper GRANT SELECT ON TABLES TO clerk")
            connection.execute("GRANT INSERT ON dues TO keeper")
            connection.execute("REVOKE SELECT ON pg_auth_members FROM PUBLIC; SELECT 1")
        run("init", "office", cwd=self.folder)
        office = self.folder / "office"
        source = '[[source]]\nname = "db"\nkind = "postgres"\nsystem = "pg"\n'
        url = f"postgresql://{{}}@/harbour?host={self.server.folder}&port={self.server.port}"
        stores.configured(office, f'{source}url = "{url.format("postgres")}"\n')
        run("gather", cwd=office)
        told = json.loads(run("show", "pg:/harbour/public/dues", "--format", "json", cwd=office).stdout)
        self.assertEqual((told["row_security"], told["type"]), ("on", "table"))
        paths = {
            ("pg:/harbour/public/dues", "insert"),
            ("pg:/@defaults/keeper/%2A/tables", "select"),
            ("pg:/@members/keeper", "admit"),
        }
        reached = {(row["resource"], row["action"]) for row in records("reach", "--by", "account:pg/clerk", cwd=office)}
        self.assertEqual(paths & reached, paths)
        self.assertEqual({row["came"] + row["went"] for row in records("gather", cwd=office)}, {0})
        for text, expected in (
            (url.format("blind"), "may not read the catalogs"),
            (url.format("nobody"), "has no such database or login"),
            ("postgresql://postgres:secret@/harbour", "a url without a password"),
            (f"postgresql://postgres@/harbour?host={office}", "does not answer"),
        ):
            stores.configured(office, f'{source}url = "{text}"\n')
            error = run("gather", cwd=office, status=3).stderr
            self.assertIn(expected, error)
            self.assertNotIn("secret", error)

    def compare(self, seed, world, query, reached):
        said = list(self.answers(f"world{seed}", world, query))
        self.assertGreater(len(said), 1000)
        self.assertTrue({True, False} <= {answer for *_, answer in said})
        addresses = {}
        for role, action, path, answer in said:
            address = path
            if isinstance(path, tuple):
                own = path[0] != postgres.ROLES
                address = postgres.address_in_database("pg", *path) if own else address_of("pg", path)
            self.assertEqual(addresses.setdefault(address, path), path)
            asked = (f"account:pg/{role}", action, address)
            self.assertEqual(asked in reached, answer, asked)

    def answers(self, database, world, query):
        """(role, action, path, what the server says), for every role of this world and the server's own."""
        version = int(query("SHOW server_version_num")[0][0])
        who = "(VALUES " + ", ".join(f"('{role}')" for role in ("postgres", *world.roles)) + ") AS r(role)"
        for schema in (*world.schemas, "quiet", "public"):
            for privilege, action in OF_SCHEMAS.items():
                for role, answer in query(
                    f"SELECT role, has_schema_privilege(role, '{schema}', '{privilege}') FROM {who}"
                ):
                    yield role, action, (database, schema), answer
            usage = f"has_schema_privilege(role, '{schema}', 'usage')"
            for _, relation, kind, full in [it for it in world.relations if it[0] == schema]:
                asked, privileges = (
                    ("has_sequence_privilege", OF_SEQUENCES)
                    if kind == "SEQUENCE"
                    else ("has_table_privilege", (*OF_TABLES, "maintain") if version >= 170000 else OF_TABLES)
                )
                for privilege in privileges:
                    for role, answer in query(
                        f"SELECT role, {usage} AND {asked}(role, '{full}', '{privilege}') FROM {who}"
                    ):
                        yield role, privilege, (database, schema, relation), answer
                columns = {"TABLE": ("a", "b", "c/*"), "VIEW": ("a", "b"), "SEQUENCE": ()}[kind]
                for column in columns:
                    for privilege in OF_COLUMNS:
                        call = f"has_column_privilege(role, '{full}', '{column}', '{privilege}')"
                        for role, answer in query(f"SELECT role, {usage} AND {call} FROM {who}"):
                            yield role, privilege, (database, schema, relation, column), answer
        for schema in world.schemas:
            usage = f"has_schema_privilege(role, '{schema}', 'usage')"
            for name, arguments in FUNCTIONS:
                call = f"has_function_privilege(role, '{quoted(schema)}.{quoted(name)}({arguments})', 'execute')"
                address = postgres.address_of_function("pg", database, schema, name, arguments)
                for role, answer in query(f"SELECT role, {usage} AND {call} FROM {who}"):
                    yield role, "execute", address, answer
        for name in (database, "postgres"):
            for privilege, action in (("CONNECT", "connect"), ("CREATE", "create-schema"), ("TEMP", "temporary")):
                call = f"has_database_privilege(role, '{name}', '{privilege}')"
                for role, answer in query(f"SELECT role, {call} FROM {who}"):
                    yield role, action, (name,), answer
        for group in (*world.roles, "pg_read_all_data", "pg_database_owner"):
            sets = "SET" if version >= 160000 else "MEMBER"
            for privilege, action in (("USAGE", "use-role"), (sets, "become-role")):
                for role, answer in query(f"SELECT role, pg_has_role(role, '{group}', '{privilege}') FROM {who}"):
                    yield role, action, (postgres.ROLES, group), answer


class NewWorld(World):
    """Memberships with what they may say since version 16, and the right to maintain since 17."""

    options = (
        "INHERIT FALSE",
        "INHERIT TRUE",
        "SET FALSE",
        "SET FALSE, INHERIT FALSE",
        "ADMIN TRUE, SET FALSE, INHERIT TRUE",
    )


class NewerServers(unittest.TestCase):
    """The same worlds, with what memberships may say since PostgreSQL 16, on newer servers where such are installed."""

    @unittest.skipIf(stores.ON_POSTGRES, "touches no store")
    def test_what_newer_servers_say(self):
        programs = newer_postgres_programs()
        if not programs:
            self.skipTest("no newer server is installed")
        for version, found in programs.items():
            further = ("pg_maintain",) if int(version) >= 17 else ()
            world = type("Newest", (NewWorld,), {"further": further})
            words = {"programs": found, "world": world, "worlds": 1}
            case = type(f"Server{version}", (TheServersOwnAnswer,), words)("test_of_every_role_object_and_privilege")
            with self.subTest(version=version):
                case.setUpClass()
                try:
                    case.debug()
                finally:
                    case.doClassCleanups()


if __name__ == "__main__":
    unittest.main()
