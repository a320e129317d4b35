"""Tests, mirroring the rooms of the product; `acceptance` drives the installed command."""

import atexit
import gc
import os
import shutil
import tempfile
from pathlib import Path

from hypothesis import settings

_SEARCH = int(os.environ.get("KATHODOS_SEARCH", "0"))
settings.register_profile(
    "the same at each run", derandomize=not _SEARCH, max_examples=100 * max(_SEARCH, 1), deadline=None
)
settings.load_profile("the same at each run")

gc.set_threshold(200_000, 20, 20)  # as the installed command does: much is made here, and few cycles

# What is made once for all processes of a run, by whichever needs it first.
_NAMED = "KATHODOS_TEST_SHARED"
if _NAMED not in os.environ:
    os.environ[_NAMED] = tempfile.mkdtemp(prefix="kathodos-tests-")
    atexit.register(shutil.rmtree, os.environ[_NAMED], ignore_errors=True)
SHARED = Path(os.environ[_NAMED])
