"""Whom HTTPS trusts, and which proxies it goes through: a server with an authority of its own, on
loopback.
"""

from __future__ import annotations

import http.server
import ssl
import threading
from collections.abc import Iterator
from pathlib import Path

import pytest
import trustme

from zesty_anchor.feeds.documents import Web
from zesty_anchor.feeds.trust import Trust, goes_direct, trust_here
from zesty_anchor.feeds.web import session
from zesty_anchor.system.problem import Problem, UsageProblem


class _Answers(http.server.BaseHTTPRequestHandler):
    def do_GET(self) -> None:
        self.send_response(200)
        self.send_header("Content-Length", "4")
        self.end_headers()
        self.wfile.write(b"tide")

    def log_message(self, format: str, *args: object) -> None:
        pass


@pytest.fixture(scope="module")
def secured(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[str, Path]]:
    """The address of a server that only its own authority vouches for, and the file of that authority."""
    authority = trustme.CA()
    file = tmp_path_factory.mktemp("authority") / "ca.pem"
    authority.cert_pem.write_to_path(str(file))
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), _Answers)
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    authority.issue_cert("127.0.0.1").configure_cert(context)
    server.socket = context.wrap_socket(server.socket, server_side=True)
    threading.Thread(target=server.serve_forever, args=(0.01,), daemon=True).start()
    yield f"https://127.0.0.1:{server.server_address[1]}/", file
    server.shutdown()


@pytest.mark.parametrize(
    "way",
    [
        "SSL_CERT_FILE",
        pytest.param("SSL_CERT_DIR", marks=pytest.mark.needs("openssl")),
        "REQUESTS_CA_BUNDLE",
        "npm",
        "pip",
        "PIP_CERT",
    ],
)
def test_an_authority_is_trusted_wherever_it_is_named(
    secured: tuple[str, Path], tmp_path: Path, way: str
) -> None:
    url, authority = secured
    environ = {
        "SSL_CERT_FILE": {"SSL_CERT_FILE": str(authority)},
        "PIP_CERT": {"PIP_CERT": str(authority)},
    }.get(way, {})
    if way == "REQUESTS_CA_BUNDLE":
        environ = {way: str(authority)}
    elif way == "SSL_CERT_DIR":
        (tmp_path / "certs").mkdir()
        named = _hashed(authority)
        (tmp_path / "certs" / f"{named}.0").write_bytes(authority.read_bytes())
        environ = {way: f"/nowhere:{tmp_path / 'certs'}"}
    elif way == "npm":
        (tmp_path / ".npmrc").write_text(f"cafile={authority}\n")
    elif way == "pip":
        (tmp_path / ".config/pip").mkdir(parents=True)
        (tmp_path / ".config/pip/pip.conf").write_text(f"[global]\ncert = {authority}\n")
    assert Web(trust=trust_here(environ, tmp_path)).text(url, who="the feed") == "tide"


def _hashed(file: Path) -> str:
    import subprocess

    words = ["openssl", "x509", "-hash", "-noout", "-in", str(file)]
    return subprocess.run(words, capture_output=True, text=True, check=True).stdout.strip()


def test_without_it_nothing_is_fetched(secured: tuple[str, Path], tmp_path: Path) -> None:
    with pytest.raises(Problem, match="cannot be trusted") as raised:
        Web(trust=trust_here({}, tmp_path)).text(secured[0], who="the feed")
    assert "update-ca-certificates" in raised.value.advice


def test_a_file_that_is_no_authority_is_named(tmp_path: Path) -> None:
    (tmp_path / "ca.pem").write_text("no certificate")
    for file in (tmp_path / "ca.pem", tmp_path / "gone.pem"):
        (tmp_path / ".npmrc").write_text(f"cafile = {file}\n")
        with pytest.raises(UsageProblem, match="that npm's cafile names cannot be read"):
            session(trust_here({}, tmp_path)).get_adapter("https://127.0.0.1:9/")


def test_the_proxies_of_npm_and_pip_where_the_environment_names_none(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    for name in (
        "http_proxy",
        "https_proxy",
        "no_proxy",
        "HTTP_PROXY",
        "HTTPS_PROXY",
        "NO_PROXY",
        "all_proxy",
    ):
        monkeypatch.delenv(name, raising=False)
    (tmp_path / ".npmrc").write_text("https-proxy=http://one:1\nnoproxy=quay.invalid, .pier.invalid\n")
    (tmp_path / ".config/pip").mkdir(parents=True)
    (tmp_path / ".config/pip/pip.conf").write_text("[global]\nproxy = two:2\n")
    made = session(trust_here({}, tmp_path))

    def taken(url: str) -> str | None:
        found = made.merge_environment_settings(url, {}, None, None, None)["proxies"]
        return found.get(url.partition(":")[0])

    assert taken("https://harbour.invalid/") == "http://one:1"
    assert taken("http://harbour.invalid/") == "http://two:2"
    assert (
        taken("https://quay.invalid/")
        is taken("https://x.pier.invalid/")
        is taken("https://127.0.0.1:8/")
        is None
    )
    monkeypatch.setenv("https_proxy", "http://three:3")
    assert taken("https://harbour.invalid/") == "http://three:3", "the environment's comes first"
    monkeypatch.setenv("no_proxy", "harbour.invalid")
    assert taken("https://harbour.invalid/") is None


def test_which_hosts_go_direct() -> None:
    direct = ("quay.invalid", ".pier.invalid")
    for url in (
        "http://localhost/",
        "http://127.3.0.1/",
        "http://[::1]/",
        "http://quay.invalid:8/",
        "http://a.pier.invalid/",
    ):
        assert goes_direct(url, direct), url
    for url in ("http://quay.invalid.other/", "http://pierinvalid/", "http://10.0.0.1/"):
        assert not goes_direct(url, direct), url
    assert Trust().proxies == {}
