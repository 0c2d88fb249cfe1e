"""What ``[[checks]]`` say that their types let pass and their meaning does not."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from urllib.parse import urlsplit

from zesty_anchor.manifest.check import Check
from zesty_anchor.manifest.position import Step
from zesty_anchor.manifest.wrong import Wrong

_KINDS = ("run", "file", "port", "url")


def check_meaning(checks: Iterable[Check], named: frozenset[str]) -> Iterator[Wrong]:
    """What is wrong; ``named`` are the hosts that the manifest names beside. Pure."""
    for index, check in enumerate(checks):
        for key, what, advice in (*_own(check), *_address(check, named)):
            yield Wrong(("checks", index, *((key,) if key else ())), what, advice)


def _own(check: Check) -> Iterator[tuple[Step, str, str]]:
    for key in ("name", "run", "file", "folder"):
        text = getattr(check, key)
        if text is not None and (not text.strip() or "\0" in text):
            yield key, f"checks.{key} is empty, or holds a NUL byte", "write what is to be checked"
    if not check.name.isprintable():
        yield "name", f"checks.name is {check.name[:40]!r}", "write it on one line"
    given = [key for key in _KINDS if getattr(check, key) is not None]
    if len(given) != 1:
        told = f"says {' and '.join(given)}" if given else "does not say what is checked"
        yield "", f"the check {check.name[:40]!r} {told}", f"write one of: {', '.join(_KINDS)}"
    for key in ("match",):
        try:
            re.compile(check.match or "")
        except re.error as error:
            yield (
                key,
                f"checks.{key} is no regular expression: {error}",
                "a sign that means itself has \\\\ before it",
            )
    if check.expect is not None and check.match is not None:
        yield "match", f"the check {check.name[:40]!r} says expect and match", "write one of the two"
    for key in ("error", "shells", "once", "folder") if check.run is None else ():
        if getattr(check, key):
            yield key, f"checks.{key} says something of a command line, and there is none", f"leave {key} out"
    if check.port is not None and (check.expect or check.match or check.status is not None):
        yield "port", f"the check {check.name[:40]!r} of a port expects an answer", "write url for that"
    if check.once and check.shells:
        yield "once", f"the check {check.name[:40]!r} says once and shells", "write one of the two"


def _address(check: Check, named: frozenset[str]) -> Iterator[tuple[Step, str, str]]:
    if check.url is None:
        return
    try:
        parts = urlsplit(check.url)
        host, _ = parts.hostname or "", parts.port
    except ValueError as error:
        yield "url", f"{check.url[:80]!r} is no address: {error}", "write it with http:// in front"
        return
    if parts.scheme not in ("http", "https") or not host or not check.url.isprintable() or " " in check.url:
        yield "url", f"{check.url[:80]!r} is no address of the web", "write it with http:// in front"
    elif not _is_loopback(host) and host not in named:
        what = f"the check {check.name[:40]!r} would ask {host}, which nothing else in this manifest names"
        yield "url", what, "checks ask this machine, and the hosts of the manifest's feeds and identity"


def _is_loopback(host: str) -> bool:
    import ipaddress  # few manifests ask an address

    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"
