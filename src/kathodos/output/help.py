"""Help texts that fit the window, however narrow it is."""

from __future__ import annotations

import sys

from rich_argparse import RawDescriptionRichHelpFormatter

from kathodos.output.answers import window


class HelpFormatter(RawDescriptionRichHelpFormatter):
    """As it is written, but for lines that are longer than the window: these go on below, as far in as they begin."""

    def format_help(self) -> str:
        text: str = super().format_help()
        width = window(sys.stdout)
        if width is None or all(len(line) <= width for line in text.splitlines()):
            return text
        return "".join(f"{line}\n" for whole in text.splitlines() for line in _folded(whole, width))


def _folded(line: str, width: int) -> list[str]:
    """A line in parts that fit; its styles stay."""
    from rich.console import Console
    from rich.text import Text

    text = Text.from_ansi(line)
    if text.cell_len <= width:
        return [line]
    indent = min(len(text.plain) - len(text.plain.lstrip()), width // 3)
    console = Console(width=width, color_system="standard" if "\x1b" in line else None, force_terminal="\x1b" in line)
    text.remove_suffix("\n")
    parts = text[len(text.plain) - len(text.plain.lstrip()) :].wrap(console, width - indent)
    with console.capture() as captured:
        for part in parts:
            part.rstrip()
            console.print(Text(" " * indent).append_text(part), soft_wrap=True)
    return captured.get().splitlines()
