"""The stand-in download host: serves a feed's folder on loopback.

It stands on its own too:  python -m zesty_anchor.demo.host FOLDER [PORT]
"""

from __future__ import annotations

import http.server
import sys
import threading
from pathlib import Path
from typing import Any


class _Handler(http.server.SimpleHTTPRequestHandler):
    protocol_version = "HTTP/1.1"

    def log_message(self, format: str, *args: Any) -> None:
        """Keep quiet."""


class Host:
    """A running host. Use it as a context manager."""

    def __init__(self, folder: Path, port: int = 0) -> None:
        def handler(*arguments: Any) -> _Handler:
            return _Handler(*arguments, directory=str(folder))

        self._server = http.server.ThreadingHTTPServer(("127.0.0.1", port), handler)
        self._server.daemon_threads = True

    @property
    def port(self) -> int:
        """The port that it listens on."""
        return self._server.server_address[1]

    @property
    def url(self) -> str:
        """The address of the feed."""
        return f"http://127.0.0.1:{self.port}/"

    def __enter__(self) -> Host:
        """Begin to serve."""
        # Looked at often, so that it ends at once when it is told to.
        threading.Thread(target=self._server.serve_forever, args=(0.01,), daemon=True).start()
        return self

    def __exit__(self, *_: object) -> None:
        """Stop."""
        self._server.shutdown()
        self._server.server_close()

    def serve(self) -> None:
        """Serve until interrupted."""
        self._server.serve_forever()


if __name__ == "__main__":
    try:
        Host(Path(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 0).serve()
    except KeyboardInterrupt:
        pass
