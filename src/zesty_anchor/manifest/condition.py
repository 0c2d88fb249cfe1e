"""``[on."CONDITION"]``: on which machines, and for whom, a part of a manifest holds."""

from __future__ import annotations

import re
from fnmatch import fnmatchcase

import msgspec

from zesty_anchor.manifest.version import Version
from zesty_anchor.manifest.wrong import nearest

_FORM = re.compile(r"(?P<subject>host|user|system):(?P<rest>.+)")
_SYSTEM = re.compile(r"(?P<name>[a-z0-9._-]+)\s*(?:(?P<sign>>=|<=|==|<|>)\s*(?P<version>[0-9][0-9.]*))?")
_SYSTEMS = ("linux", "macos")
_MACHINES = ("x86_64", "aarch64")
PLAIN = (*_SYSTEMS, *(f"{system}-{machine}" for system in _SYSTEMS for machine in _MACHINES), "container")
"""The conditions without a colon."""
FORMS = '"linux", "linux-aarch64", "host:quay-*", "user:root", "system:debian>=12", "container"'
"""One of each, to be shown."""


class Facts(msgspec.Struct, frozen=True):
    """What conditions are about: ``platform`` (``linux-x86_64``), the ``families`` of the system, the nearest
    first, and its ``version`` (os-release(5): ID, ID_LIKE, VERSION_ID), the names of host and user, and
    whether this is a container.
    """

    platform: str = ""
    families: tuple[str, ...] = ()
    version: str = ""
    host: str = ""
    user: str = ""
    container: bool = False


class Condition:
    """One condition. Raises ``ValueError`` where the text is none, with what to write."""

    def __init__(self, text: str) -> None:
        found = _FORM.fullmatch(text)
        self.subject, self.rest = (found["subject"], found["rest"]) if found else ("", text)
        self.system = _SYSTEM.fullmatch(self.rest) if self.subject == "system" else None
        if (not found and text not in PLAIN) or (self.subject == "system" and self.system is None):
            close = nearest(text, list(PLAIN))
            raise ValueError(f"did you mean {close!r}?" if close else f"conditions are like {FORMS}")

    def holds(self, facts: Facts) -> bool:
        """Whether it holds on a machine. Pure."""
        if self.subject == "host":
            return fnmatchcase(facts.host, self.rest) or fnmatchcase(facts.host.split(".")[0], self.rest)
        if self.subject == "user":
            return fnmatchcase(facts.user, self.rest)
        if self.system is not None:
            return self.system["name"] in facts.families and _compares(facts.version, self.system)
        if self.rest == "container":
            return facts.container
        return facts.platform == self.rest or facts.platform.startswith(f"{self.rest}-")


def as_on(facts: Facts, words: str) -> Facts:
    """The facts of another machine: these, with what ``words`` (conditions, with commas between them) name
    in their place. A version of a system is written as in a condition: ``system:debian==12``. Pure.

    Raises ``ValueError`` where one of them names no machine.
    """
    for word in filter(None, (each.strip() for each in words.split(","))):
        try:
            condition = Condition(word)
        except ValueError:
            forms = '"linux-aarch64", "host:quay-3", "user:root", "system:debian==12", "container"'
            raise ValueError(f"write it as one of {forms}") from None
        if condition.system is not None:
            name, version = condition.system["name"], condition.system["version"] or ""
            facts = msgspec.structs.replace(facts, families=(name,), version=version)
        elif condition.subject:
            facts = msgspec.structs.replace(facts, **{condition.subject: condition.rest})
        elif word == "container":
            facts = msgspec.structs.replace(facts, container=True)
        elif word in _SYSTEMS:
            raise ValueError(f'name the processor too: "{word}-{_MACHINES[0]}" or "{word}-{_MACHINES[1]}"')
        else:
            facts = msgspec.structs.replace(facts, platform=word)
    return facts


def _compares(version: str, asked: re.Match[str]) -> bool:
    sign = asked["sign"]
    if sign is None:
        return True
    if not version:
        return False
    # A condition that names no minor version means all of them: 12 is 12.4 too.
    length = asked["version"].count(".") + 1
    here, there = Version(".".join(version.split(".")[:length])), Version(asked["version"])
    return {
        ">=": here >= there, "<=": here <= there, "==": here == there, ">": here > there, "<": here < there,
    }[sign]  # fmt: skip
