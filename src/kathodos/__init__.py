"""Kathodos: who can reach what, through which path, whether they should, who decided so, and when - with proof."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

from kathodos.version import __version__

if TYPE_CHECKING:
    from kathodos.errors import CallError, DataError, KathodosError
    from kathodos.workspace.view import View
    from kathodos.workspace.workspace import Workspace

__all__ = ["CallError", "DataError", "KathodosError", "View", "Workspace", "__version__"]

_WHERE = {
    "Workspace": "kathodos.workspace.workspace",
    "View": "kathodos.workspace.view",
    **dict.fromkeys(("CallError", "DataError", "KathodosError"), "kathodos.errors"),
}


def __getattr__(name: str) -> Any:
    """Hands each on when it is asked for, so that `import kathodos` costs nothing."""
    if name in _WHERE:
        return getattr(import_module(_WHERE[name]), name)
    raise AttributeError(name)
