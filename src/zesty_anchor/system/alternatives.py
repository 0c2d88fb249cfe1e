"""The alternatives system of Debian and SUSE: one name for each of several programs that do the same
(update-alternatives(1)).
"""

from __future__ import annotations

from pathlib import Path

import msgspec

from zesty_anchor.system.command import Command

PROGRAM = "update-alternatives"
_SECONDS = 20


class Group(msgspec.Struct, frozen=True):
    """One name: where it leads now (empty: nowhere), whether a person chose that, all that it could lead to;
    and what was said of it.
    """

    name: str
    value: str
    chosen: bool
    offers: tuple[str, ...]
    said: str = ""

    def offer_of(self, file: Path) -> str:
        """That of the offers which is this very file, by whatever path; empty where none is."""
        place = file.resolve()
        return next((each for each in self.offers if Path(each).resolve() == place), "")


def query(name: str) -> str:
    """What the alternatives system says of a name; empty where it does not know it, or is not here."""
    return _asked("--query", name)


def names() -> dict[str, str]:
    """Every name, with where it leads now; none where there is no such system."""
    rows = (line.split(None, 2) for line in _asked("--get-selections").splitlines())
    return {row[0]: row[2] for row in rows if len(row) == 3}


def group(said: str) -> Group:
    """What ``query`` said, as facts. Pure."""
    head, *blocks = said.strip().split("\n\n")
    facts = _facts(head)
    value = facts.get("Value", "")
    offers = tuple(_facts(block).get("Alternative", "") for block in blocks)
    return Group(
        facts.get("Name", ""), "" if value == "none" else value, facts.get("Status") == "manual", offers, said
    )


def chosen_again(before: Group, now: Group) -> Command:
    """The command by which a name leads where it led, or where the system itself would have it, should that
    be gone. Pure.
    """
    if before.chosen and before.value in now.offers:
        return (PROGRAM, "--set", now.name, before.value)
    return (PROGRAM, "--auto", now.name)


def restored(said: str) -> list[Command]:
    """The commands that bring a name back, from what ``query`` said of it. Pure."""
    head, *blocks = said.strip().split("\n\n")
    facts = _facts(head)
    links = dict(_pairs(head))
    commands: list[Command] = []
    for block in blocks:
        own = _facts(block)
        followers = [
            word
            for name, path in _pairs(block)
            if name in links
            for word in ("--slave", links[name], name, path)
        ]
        install = (PROGRAM, "--install", facts["Link"], facts["Name"], own["Alternative"], own["Priority"])
        commands.append((*install, *followers))
    if facts.get("Status") == "manual":
        commands.append((PROGRAM, "--set", facts["Name"], facts["Value"]))
    return commands


def _facts(block: str) -> dict[str, str]:
    return dict(line.partition(": ")[::2] for line in block.splitlines() if ": " in line)


def _pairs(text: str) -> list[tuple[str, str]]:
    """The indented lines below ``Slaves:``: a name and a path each."""
    return [
        (words[0], words[1])
        for line in text.splitlines()
        if line.startswith(" ") and len(words := line.split()) == 2
    ]


def _asked(*words: str) -> str:
    import subprocess  # most commands ask nobody

    try:
        answer = subprocess.run(
            (PROGRAM, *words), capture_output=True, text=True, check=False, timeout=_SECONDS
        )
    except (OSError, subprocess.TimeoutExpired):
        return ""
    return answer.stdout if answer.returncode == 0 else ""
