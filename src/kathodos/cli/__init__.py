"""The command: one module per command, thin: parse, call, show."""
