"""A company's way out: a proxy on loopback that looks into TLS, under an authority of the company's own."""

from __future__ import annotations

import contextlib
import http.server
import select
import socket
import ssl
import tempfile
import threading
from collections.abc import Iterator
from pathlib import Path

import trustme


class Proxy:
    """The proxy: its ``address``, the ``hosts`` that it was asked for, and the company's ``authority``."""

    def __init__(self, authority: trustme.CA) -> None:
        self.authority = authority
        self.hosts: list[str] = []
        self._contexts: dict[str, ssl.SSLContext] = {}
        self._lock = threading.Lock()
        proxy = self

        class Handler(http.server.BaseHTTPRequestHandler):
            def do_CONNECT(self) -> None:
                host, _, port = self.path.rpartition(":")
                proxy.hosts.append(host)
                try:
                    out = ssl.create_default_context().wrap_socket(
                        socket.create_connection((host, int(port)), timeout=30), server_hostname=host
                    )
                except OSError:
                    self.send_error(502)
                    return
                self.send_response(200)
                self.end_headers()
                with contextlib.suppress(OSError):
                    inner = proxy.context(host).wrap_socket(self.connection, server_side=True)
                    _relay(inner, out)
                self.close_connection = True

            def log_message(self, format: str, *args: object) -> None:
                pass

        self.server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.address = f"http://127.0.0.1:{self.server.server_address[1]}"

    def context(self, host: str) -> ssl.SSLContext:
        """TLS as that host, by the company's authority."""
        with self._lock:
            if host not in self._contexts:
                context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
                self.authority.issue_cert(host).configure_cert(context)
                self._contexts[host] = context
            return self._contexts[host]


def _relay(one: ssl.SSLSocket, other: ssl.SSLSocket) -> None:
    pairs = {one: other, other: one}
    while True:
        ready = [each for each in pairs if each.pending()] or select.select(list(pairs), [], [], 120)[0]
        if not ready:
            return
        for each in ready:
            content = each.recv(1 << 16)
            if not content:
                return
            pairs[each].sendall(content)


@contextlib.contextmanager
def proxy() -> Iterator[tuple[Proxy, Path]]:
    """The proxy at work, and the file of its authority."""
    authority = trustme.CA(organization_name="Quay Company")
    made = Proxy(authority)
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "quay.pem"
        authority.cert_pem.write_to_path(str(file))
        threading.Thread(target=made.server.serve_forever, args=(0.01,), daemon=True).start()
        yield made, file
        made.server.shutdown()
