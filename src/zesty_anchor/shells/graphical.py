"""The environment of a graphical session, by environment.d(5): there no shell reads anything."""

from __future__ import annotations

from zesty_anchor.shells import posix
from zesty_anchor.shells.shell import Environment


def quote(text: str) -> str:
    """A value in double quotes: first backslashes are taken out, then ``$`` is looked at, which ``$$`` stands for."""
    for letter in '\\"`':
        text = text.replace(letter, "\\" + letter)
    return '"' + text.replace("$", "$$") + '"'


def environment(environment: Environment, file: str) -> str:
    """The text of the file. systemd passes over what is empty, is not UTF-8, or holds a control character: it
    is left out."""
    values = ((name, environment.by_default(template)) for name, template in environment.variables)
    lines = [f"{name}={quote(value)}\n" for name, value in values if value is not None and _may(value)]
    last = "".join(f":{folder}" for folder in environment.last)
    path = quote(":".join(environment.scripted))[:-1] + ":$PATH" + quote(last)[1:]
    return "".join([posix.HEAD.format(stamp=environment.stamp), *lines, f"PATH={path}\n"])


def _may(text: str) -> bool:
    return text != "" and not any(
        "\ud800" <= letter <= "\udfff" or (letter < " " and letter not in "\t\n") or letter == "\x7f" for letter in text
    )
