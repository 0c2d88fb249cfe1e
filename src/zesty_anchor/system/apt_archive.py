"""Which archive apt is set to, what this machine trusts it by, and how it is reached (sources.list(5),
apt.conf(5)).
"""

from __future__ import annotations

import os
import subprocess
from collections.abc import Mapping
from pathlib import Path

import msgspec

from zesty_anchor.system.host import find_program
from zesty_anchor.system.problem import UsageProblem

_TARGETS = (
    "apt-get",
    "indextargets",
    "--format",
    "$(REPO_URI) $(RELEASE) $(COMPONENT)",
    "Created-By: Packages",
)
_OS_RELEASE = Path("/etc/os-release")
_KEYRINGS = Path("/usr/share/keyrings")
_TRUSTED = Path("/etc/apt/trusted.gpg.d")


class Suite(msgspec.Struct, frozen=True):
    """One suite of an archive at ``url``, which ends in a slash, and the components of it to look in. One
    that is ``named`` must be there and be signed well.
    """

    url: str
    name: str
    named: bool = False
    components: tuple[str, ...] = ("main",)


def suites_here(environ: Mapping[str, str], more: tuple[str, ...]) -> list[Suite]:
    """The suites that apt is set to, those of this system's release first, then ``more`` of the same archive.

    Raises ``UsageProblem`` where there is no apt, or it is set to no archive.
    """
    apt = find_program("apt-get", environ)
    rows = _asked((apt, *_TARGETS[1:]), environ) if apt else []
    found: dict[tuple[str, str], list[str]] = {}
    for url, name, component in (row for row in map(str.split, rows) if len(row) == 3):
        found.setdefault((url, name), []).append(component)
    code = os_release().get("VERSION_CODENAME", "")
    every = [Suite(url, name, components=tuple(dict.fromkeys(c))) for (url, name), c in found.items()]
    own = [suite for suite in every if suite.name == code or suite.name.startswith(f"{code}-")]
    listed = own or every
    if not listed:
        raise UsageProblem(
            "no archive of Debian's form is known on this machine",
            where="asked: apt-get indextargets" if apt else "there is no apt-get here",
            advice=(
                'name one in the manifest: [feeds.debian] kind = "debian", url = "http://…/debian/", suites ='
                ' ["…"]'
            ),
        )
    first = listed[0]
    others = (Suite(first.url, name, components=first.components) for name in more if name != code)
    return list(dict.fromkeys([*listed, *others]))


def keyrings() -> list[Path]:
    """The keyrings of the system's own archive: what apt trusts for all, and that of the distribution's
    package.
    """
    release = os_release()
    names = [release.get("ID", ""), *release.get("ID_LIKE", "").split()]
    files = [
        _KEYRINGS / f"{name}-archive-keyring.{ending}" for name in names if name for ending in ("gpg", "pgp")
    ]
    trusted = sorted(_TRUSTED.glob("*.gpg")) + sorted(_TRUSTED.glob("*.asc")) if _TRUSTED.is_dir() else []
    return [file for file in (*files, *trusted) if os.access(file, os.R_OK)]


def proxy(url: str, environ: Mapping[str, str]) -> str:
    """The proxy that apt goes through to an address; empty where it goes directly (apt.conf(5),
    Acquire::http::Proxy).
    """
    scheme, _, rest = url.partition("://")
    host = rest.partition("/")[0].partition(":")[0]
    config = find_program("apt-config", environ)
    rows = _asked((config, "dump", "--format", "%F %v%n"), environ) if config else []
    values = dict(row.split(" ", 1) for row in rows if " " in row)
    found = values.get(f"Acquire::{scheme}::Proxy::{host}") or values.get(f"Acquire::{scheme}::Proxy", "")
    return "" if found == "DIRECT" else found


def os_release() -> dict[str, str]:
    """What the system says of itself (os-release(5))."""
    try:
        rows = _OS_RELEASE.read_text("utf-8", "replace").splitlines()
    except OSError:
        return {}
    return {key: value.strip("\"'") for key, sign, value in (row.partition("=") for row in rows) if sign}


def _asked(words: tuple[str, ...], environ: Mapping[str, str]) -> list[str]:
    try:
        answer = subprocess.run(
            words, capture_output=True, text=True, timeout=20, check=False, stdin=subprocess.DEVNULL,
            env={**environ, "LC_ALL": "C"},
        )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired):
        return []
    return answer.stdout.splitlines()
