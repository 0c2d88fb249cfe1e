"""Text from outside, with what a terminal would obey made visible."""

from __future__ import annotations

import re

_OBEYED = (
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200b-\u200f\u2028-\u202e\u2060-\u2069\ufeff\ufff9-\ufffb"
    "\ud800-\udfff\U000e0000-\U000e007f]"
)
"""Control characters (ECMA-48; Unicode category Cc), and those that change the direction of text or cannot be
seen (UAX #9, section 2), but for the line end and the tabulator; and bytes that are no text. None of them
counts as printable to Python, so most texts are known to hold none without it.
"""


def visible(text: str) -> str:
    """The text with such characters written as escapes. Pure."""
    return text if text.isprintable() else re.sub(_OBEYED, _escape, text)


def escaped_in_json(text: str) -> str:
    """A JSON text with such characters as JSON's own escapes: they stand only in strings (RFC 8259, section
    7). Pure.
    """
    if text.isprintable():
        return text
    return re.sub(_OBEYED, lambda found: "".join(f"\\u{unit:04x}" for unit in _units(found[0])), text)


def _units(letter: str) -> list[int]:
    encoded = letter.encode("utf-16-be", "surrogatepass")
    return [int.from_bytes(encoded[at : at + 2]) for at in range(0, len(encoded), 2)]


def _escape(found: re.Match[str]) -> str:
    number = ord(found[0])
    if 0xDC80 <= number <= 0xDCFF:  # a byte that was no text
        return f"\\x{number - 0xDC00:02x}"
    return (
        f"\\x{number:02x}"
        if number < 0x100
        else f"\\u{number:04x}"
        if number < 0x10000
        else f"\\U{number:08x}"
    )
