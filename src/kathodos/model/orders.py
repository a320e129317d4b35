"""Words that are kept with orders, by which what became of them is known again."""

from __future__ import annotations

DONE_DIFFERENTLY = "done differently: "  # what stands before how it was done instead
