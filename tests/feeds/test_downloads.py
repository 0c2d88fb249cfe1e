"""Downloads over a host that breaks off, stalls, fails, or knows no ranges."""

from __future__ import annotations

import hashlib
import http.server
import os
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
import requests

from zesty_anchor.feeds import documents, web
from zesty_anchor.feeds.documents import Web
from zesty_anchor.feeds.web import FileBody, WebBody
from zesty_anchor.shelf.download import kept_file, obtain
from zesty_anchor.system.problem import Problem

CONTENT = bytes(range(256)) * 4000
Serving = Callable[..., str]


@pytest.fixture
def serving(monkeypatch: pytest.MonkeyPatch) -> Iterator[Serving]:
    """``serving(breaks=…, ranges=…, errors=…)``: a host that breaks off after as many bytes, that many
    times.
    """
    monkeypatch.setattr(web, "RESUME_PAUSE", 0.01)
    servers: list[http.server.ThreadingHTTPServer] = []

    def made(*, breaks: int = 0, ranges: bool = True, errors: int = 0) -> str:
        left = {"breaks": breaks, "errors": errors}
        asked: list[str] = []

        class Handler(http.server.BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                asked.append(self.headers.get("Range", ""))
                if left["errors"]:
                    left["errors"] -= 1
                    self.send_error(503)
                    return
                start = int(asked[-1][6:-1]) if asked[-1] and ranges else 0
                self.send_response(206 if start else 200)
                self.send_header("Content-Length", str(len(CONTENT) - start))
                self.end_headers()
                if left["breaks"]:
                    left["breaks"] -= 1
                    self.wfile.write(CONTENT[start : start + 300_000])
                    self.connection.close()
                    return
                self.wfile.write(CONTENT[start:])

            def log_message(self, format: str, *args: object) -> None:
                pass

        server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        server.asked = asked  # type: ignore[attr-defined]
        servers.append(server)
        threading.Thread(target=server.serve_forever, args=(0.01,), daemon=True).start()
        return f"http://127.0.0.1:{server.server_address[1]}/a"

    made.servers = servers  # type: ignore[attr-defined]
    yield made
    for server in servers:
        server.shutdown()
        server.server_close()


def fetched(url: str) -> bytes:
    body = WebBody(web.session(), url, "the feed")
    assert body.size == len(CONTENT)
    return b"".join(body.chunks(1 << 16))


def test_a_broken_download_goes_on_where_it_broke(serving: Serving) -> None:
    url = serving(breaks=2)
    assert fetched(url) == CONTENT
    asked = serving.servers[0].asked  # type: ignore[attr-defined]
    assert asked[0] == ""
    assert asked[1].startswith("bytes=")
    assert int(asked[2][6:-1]) > int(asked[1][6:-1]) > 0


def test_a_host_without_ranges_begins_anew_and_nothing_comes_twice(serving: Serving) -> None:
    assert fetched(serving(breaks=1, ranges=False)) == CONTENT


def test_errors_that_may_pass_are_tried_again(serving: Serving) -> None:
    assert fetched(serving(errors=2)) == CONTENT


def test_a_stall_is_cut_off(serving: Serving, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(web, "READ_SECONDS", 0.3)
    monkeypatch.setattr(web, "RESUME_TRIES", 1)

    class Stalling(http.server.BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            self.send_response(200)
            self.send_header("Content-Length", "1000")
            self.end_headers()
            self.wfile.write(b"x")
            self.wfile.flush()
            over.wait(10)

        def log_message(self, format: str, *args: object) -> None:
            pass

    over = threading.Event()
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Stalling)
    threading.Thread(target=server.serve_forever, args=(0.01,), daemon=True).start()
    try:
        body = WebBody(web.session(), f"http://127.0.0.1:{server.server_address[1]}/", "the feed 'harbour'")
        with pytest.raises(Problem, match="'harbour' cannot be reached"):
            list(body.chunks(100))
    finally:
        over.set()
        server.shutdown()
        server.server_close()


def test_answers_are_asked_for_again_only_if_they_changed(
    tmp_path: Path, make_feed: Callable[..., str]
) -> None:
    url = make_feed({"x.json": b"[1]"}) + "x.json"
    (tmp_path / "answers").mkdir()
    seen: list[int] = []
    first = Web(tmp_path / "answers")
    first.session.hooks["response"].append(lambda answer, **_: seen.append(answer.status_code))
    assert first.json(url, who="it") == first.json(url, who="it") == [1]
    assert seen == [200, 304]
    offline = Web(tmp_path / "answers", offline=True)
    assert offline.json(url, who="it") == [1]
    assert offline.ages["it"] >= 0
    assert offline._session is None, "nobody was asked"
    with pytest.raises(Problem, match="never asked"):
        offline.json(url + "y", who="it")


def test_an_answer_that_changes_once_more_within_a_second_is_seen(
    tmp_path: Path, make_feed: Callable[..., str]
) -> None:
    url = make_feed({"x.json": b"[1]"}) + "x.json"
    file = next(tmp_path.rglob("x.json"))
    (tmp_path / "answers").mkdir()
    kept = Web(tmp_path / "answers")
    at = time.time() + 1  # as if it had been written in the very second in which it is asked for
    os.utime(file, (at, at))
    assert kept.json(url, who="it") == [1]
    file.write_bytes(b"[2]")
    os.utime(file, (at, at))
    assert kept.json(url, who="it") == [2]


@pytest.mark.parametrize("date", ["", "tomorrow", "Fri, 27 Nov 2026 11:35:15 -0000"])
def test_a_time_of_change_counts_only_beside_a_date(date: str) -> None:
    assert documents._tells_changes("Fri, 27 Nov 2026 11:35:10 GMT", "Fri, 27 Nov 2026 11:35:11 GMT")
    assert not documents._tells_changes("Fri, 27 Nov 2026 11:35:10 GMT", date)


def test_a_kept_file_is_used_while_its_digest_fits(tmp_path: Path) -> None:
    from zesty_anchor.demo.wares import pack

    content = pack("top", {"bin/x": (b"x", 0o755)}, "tar.gz")
    source = tmp_path / "source"
    source.write_bytes(content)
    digest = "sha256:" + hashlib.sha256(content).hexdigest()
    kept = kept_file(tmp_path, digest, "")
    opened: list[int] = []

    def fetch() -> FileBody:
        opened.append(1)
        return FileBody(source)

    for number, spoil in enumerate((False, False, True)):
        if spoil:
            kept.write_bytes(b"damaged")
        (tmp_path / str(number)).mkdir()
        assert obtain(fetch, digest, None, kept, tmp_path / str(number), lambda done, total: None) == digest
        assert (tmp_path / str(number) / "top/bin/x").exists()
    assert len(opened) == 2, "fetched at first, and when the kept file was damaged"


def test_requests_honours_a_proxy_and_an_authority_of_ones_own(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("http_proxy", "http://127.0.0.1:9/")
    monkeypatch.setenv("no_proxy", "")
    with pytest.raises(Problem, match="cannot be reached"):
        WebBody(web.session(), "http://harbour.invalid/", "the feed")
    settings = requests.Session.merge_environment_settings(web.session(), "https://x/", {}, None, None, None)
    monkeypatch.setenv("REQUESTS_CA_BUNDLE", "/own/ca.pem")
    after = requests.Session.merge_environment_settings(web.session(), "https://x/", {}, None, None, None)
    assert after["verify"] == "/own/ca.pem"
    assert settings["proxies"]["http"] == "http://127.0.0.1:9/"
