"""Replaces the path of a home in texts, after the home was moved or copied."""

from __future__ import annotations

import os
import re
from collections.abc import Callable

import msgspec

Form = Callable[[str], str]
"""How a language writes a path inside its quotes or patterns."""


class HomeMove(msgspec.Struct, frozen=True):
    """A home that was at ``old`` and is now at ``new``; both are absolute paths."""

    old: str
    new: str

    def path(self, text: str) -> str:
        """Return a path, with the new home in place of the old one where it is in that."""
        inside = text == self.old or text.startswith(self.old + "/")
        return self.new + text[len(self.old) :] if inside and not self._is_new(text) else text

    def content(self, content: bytes, *forms: Form) -> bytes:
        """Return a text in which the old home is the new one, in each of these forms (none: as it is).

        Doing so twice is doing it once, also where the new home is inside the old one.
        """
        if os.path.basename(self.old).encode() not in content:
            return content
        for form in forms or (str,):
            old, new = os.fsencode(form(self.old)), os.fsencode(form(self.new))
            again = b"(?!%s(?:/|$))" % re.escape(new) if new.startswith(old + b"/") else b""
            # A path may follow -I and -L without a blank; elsewhere a letter before it makes it another path.
            pattern = rb"(?:(?<![\w./\\-])|(?<=-[IL]))" + again + re.escape(old) + rb"(?=/|[^\w.\\-]|$)"
            content = re.sub(pattern, lambda _, new=new: new, content)  # type: ignore[misc]
        return content

    def _is_new(self, text: str) -> bool:
        return self.new.startswith(self.old + "/") and (text == self.new or text.startswith(self.new + "/"))
