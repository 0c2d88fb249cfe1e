"""A registry as a package tool on this machine sees it: a server on loopback, while a package is added, that
serves what a mirror has, or records what a mirror is to have. Its address is a secret of who started it.
"""

from __future__ import annotations

import http.server
import re
import secrets
import threading
from collections.abc import Callable, Iterator
from contextlib import suppress
from typing import Any
from urllib.parse import unquote

import msgspec

from zesty_anchor.system.problem import Problem

_ADDRESS = re.compile(rb"(https?):\\?/\\?/([A-Za-z0-9.-]+(?::\d+)?)(?=[/\\\"'])")
_FROM_ROOT = re.compile(rb"((?:href=|\"url\": ?)[\"'])/(?!/)")
_PATH = re.compile(r"\A/(https?)/([A-Za-z0-9.-]+(?:(?::|%3[Aa])\d+)?)(/.*)\Z")
"""Clients may write the colon of a port in either way in a path (RFC 3986, 2.2 and 3.3)."""
_PAGES = "text/html"
_SIMPLE = "application/vnd.pypi.simple.v1+json"
"""The kind of a project's page as JSON (simple repository API, packaging.python.org)."""


class Passed(msgspec.Struct):
    """What is at an address: a document as a whole (``content``), else a file in ``chunks``."""

    kind: str
    content: bytes | None = None
    chunks: Iterator[bytes] = iter(())


Source = Callable[[str, str], Passed | None]
"""Gives what is at an address, for the kinds that a client accepts; None where there is nothing. Raises
``Problem``.
"""


def is_document(kind: str) -> bool:
    """Whether a kind of content (RFC 9110, 8.3) is a page or data that may name addresses. Pure."""
    plain = kind.partition(";")[0].strip().lower()
    return plain in (_PAGES, "application/json") or plain.endswith("+json") or plain.endswith("+html")


def kind_of(content: bytes, accept: str) -> str:
    """The kind of a document that a web server knows as a file without a name's ending. Pure."""
    if content.lstrip()[:1] == b"<":
        return _PAGES
    return _SIMPLE if _SIMPLE in accept and b'"files"' in content else "application/json"


def through(content: bytes, base: str, scheme: str, host: str) -> bytes:
    """A document with its addresses led through ``base``. Pure."""
    there = base.encode()
    whole = _ADDRESS.sub(lambda found: b"/".join((there, found[1], found[2])), content)
    return _FROM_ROOT.sub(lambda found: found[1] + there + f"/{scheme}/{host}/".encode(), whole)


class Gateway:
    """A running server. Use it as a context manager."""

    def __init__(self, source: Source) -> None:
        secret = secrets.token_urlsafe(16)

        class Handler(_Handler):
            """One request."""

            base = f"/{secret}"
            passed = staticmethod(source)

        self._server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self._server.daemon_threads = True
        self._base = f"http://127.0.0.1:{self._server.server_address[1]}/{secret}"

    def at(self, address: str) -> str:
        """Where an address is to be asked for."""
        scheme, _, rest = address.partition("://")
        return f"{self._base}/{scheme}/{rest}"

    def __enter__(self) -> Gateway:
        threading.Thread(target=self._server.serve_forever, args=(0.01,), daemon=True).start()
        return self

    def __exit__(self, *_: object) -> None:
        self._server.shutdown()
        self._server.server_close()


class _Handler(http.server.BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"
    base: str
    passed: Source

    def log_message(self, format: str, *args: Any) -> None:
        """Keep quiet."""

    def do_GET(self) -> None:
        """Answer with what is at the address in the path."""
        found = _PATH.match(self.path.removeprefix(self.base)) if self.path.startswith(self.base) else None
        if found is None:
            self._say(404, "no such address")
            return
        scheme, rest = found[1], found[3]
        host = unquote(found[2])
        try:
            passed = type(self).passed(f"{scheme}://{host}{rest}", self.headers.get("Accept", "*/*"))
        except Problem as problem:
            self._say(502, str(problem))
            return
        if passed is None:
            self._say(404, "it is not there")
            return
        with suppress(OSError):  # the package tool has gone away
            self._pass_on(passed, scheme, host)

    def _pass_on(self, passed: Passed, scheme: str, host: str) -> None:
        here = f"http://{self.headers.get('Host', '')}{self.base}"
        self.send_response(200)
        self.send_header("Content-Type", passed.kind)
        if passed.content is not None:
            content = through(passed.content, here, scheme, host)
            self.send_header("Content-Length", str(len(content)))
            self.end_headers()
            self.wfile.write(content)
            return
        self.send_header("Connection", "close")
        self.end_headers()
        try:
            for chunk in passed.chunks:
                self.wfile.write(chunk)
        except Problem:
            pass  # what came is too short, and its digest wrong
        self.close_connection = True

    def _say(self, status: int, text: str) -> None:
        content = text.encode("utf-8", "replace")
        self.send_response(status)
        self.send_header("Content-Type", "text/plain; charset=utf-8")
        self.send_header("Content-Length", str(len(content)))
        self.end_headers()
        with suppress(OSError):
            self.wfile.write(content)
