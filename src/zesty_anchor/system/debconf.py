"""What Debian packages ask while they are installed, and how that is answered before (debconf-devel(7))."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping

import msgspec

from zesty_anchor.system.command import Command

_LICENCE = re.compile(r"licen[cs]e|eula|agreement|terms", re.IGNORECASE)
_NOT_FREE = ("contrib/", "non-free", "multiverse/", "restricted/")
"""Sections of an archive whose packages may have terms that must be accepted (Debian Policy, 2.2)."""
_OWN = ("Debian", "Ubuntu")
"""Origins in whose other sections no such package may be."""
_COMES = re.compile(r"^Inst (\S+) (?:\[\S+\] )?\((\S+) ([^)]*)", re.MULTILINE)
"""A line of a simulated installation (apt-get(8), ``-s``): name, version and origin."""


class PackageLicence(msgspec.Struct, frozen=True):
    """A licence that a package asks about: the ``name`` of the question, a text in one line, and what there
    is to read.
    """

    package: str
    name: str
    text: str
    to_read: str


def coming(simulated: str) -> dict[str, tuple[str, str]]:
    """The packages that a simulated installation brings, with version and origin. Pure."""
    return {name: (version, origin) for name, version, origin in _COMES.findall(simulated)}


def may_ask(stanza: Mapping[str, str], origin: str) -> bool:
    """Whether a package, by what the archive says of it, may ask about a licence. Pure."""
    needs = f"{stanza.get('Pre-Depends', '')} {stanza.get('Depends', '')}"
    free = origin.startswith(_OWN) and not stanza.get("Section", "").startswith(_NOT_FREE)
    return "debconf" in needs and not free


def stanzas(text: str) -> Iterator[dict[str, str]]:
    """The paragraphs of a control file (deb822(5)); the lines of a field are joined by line ends. Pure."""
    for block in re.split(r"\n\s*\n", text.strip()):
        fields: dict[str, str] = {}
        last = ""
        for row in block.splitlines():
            if row[:1].isspace():
                fields[last] = f"{fields.get(last, '')}\n{'' if row.strip() == '.' else row.strip()}"
            else:
                last, _, value = row.partition(":")
                fields[last] = value.strip()
        yield fields


def licences_in(package: str, templates: str, seen: Mapping[str, str]) -> Iterator[PackageLicence]:
    """The licences that a package asks about; not those of the questions that were answered with yes already
    (``seen``). Pure.
    """
    for stanza in stanzas(templates):
        name, said = stanza.get("Template", ""), stanza.get("Description", "")
        first, _, more = said.partition("\n")
        asks = stanza.get("Type") == "boolean" and stanza.get("Default") != "true"
        if asks and _LICENCE.search(f"{name} {first}") and seen.get(name) != "true":
            yield PackageLicence(package, name, first, more.strip())


def seen_in(shown: str) -> dict[str, str]:
    """The questions that a person was asked, with their answers, as debconf-show(1) prints them. Pure."""
    rows = (row[2:].partition(":") for row in shown.splitlines() if row.startswith("* "))
    return {name.strip(): value.strip() for name, _, value in rows}


def selection(owner: str, name: str, answer: str | bool) -> str:
    """A line of debconf-set-selections(1). Pure."""
    kind, value = ("boolean", str(answer).lower()) if isinstance(answer, bool) else ("string", answer)
    return f"{owner} {name} {kind} {value}"


def answering(lines: list[str]) -> Command:
    """The command that gives the answers."""
    return ("sh", "-c", 'printf "%s\\n" "$@" | debconf-set-selections', "sh", *lines)


def forgetting(owners: list[str]) -> Command:
    """The command that forgets all that these packages were answered."""
    return (
        "sh",
        "-c",
        'for each do echo PURGE | debconf-communicate "$each" >/dev/null; done',
        "sh",
        *owners,
    )
