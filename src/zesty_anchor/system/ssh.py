"""OpenSSH's own tools: keys (ssh-keygen(1)) and the keys of hosts (ssh-keyscan(1))."""

from __future__ import annotations

import re
import subprocess
from pathlib import Path

from zesty_anchor.system.problem import Problem

_MISSING = Problem("OpenSSH's client is not installed", advice='add it: [prerequisites] packages = ["openssh-client"]')


def key_file(home: Path, kind: str) -> Path:
    """Where a user's key of a kind stands by default."""
    return home / ".ssh" / f"id_{kind}"


def make_key(file: Path, kind: str, comment: str, passphrase: str) -> None:
    """Make a key; one that is there is never overwritten. Raises ``Problem`` where it cannot be made.

    The passphrase goes to ssh-keygen's own question, so that no list of processes shows it.
    """
    import pexpect

    if file.exists():
        raise Problem(f"{file} is there already", advice="it was not touched; run the command again")
    try:
        child = pexpect.spawn(
            "ssh-keygen", ["-q", "-t", kind, "-C", comment, "-f", str(file)], timeout=60, echo=False, encoding="utf-8"
        )
    except pexpect.ExceptionPexpect:
        raise _MISSING from None
    for _ in range(2):
        if child.expect(["passphrase[^:]*: ", pexpect.EOF]) == 0:
            child.sendline(passphrase)
    child.expect(pexpect.EOF)
    child.close()
    if child.exitstatus != 0 or not file.is_file():
        said = str(child.before or "").strip()
        raise Problem(f"ssh-keygen made no key: {said}", advice="a passphrase has five letters at least")


def scan(host: str, port: int) -> list[str]:
    """The lines for known_hosts that a host offers. Raises ``Problem`` where it does not answer."""
    try:
        answer = subprocess.run(
            ["ssh-keyscan", "-T", "10", "-p", str(port), host],
            stdin=subprocess.DEVNULL, capture_output=True, text=True, timeout=60, check=False,
        )  # fmt: skip
    except FileNotFoundError:
        raise _MISSING from None
    lines = [line for line in answer.stdout.splitlines() if line and not line.startswith("#")]
    if not lines:
        raise Problem(f"{host}, port {port}, offers no key", advice="check the name and the network, then try again")
    return lines


def fingerprint(line: str) -> str:
    """The fingerprint (``SHA256:…``) of a line of known_hosts."""
    answer = subprocess.run(["ssh-keygen", "-lf", "-"], input=line + "\n", capture_output=True, text=True, check=False)
    found = re.search(r"SHA256:\S+", answer.stdout)
    return found[0] if found else ""


def known(content: bytes | None, host: str, port: int) -> list[str]:
    """The fingerprints that a known_hosts holds for a host, its names hashed or not."""
    import tempfile

    name = host if port == 22 else f"[{host}]:{port}"
    with tempfile.NamedTemporaryFile(prefix="zesty-anchor-hosts-") as file:
        file.write(content or b"")
        file.flush()
        try:
            answer = subprocess.run(
                ["ssh-keygen", "-F", name, "-f", file.name], capture_output=True, text=True, check=False
            )
        except FileNotFoundError:
            raise _MISSING from None
    return [fingerprint(line) for line in answer.stdout.splitlines() if line and not line.startswith("#")]
