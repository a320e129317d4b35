"""Compact JSON, as records, keys and entries are kept; the same text for the same content, so that it can be hashed."""

from __future__ import annotations

import json

_ENCODER = json.JSONEncoder(ensure_ascii=False, separators=(",", ":"))  # made once: many records are written


def json_text(value: object) -> str:
    """Compact JSON, in one line. Raises TypeError for what JSON has no form for."""
    return _ENCODER.encode(value)
