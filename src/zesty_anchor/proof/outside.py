"""The checks of a manifest for which no shell is needed: a file, a port, an address."""

from __future__ import annotations

import socket
from pathlib import Path

from zesty_anchor.manifest.check import Check
from zesty_anchor.manifest.wanted import expand
from zesty_anchor.proof.judging import expectation, says
from zesty_anchor.proof.result import CheckResult
from zesty_anchor.shells.fresh import LARGEST

_LONGEST = 400
_HOST = "localhost"


def outside(check: Check, folder: Path, home: Path) -> CheckResult:
    """Look at a file (relative to the manifest's ``folder``), try a port of this machine, or ask an
    address.
    """
    if check.file is not None:
        return _file(check, folder / expand(check.file, home))
    if check.port is not None:
        return _port(check, check.port)
    return _url(check, check.url or "")


def _file(check: Check, file: Path) -> CheckResult:
    asks = check.expect is not None or check.match is not None
    expected = expectation(check) if asks else f"{file} is there"
    try:
        if not asks:
            file.stat()
            return CheckResult(check.name, True, expected, "it is there")
        with file.open("rb") as opened:
            text = opened.read(LARGEST).decode("utf-8", "replace").removesuffix("\n")
    except OSError as error:
        return CheckResult(check.name, False, expected, f"{file}: {error.strerror}")
    return CheckResult(check.name, says(check, text), expected, text[:_LONGEST] or "(nothing)")


def _port(check: Check, port: int) -> CheckResult:
    try:
        with socket.create_connection((_HOST, port), timeout=check.seconds):
            return CheckResult(check.name, True, f"port {port} answers", "it answers")
    except OSError as error:
        return CheckResult(check.name, False, f"port {port} answers", error.strerror or str(error))


def _url(check: Check, url: str) -> CheckResult:
    from time import monotonic

    import requests

    status = check.status or 200
    expected = f"status {status}" + (f"; {expectation(check)}" if check.expect or check.match else "")
    until, text = monotonic() + check.seconds, bytearray()
    try:
        with requests.get(url, timeout=check.seconds, stream=True, allow_redirects=False) as answer:
            while len(text) < LARGEST and monotonic() < until:
                more = answer.raw.read1(LARGEST - len(text), decode_content=True)
                if not more:
                    break
                text += more
            seen = answer.status_code
    except (requests.RequestException, OSError) as error:
        return CheckResult(check.name, False, expected, f"{url} does not answer: {type(error).__name__}")
    said = text.decode("utf-8", "replace").removesuffix("\n")
    ok = seen == status and says(check, said)
    return CheckResult(check.name, ok, expected, f"status {seen}; {said[:_LONGEST] or '(nothing)'}")
