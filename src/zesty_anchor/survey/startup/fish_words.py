"""Words as fish writes them, in a trace of its own or in its file of universal variables (fish(1), "Quotes",
"Escapes").
"""

from __future__ import annotations

import re
from collections.abc import Iterator

_WORD = re.compile(r"""(?:'(?:[^'\\]|\\.)*'|"(?:[^"\\]|\\.)*"|\\.|[^\s'"\\])+""", re.DOTALL)
_PIECE = re.compile(
    r"""'(?P<single>(?:[^'\\]|\\.)*)'|"(?P<double>(?:[^"\\]|\\.)*)"|(?P<bytes>(?:\\[xX][0-9a-fA-F]{1,2})+)"""
    r"""|\\u(?P<short>[0-9a-fA-F]{1,4})|\\U(?P<long>[0-9a-fA-F]{1,8})|\\(?P<letter>.)|(?P<plain>[^'"\\]+)""",
    re.DOTALL,
)
_LETTERS = {"n": "\n", "t": "\t", "r": "\r", "e": "\x1b", "a": "\a", "b": "\b", "f": "\f", "v": "\v"}


def fish_words(text: str) -> list[str]:
    """The words of a command that fish wrote out, without their quotes. Pure."""
    return [unescaped(found[0]) for found in _WORD.finditer(text)]


def unescaped(word: str) -> str:
    """A word without its quotes and escapes; bytes that are no UTF-8 come as surrogates (PEP 383). Pure."""
    return "".join(_pieces(word))


def _pieces(word: str) -> Iterator[str]:
    for found in _PIECE.finditer(word):
        kind, value = found.lastgroup, found[found.lastgroup or 0]
        if kind in ("single", "double"):
            yield re.sub(r"\\(['\"\\$\n])", r"\1", value)
        elif kind == "bytes":
            values = bytes(int(each, 16) for each in re.findall(r"\\[xX]([0-9a-fA-F]{1,2})", value))
            yield values.decode("utf-8", "surrogateescape")
        elif kind in ("short", "long"):
            yield chr(int(value, 16))
        else:
            yield _LETTERS.get(value, value) if kind == "letter" else value
