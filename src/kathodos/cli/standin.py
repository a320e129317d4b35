"""`kathodos standin`: a small simulated service with made-up data, to try a source on."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from kathodos.cli.options import Commands, Formatter, command
from kathodos.cli.session import Session
from kathodos.errors import DataError, Status


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "standin",
        common,
        formatter,
        run,
        "run a small simulated service, to try a source on",
        "  kathodos standin scim services/pilots.json --port 8643",
    )
    parser.add_argument("service", metavar="scim", choices=("scim",), help="SCIM 2.0, as in RFC 7644")
    parser.add_argument("data", metavar="FILE", type=Path, help='JSON: {"Users": [...], "Groups": [...]}')
    parser.add_argument("--port", type=int, default=0, metavar="N", help="the port on 127.0.0.1 (default: a free one)")
    parser.add_argument("--token-from", metavar="env:NAME", help="only who bears this token is answered")


def run(session: Session) -> int:
    from kathodos.connectors.settings import Settings
    from kathodos.standin.scim import Standin, read_data

    asked = session.arguments
    values = {"token_from": asked.token_from} if asked.token_from else {}
    token = Settings("--token-from", Path.cwd(), values).secret("token_from")
    try:
        server = Standin(asked.port, read_data(asked.data), token)
    except (OSError, OverflowError) as error:
        raise DataError(f"Port {asked.port} cannot be used: {error}.", "Name another with --port.") from None
    sys.stdout.write(f"SCIM 2.0 at {server.url}, until this is stopped.\n")
    sys.stdout.flush()
    with server:
        server.serve_forever()
    return Status.DONE
