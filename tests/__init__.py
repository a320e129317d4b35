"""Tests, mirroring the rooms of the product; `acceptance` drives the installed command."""

import os

from hypothesis import settings

settings.register_profile("the same at each run", derandomize=not os.environ.get("KATHODOS_SEARCH"), deadline=None)
settings.load_profile("the same at each run")
