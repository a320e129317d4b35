"""Tests, mirroring the rooms of the product; `acceptance` drives the installed command."""

import os

from hypothesis import settings

_SEARCH = int(os.environ.get("KATHODOS_SEARCH", "0"))
settings.register_profile(
    "the same at each run", derandomize=not _SEARCH, max_examples=100 * max(_SEARCH, 1), deadline=None
)
settings.load_profile("the same at each run")
