"""`python -m kathodos` does what the command does."""

from kathodos.cli.main import run

run()
