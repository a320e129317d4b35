"""Kathodos: who can reach what, through which path, whether they should, who decided so, and when - with proof."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from kathodos.workspace.workspace import Workspace

__all__ = ["Workspace"]


def __getattr__(name: str) -> Any:
    """Hands on `Workspace` when it is asked for, so that `import kathodos` costs nothing."""
    if name == "Workspace":
        from kathodos.workspace.workspace import Workspace

        return Workspace
    raise AttributeError(name)
