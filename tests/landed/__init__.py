"""Workspaces of the versions that were given out, each as its version made it, with what was known of it then."""

import json
import shutil
from pathlib import Path

from tests import stores

HERE = Path(__file__).resolve().parent
VERSIONS = sorted(it.name for it in HERE.iterdir() if (it / "kathodos.toml").exists())
NOW = "2026-06-21T09:00:00Z"


def laid_out(version, folder):
    """The workspace of a version, in a folder that is not there yet, its store where the tests keep theirs."""
    shutil.copytree(HERE / version, folder)
    url = stores.new_url()
    if url is not None:
        with stores.server().connect(stores.database_in(url)) as connection:
            connection.execute((folder / "postgres.sql").read_bytes())
        file = folder / "kathodos.toml"
        text = file.read_text(encoding="utf-8")
        file.write_text(text.replace("sqlite:///catalogue.db", url), encoding="utf-8")
        (folder / "catalogue.db").unlink()
    return folder


def known(version):
    """What was known when it was made: who reaches what, and how many records of each kind there are."""
    return json.loads((HERE / version / "known.json").read_text(encoding="utf-8"))
