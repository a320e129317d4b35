"""The version of this tool: said by `--version`, kept in each entry of the ledger, and in a store."""

__version__ = "0.3.0"
