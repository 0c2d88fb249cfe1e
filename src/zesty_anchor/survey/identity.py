"""Who the person is to version control and to other hosts, as this home has it."""

from __future__ import annotations

from collections.abc import Collection, Mapping

import msgspec

from zesty_anchor.files.text_file import TextFile, read_text_file
from zesty_anchor.manifest.model import Identity
from zesty_anchor.system import git_config, ssh
from zesty_anchor.system.host import find_program
from zesty_anchor.system.locations import Locations

NAMES = {"name": "user.name", "email": "user.email"}
"""What git calls the two."""


class IdentityFacts(msgspec.Struct, frozen=True):
    """git's file and what it says already; whether the key is there; the known hosts, and what unknown ones
    offer.

    ``waits_for`` is a program that is missing, whose package is coming: of what it does nothing is known yet.
    """

    git_file: TextFile
    git_values: Mapping[str, str | None]
    has_key: bool
    known_hosts: TextFile
    known: Mapping[str, tuple[str, ...]]
    offered: Mapping[str, tuple[str, ...]]
    waits_for: str = ""


_PACKAGES = {"git": ("git", "git-core"), "ssh-keygen": ("openssh-client", "openssh", "openssh-clients")}
"""The packages that bring a program, as families of systems call them."""


def identity_facts(
    identity: Identity, locations: Locations, environ: Mapping[str, str], coming: Collection[str] = ()
) -> IdentityFacts:
    """Look at the home; a host is asked for its keys only where the home does not know the right one.

    ``coming`` are packages that are still to be installed. Raises ``Problem`` where git or OpenSSH is
    missing, or a host does not answer.
    """
    git_file = read_text_file(git_config.user_file(locations.home, locations.others))
    known_hosts = read_text_file(locations.home / ".ssh/known_hosts")
    for program, packages in _PACKAGES.items():
        if not find_program(program, environ) and set(packages) & set(coming):
            has_key = identity.key is None or ssh.key_file(locations.home, identity.key).exists()
            return IdentityFacts(git_file, {}, has_key, known_hosts, {}, {}, program)
    asked = [git for key, git in NAMES.items() if getattr(identity, key)]
    known = {h.label: tuple(ssh.known(known_hosts.content, h.name, h.port)) for h in identity.hosts}
    return IdentityFacts(
        git_file=git_file,
        git_values={name: git_config.value(git_file.content, name, environ) for name in asked},
        has_key=identity.key is None or ssh.key_file(locations.home, identity.key).exists(),
        known_hosts=known_hosts,
        known=known,
        offered={h.label: tuple(ssh.scan(h.name, h.port)) for h in identity.hosts if not known[h.label]},
    )
