"""Cards: a few lines that fill the window by themselves, with the keys that do something below."""

from __future__ import annotations

import sys
import textwrap
from collections.abc import Sequence

from kathodos.model.printing import harmless
from kathodos.output.answers import COLOURS, no_colour, window

_WITHOUT_WINDOW = 100
_UNBROKEN = "\N{NO-BREAK SPACE}"


def show_card(heading: str, lines: Sequence[str], keys: Sequence[tuple[str, str]]) -> None:
    """Shows a card; at a terminal the window is cleared first. A line that begins with `!` is to be seen first.

    `keys`: what can be pressed, and what it does.
    """
    from rich.console import Console
    from rich.text import Text

    width = window(sys.stdout) or _WITHOUT_WINDOW
    console = Console(
        file=sys.stdout, width=width, highlight=False, markup=False, emoji=False, no_color=no_colour(sys.stdout)
    )
    colours = COLOURS.get(console.color_system or "", COLOURS["standard"])
    if sys.stdout.isatty():
        console.clear()
    parts = [(heading, colours["dim"]), *((line, _style(line, at, colours["red"])) for at, line in enumerate(lines))]
    for line, style in (*parts, ("", "")):
        for part in _folded(harmless(line), width):
            console.print(Text(part, style=style), soft_wrap=True)
    units = [f"[{key}] {what}".replace(" ", _UNBROKEN) for key, what in keys]
    for part in _folded("  ".join(units), width):
        console.print(Text(part.replace(_UNBROKEN, " "), style=colours["dim"]), soft_wrap=True)


def _style(line: str, at: int, warning: str) -> str:
    return "bold" if not at else f"bold {warning}" if line.lstrip().startswith("! ") else ""


def _folded(line: str, width: int) -> list[str]:
    """A line in parts that fit, each as far in as the first one."""
    indent = " " * (len(line) - len(line.lstrip()))
    whole = textwrap.wrap(line.strip(" "), max(width - len(indent), 10), break_on_hyphens=False)
    return [indent + part for part in whole] or [""]
