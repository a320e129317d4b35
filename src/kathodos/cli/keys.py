"""What a person presses: one key at a terminal, else the first letter of a line that is read."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Iterator
from typing import Any

_ARROWS = {"C": "n", "D": "b"}  # what follows ESC [
_ENDS = ("", "\x03", "\x04")  # nothing comes any more; Ctrl-C and Ctrl-D, where they are keys


class Keyboard:
    """The keyboard while something reads single keys; what is pressed is not shown then."""

    def __init__(self) -> None:
        self._before: list[Any] | None = None

    def __enter__(self) -> Keyboard:
        if sys.stdin.isatty():
            import termios

            self._before = termios.tcgetattr(sys.stdin.fileno())
            self._alone()
        return self

    def __exit__(self, *_: object) -> None:
        self._usual()

    def key(self) -> str:
        """The next key, in lower case; `q` where nothing comes any more."""
        if self._before is None:
            line = sys.stdin.readline()
            return line.strip()[:1].lower() if line else "q"
        pressed = sys.stdin.read(1)
        if pressed == "\x1b" and sys.stdin.read(1) == "[":
            pressed = _ARROWS.get(sys.stdin.read(1), " ")
        return "q" if pressed in _ENDS else pressed.lower()

    def line(self, question: str) -> str:
        """What is answered to a question, on a line of its own; empty where nothing is."""
        with self._written():
            sys.stderr.write(f"{question} ")
            sys.stderr.flush()
            return sys.stdin.readline().strip()

    @contextlib.contextmanager
    def _written(self) -> Iterator[None]:
        self._usual()
        yield
        self._alone()

    def _alone(self) -> None:
        """Each key comes by itself, and is not shown; what was pressed before is not lost."""
        if self._before is not None:
            import termios
            import tty

            tty.setcbreak(sys.stdin.fileno(), termios.TCSADRAIN)

    def _usual(self) -> None:
        """As it was."""
        if self._before is not None:
            import termios

            termios.tcsetattr(sys.stdin.fileno(), termios.TCSADRAIN, self._before)
