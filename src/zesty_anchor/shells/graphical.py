"""The environment of a graphical session, by environment.d(5): there no shell reads anything."""

from __future__ import annotations

from zesty_anchor.shells import posix
from zesty_anchor.shells.environment import Environment


def quote(text: str) -> str:
    """A value in double quotes: first backslashes are taken out, then ``$`` is looked at, which ``$$`` stands
    for.
    """
    for letter in '\\"`':
        text = text.replace(letter, "\\" + letter)
    return '"' + text.replace("$", "$$") + '"'


def environment(environment: Environment, file: str) -> str:
    """The text of the file. systemd passes over what is empty, and gives the whole file up for a value that
    is unfit: such are left out.
    """
    values = ((name, environment.by_default(template)) for name, template in environment.variables)
    lines = [f"{name}={quote(value)}\n" for name, value in values if value and not unfit(value)]
    last = "".join(f":{folder}" for folder in environment.last)
    path = quote(":".join(environment.scripted))[:-1] + "${PATH:+:$PATH}" + quote(last)[1:]
    return "".join([posix.HEAD.format(stamp=environment.stamp), *lines, f"PATH={path}\n"])


def unfit(value: str) -> str:
    """Why systemd would not take a value, and with it nothing of the file; empty where it does
    (environment.d(5); its source, src/basic/env-util.c, env_value_is_valid, and src/basic/utf8.c,
    utf8_is_valid). Pure.
    """
    if any("\ud800" <= letter <= "\udfff" for letter in value):
        return "it is not UTF-8"
    if any(ord(letter) & 0xFFFE == 0xFFFE or 0xFDD0 <= ord(letter) <= 0xFDEF for letter in value):
        return "it holds a code point that is no character"
    if any(letter < " " or letter == "\x7f" for letter in value):
        return "it holds a control character"
    return ""
