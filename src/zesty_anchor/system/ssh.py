"""OpenSSH's own tools: keys (ssh-keygen(1)) and the keys of hosts (ssh-keyscan(1))."""

from __future__ import annotations

import os
import re
import subprocess
from collections.abc import Mapping
from pathlib import Path

from zesty_anchor.system.host import find_program
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.room import room

MISSING = Problem(
    "OpenSSH's client is not installed", advice='add it: [prerequisites] packages = ["openssh-client"]'
)


def tool(name: str, environ: Mapping[str, str]) -> str:
    """Return where one of OpenSSH's programs is; its name alone where there is none."""
    return find_program(name, environ) or name


def key_file(home: Path, kind: str) -> Path:
    """Where a user's key of a kind stands by default."""
    return home / ".ssh" / f"id_{kind}"


def scan(host: str, port: int) -> list[str]:
    """The lines for known_hosts that a host offers. Raises ``Problem`` where it does not answer."""
    try:
        answer = subprocess.run(
            [tool("ssh-keyscan", os.environ), "-T", "10", "-p", str(port), host],
            stdin=subprocess.DEVNULL, capture_output=True, text=True, timeout=60, check=False,
        )  # fmt: skip
    except FileNotFoundError:
        raise MISSING from None
    lines = [line for line in answer.stdout.splitlines() if line and not line.startswith("#")]
    if not lines:
        raise Problem(
            f"{host}, port {port}, offers no key", advice="check the name and the network, then try again"
        )
    return lines


def fingerprint(line: str) -> str:
    """The fingerprint (``SHA256:…``) of a line of known_hosts."""
    answer = subprocess.run(
        [tool("ssh-keygen", os.environ), "-lf", "-"],
        input=line + "\n",
        capture_output=True,
        text=True,
        check=False,
    )
    found = re.search(r"SHA256:\S+", answer.stdout)
    return found[0] if found else ""


def known(content: bytes | None, host: str, port: int) -> list[str]:
    """The fingerprints that a known_hosts holds for a host, its names hashed or not."""
    name = host if port == 22 else f"[{host}]:{port}"
    with room("hosts") as folder:
        (folder / "known").write_bytes(content or b"")
        words = [tool("ssh-keygen", os.environ), "-F", name, "-f", str(folder / "known")]
        try:
            answer = subprocess.run(words, capture_output=True, text=True, check=False)
        except FileNotFoundError:
            raise MISSING from None
    return [fingerprint(line) for line in answer.stdout.splitlines() if line and not line.startswith("#")]
