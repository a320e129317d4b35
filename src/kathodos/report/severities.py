"""How severities are coloured."""

from __future__ import annotations

STYLES = {"critical": "bold red", "high": "red", "medium": "yellow", "low": ""}
