"""Feeds and repositories that lie, flood, stall or lead away: each ends with a reason, within bounds, and
runs nothing.
"""

from __future__ import annotations

import contextlib
import gzip
import http.server
import itertools
import json
import os
import socket
import subprocess
import threading
import time
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import Desk
from tests.hostile.archives import link, member, tar
from tests.hostile.measured import note
from zesty_anchor.feeds import web
from zesty_anchor.feeds.admitted import admitted
from zesty_anchor.feeds.documents import Web
from zesty_anchor.feeds.feed import Supply
from zesty_anchor.feeds.known import feed_class
from zesty_anchor.feeds.open import Feeds
from zesty_anchor.feeds.release import Release
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.shelf.checkout import check_out
from zesty_anchor.shelf.members import ArchiveRefused
from zesty_anchor.system.git import protocol_of
from zesty_anchor.system.problem import Problem, UsageProblem

KINDS = ("index", "npm", "pypi", "json", "listing")
MAP = {"releases": "@", "version": "version", "file": "file"}
NAMES = [
    "1:bin",
    "1\n2",
    "../1",
    "1/../../x",
    "/1",
    "-1",
    "1 2",
    "1\x1b[31m",
    "1\u202e",
    "",
    "1" * 101,
    "$(id)",
    "1;id",
    "'1",
    "1\0",
    ".1",
]
ADDRESSES = [
    "file:///etc/passwd",
    "ftp://a/b",
    "/dev/zero",
    "data:,x",
    "javascript:x",
    "http://[",
    "\x00",
    "C:\\x",
    "gopher://a",
]


@pytest.mark.parametrize("name", NAMES)
def test_what_is_no_name_of_a_version_is_left_out_and_counted(name: str) -> None:
    offered = [
        Release(name, "http://a/b", ""),
        Release("4.2.1", "http://a/b", "", channels=("lts", "a b", "\x1b")),
    ]
    taken, left_out = admitted(offered, feed_class("index"))
    assert [release.version for release in taken] == ["4.2.1"]
    assert taken[0].channels == ("lts",)
    assert len(left_out) == 1
    note(f"feed: a version {name[:20]!r}")


@pytest.mark.parametrize("address", ADDRESSES)
def test_an_address_of_another_kind_is_left_out(address: str) -> None:
    for field in ("url", "signature", "sums", "licence_url"):
        release = Release(**{"version": "1", "url": "http://a/b", "digest": "", field: address})  # type: ignore[arg-type]
        assert admitted([release], feed_class("index"))[0] == []
    assert admitted([Release("1", "http://a/b", "")], feed_class("folder"))[0] == []
    note(f"feed: an address {address!r}")


class Hostile(http.server.BaseHTTPRequestHandler):
    """Answers by the first part of the path."""

    protocol_version = "HTTP/1.1"

    def do_GET(self) -> None:
        how = self.path.split("/")[1]
        getattr(self, f"_{how}")()

    def _answer(self, body: bytes, **headers: str) -> None:
        self.send_response(200)
        for name, value in headers.items():
            self.send_header(name.replace("_", "-"), value)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def _bomb(self) -> None:
        self._answer(gzip.compress(bytes(1 << 24)) * 8, Content_Encoding="gzip")

    def _deep(self) -> None:
        self._answer(b"[" * 200_000)

    def _deeper(self) -> None:
        self._answer(b'{"a":' * 200_000)

    def _number(self) -> None:
        self._answer(b'{"versions": ' + b"9" * 5000 + b"}")

    def _noise(self) -> None:
        self._answer(bytes(range(256)) * 100)

    def _list(self) -> None:
        self._answer(b"[[[[]]]]")

    def _types(self) -> None:
        self._answer(
            json.dumps(
                {"versions": {"1.0": 5}, "files": [1], "releases": "x", "format": 7, "time": [], "dist": None}
            ).encode()
        )

    def _odd(self) -> None:
        self._answer(b"x", Content_Encoding="what")

    def _damaged(self) -> None:
        self._answer(gzip.compress(b"x" * 1000)[:-20], Content_Encoding="gzip")

    def _file(self) -> None:
        self._led("file:///etc/passwd")

    def _round(self) -> None:
        self._led("/round/again")

    def _led(self, where: str) -> None:
        self.send_response(302)
        self.send_header("Location", where)
        self.send_header("Content-Length", "0")
        self.end_headers()

    def _headers(self) -> None:
        self.send_response(200)
        for number in range(300):
            self.send_header(f"X-{number}", "x" * 1000)
        self.end_headers()

    def _drip(self) -> None:
        self.send_response(200)
        self.send_header("Content-Length", "1000000")
        self.end_headers()
        while not self.server.over.wait(0.05):  # type: ignore[attr-defined]
            self.wfile.write(b"x")
            self.wfile.flush()

    def _ranges(self) -> None:
        """One byte a connection, for ever."""
        self.send_response(206 if "Range" in self.headers else 200)
        self.send_header("Content-Length", "1000000")
        self.end_headers()
        self.wfile.write(b"x")
        self.close_connection = True

    def _elsewhere(self) -> None:
        """Goes on at another place than was asked for."""
        self.send_response(206 if "Range" in self.headers else 200)
        self.send_header("Content-Range", "bytes 7-99/100")
        self.send_header("Content-Length", "100")
        self.end_headers()
        self.wfile.write(b"x" * 50)
        self.close_connection = True

    def log_message(self, *given: object) -> None:
        pass


@pytest.fixture
def hostile(monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    monkeypatch.setattr(web, "ANSWER_SECONDS", 0.5)
    monkeypatch.setattr(web, "SLOW_SECONDS", 0.3)
    monkeypatch.setattr(web, "RESUME_PAUSE", 0.001)
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Hostile)
    server.daemon_threads, server.over = True, threading.Event()  # type: ignore[attr-defined]
    threading.Thread(target=server.serve_forever, args=(0.01,), daemon=True).start()
    yield f"http://127.0.0.1:{server.server_address[1]}"
    server.over.set()  # type: ignore[attr-defined]
    server.shutdown()
    server.server_close()


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize(
    "how",
    [
        "bomb",
        "deep",
        "deeper",
        "number",
        "noise",
        "list",
        "types",
        "odd",
        "damaged",
        "file",
        "round",
        "headers",
        "drip",
    ],
)
def test_a_feed_that_does_harm_ends_with_a_reason(kind: str, how: str, hostile: str, tmp_path: Path) -> None:
    feeds = Feeds({}, tmp_path, Web())
    supply = Supply("harbour", kind, f"{hostile}/{how}/", "kelp", map=MAP)
    with pytest.raises(Problem) as told:
        offered = feeds.releases(supply, Recipe(commands=("kelp",)), "linux-x86_64")
        assert offered == [], "it was believed"
        raise Problem("it offers nothing")
    assert "unexpected" not in str(told.value)
    note(f"feed: {kind}, {how}")


@pytest.mark.parametrize("how", ["drip", "ranges", "elsewhere", "file"])
def test_a_download_that_does_harm_ends_with_a_reason(how: str, hostile: str) -> None:
    with pytest.raises(Problem):
        for _ in web.WebBody(web.session(), f"{hostile}/{how}/x", "the feed").chunks(1 << 16):
            pass
    note(f"download: {how}")


def test_what_was_asked_for_by_https_is_not_led_on_to_less() -> None:
    import requests

    answer = requests.Response()
    answer.status_code, answer.url = 302, "https://a/b"
    answer.headers["Location"] = "http://a/b"
    with pytest.raises(web.LedAway):
        web.session().get_redirect_target(answer)
    answer.headers["Location"] = "https://b/c"
    assert web.session().get_redirect_target(answer) == "https://b/c"
    note("feed: led on to less")


def test_a_server_does_not_say_how_long_to_wait_for_ever() -> None:
    import urllib3

    answer = urllib3.HTTPResponse(headers={"Retry-After": "86400"})
    assert web._Retry().get_retry_after(answer) == web.LONGEST_WAIT
    note("feed: a day to wait")


@settings(max_examples=60, deadline=None)
@given(st.recursive(st.none() | st.booleans() | st.integers() | st.text(max_size=9),
lambda inner: st.lists(inner, max_size=3)
       | st.dictionaries(st.sampled_from(["versions", "files", "releases", "1.0", "dist", "version", "format",
       "runtime", "time"]), inner, max_size=4), max_leaves=9))  # fmt: skip
def test_whatever_a_feed_answers_the_error_is_ours(document: object) -> None:
    class Told(Web):
        def document(
            self, url: str, *, who: str, accept: str = "*/*", pages: bool = False
        ) -> tuple[str, bytes]:
            return "application/json", json.dumps(document).encode()

    for kind in KINDS:
        try:
            Feeds({}, Path("/"), Told()).releases(
                Supply("h", kind, "http://a/", "kelp", map=MAP), Recipe(commands=("kelp",)), "linux-x86_64"
            )
        except Problem:
            continue


# -- git ----------------------------------------------------------------------------------------------------


def git(folder: Path, *words: str) -> str:
    environment = {"HOME": str(folder), "PATH": os.environ["PATH"], "GIT_CONFIG_NOSYSTEM": "1"}
    named = (
        "-c",
        "user.name=Desk",
        "-c",
        "user.email=desk@example.org",
        "-c",
        "protocol.file.allow=always",
        "-c",
        "init.defaultBranch=main",
    )
    return subprocess.run(
        ["git", *named, *words], cwd=folder, env=environment, capture_output=True, text=True, check=True
    ).stdout


@pytest.fixture
def repository(tmp_path: Path) -> Path:
    folder = tmp_path / "repository"
    folder.mkdir()
    git(folder, "init", "-q")
    (folder / "kelp").write_text("kelp\n")
    git(folder, "add", "."), git(folder, "commit", "-qm", "one"), git(folder, "tag", "v1.0")
    return folder


@pytest.mark.parametrize(
    "address",
    [
        "-uwhat",
        "--upload-pack=touch x",
        "ext::sh -c touch% x",
        "fd::7",
        "",
        "relative/path",
        "http://",
        "a b",
        "file://-x",
        "\n/x",
    ],
)
def test_what_is_no_address_of_a_repository_is_refused(address: str) -> None:
    with pytest.raises(UsageProblem, match="no address of a repository"):
        protocol_of(address)
    note(f"git: {address!r}")


@pytest.mark.needs("git")
@pytest.mark.parametrize(
    "how",
    [
        "the folder's configuration",
        "GIT_DIR",
        "the person's configuration",
        "GIT_EXTERNAL_DIFF",
        "GIT_SSH_COMMAND",
    ],
)
def test_git_obeys_nobody_around_it(
    how: str, repository: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    around = tmp_path / "around"
    around.mkdir()
    git(around, "init", "-q")
    (around / "f").write_text("f\n")
    git(around, "add", "."), git(around, "commit", "-qm", "theirs")
    runs = f"touch {tmp_path}/it-ran; false"
    config = (
        f'[core]\n\tfsmonitor = "{runs}"\n\tsshCommand = "{runs}"\n[url "ext::sh -c {runs}"]\n\tinsteadOf ='
        f" {repository}\n"
    )
    environment = {"PATH": os.environ["PATH"], "HOME": str(tmp_path)}
    if how == "the folder's configuration":
        (around / ".git/config").write_text((around / ".git/config").read_text() + config)
    elif how == "the person's configuration":
        (tmp_path / ".gitconfig").write_text(config + "[protocol]\n\tallow = always\n")
    elif how == "GIT_DIR":
        environment |= {
            "GIT_DIR": str(around / ".git"),
            "GIT_WORK_TREE": str(around),
            "GIT_INDEX_FILE": str(around / ".git/index"),
        }
    else:
        environment[how] = runs
    monkeypatch.chdir(around)
    head = git(around, "rev-parse", "HEAD") if how != "the folder's configuration" else ""
    feeds = Feeds(environment, tmp_path, Web())
    offered = feeds.releases(
        Supply("h", "git", str(repository), "kelp", file="v{version}"), Recipe(commands=("kelp",)), "any"
    )
    folder = tmp_path / "out"
    folder.mkdir()
    check_out(str(repository), offered[0].digest.removeprefix("commit:"), folder, environment)
    assert (folder / "kelp").read_text() == "kelp\n"
    assert not (tmp_path / "it-ran").exists()
    if head:
        assert git(around, "rev-parse", "HEAD") == head, "the person's repository is where it was"
    note(f"git: {how}")


@pytest.mark.needs("git")
@pytest.mark.parametrize(("name", "target"), [("up", "../../x"), ("etc", "/etc"), ("d/up", "../../x")])
def test_a_checkout_goes_through_the_gate(name: str, target: str, repository: Path, tmp_path: Path) -> None:
    (repository / name).parent.mkdir(exist_ok=True)
    (repository / name).symlink_to(target)
    git(repository, "add", "."), git(repository, "commit", "-qm", "link")
    folder = tmp_path / "out"
    folder.mkdir()
    with pytest.raises(ArchiveRefused):
        check_out(
            str(repository),
            git(repository, "rev-parse", "HEAD").strip(),
            folder,
            {"PATH": os.environ["PATH"]},
        )
    note(f"git: a link to {target}")


@pytest.mark.needs("git")
def test_submodules_hooks_and_other_commits_are_left(repository: Path, tmp_path: Path) -> None:
    other = tmp_path / "other"
    other.mkdir()
    git(other, "init", "-q")
    (other / "f").write_text("f\n")
    git(other, "add", "."), git(other, "commit", "-qm", "theirs")
    git(repository, "submodule", "--quiet", "add", str(other), "sub"), git(repository, "commit", "-qm", "sub")
    (repository / ".git/hooks/post-checkout").write_text(f"#!/bin/sh\ntouch {tmp_path}/it-ran\n")
    (repository / ".git/hooks/post-checkout").chmod(0o755)
    folder = tmp_path / "out"
    folder.mkdir()
    check_out(
        str(repository), git(repository, "rev-parse", "HEAD").strip(), folder, {"PATH": os.environ["PATH"]}
    )
    assert list((folder / "sub").iterdir()) == []
    assert not (tmp_path / "it-ran").exists()
    for commit in ("HEAD", "--upload-pack=x", "0" * 39, "main"):
        with pytest.raises(Problem):
            check_out(str(repository), commit, folder, {"PATH": os.environ["PATH"]})
    note("git: submodules and hooks")


@pytest.mark.parametrize(
    "name",
    [
        ".zesty-anchor.json",
        ".zesty-anchor-files.json",
        ".zesty-anchor-extras.json",
        ".zesty-anchor-choices.json",
    ],
)
def test_our_slips_are_not_written_through_a_link(
    name: str, desk: Desk, make_feed: Callable[..., str], tmp_path: Path
) -> None:
    (desk.home / ".vimrc").write_text("set nu\n")
    (desk.home / "feed").mkdir()
    script = member("kelp-4.2.1/bin/kelp", b"#!/bin/sh\necho kelp 4.2.1\n", mode=0o755)
    content = tar(script, member("kelp-4.2.1/share/x", b"x"), link(f"kelp-4.2.1/{name}", "share/x"))
    (desk.home / "feed/kelp-4.2.1.tar.gz").write_bytes(gzip.compress(content))
    desk.write(
        'as-root = "allowed"\n[shells]\nuse = ["bash"]\n[feeds.h]\nkind = "folder"\nurl ='
        f' "{desk.home}/feed"\n[recipes.kelp]\ncommands = ["kelp"]\n[runtimes.kelp]\nwant = "4.2.1"\nunpinned'
        ' = "accepted"\n'
    )
    desk.well("provision")
    shelf = desk.shelf / "kelp/4.2.1"
    assert (shelf / "share/x").read_bytes() == b"x"
    assert not (shelf / name).is_symlink()
    note(f"slip: {name}")


def answering(write: Callable[[socket.socket], None]) -> Iterator[str]:
    """A server that does this with each connection, after the request came."""
    with socket.create_server(("127.0.0.1", 0)) as waiting:

        def serve() -> None:
            with contextlib.suppress(OSError):
                while True:
                    connection, _ = waiting.accept()
                    threading.Thread(target=one, args=(connection,), daemon=True).start()

        def one(connection: socket.socket) -> None:
            with contextlib.suppress(OSError), connection:
                connection.recv(4096)
                write(connection)

        threading.Thread(target=serve, daemon=True).start()
        yield f"http://127.0.0.1:{waiting.getsockname()[1]}/"


def dripping(head: bytes, rest: Iterable[int]) -> Callable[[socket.socket], None]:
    """An answer of which, after its ``head``, a byte comes every 50 ms."""

    def write(connection: socket.socket) -> None:
        connection.sendall(head)
        for letter in rest:
            connection.sendall(bytes([letter]))
            time.sleep(0.05)

    return write


def _asks_to_wait(connection: socket.socket) -> None:
    connection.sendall(b"HTTP/1.1 503 No\r\nRetry-After: 1\r\nContent-Length: 0\r\nConnection: close\r\n\r\n")


SLOW = {
    "headers": dripping(b"HTTP/1.1 200 OK\r\nX-Tide: ", itertools.repeat(ord("a"))),
    "a status line": dripping(b"", b"HTTP/1.1 200 OK" * 1000),
    "a body": dripping(b"HTTP/1.1 200 OK\r\nContent-Length: 100000\r\n\r\n", itertools.repeat(ord(" "))),
    "waits that are asked for": _asks_to_wait,
}


@pytest.mark.parametrize("how", SLOW)
def test_the_limit_of_time_counts_for_all_of_an_answer(how: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Headers that drip in, a body after them, and all waits together end with the time for one answer."""
    monkeypatch.setattr(web, "ANSWER_SECONDS", 1.5)
    for url in answering(SLOW[how]):
        began = time.monotonic()
        with pytest.raises(Problem) as told:
            Web().document(url, who="the feed")
        assert time.monotonic() - began < 30
        assert "did not come to the end of its answer" in told.value.what or "503" in told.value.what
    note(f"feed: {how} without an end")


@pytest.mark.parametrize("size", ["12", [12], {"a": 1}, -1, 1.5, True])
def test_a_size_that_is_none_is_our_own_error(
    size: object, make_feed: Callable[..., str], desk: Desk
) -> None:
    file = {
        "filename": "kelp-1.0-py3-none-any.whl",
        "url": "kelp-1.0-py3-none-any.whl",
        "hashes": {"sha256": "0" * 64},
        "size": size,
    }
    page = json.dumps({"meta": {"api-version": "1.0"}, "name": "kelp", "files": [file]}).encode()
    url = make_feed({"kelp/index.html": page})
    release = Release("1.0", f"{url}kelp.whl", "sha256:" + "0" * 64, size=size)  # type: ignore[arg-type]
    taken, left_out = admitted([release], feed_class("pypi"))
    assert not taken and "which is not a number of bytes" in left_out[0]
    note(f"feed: the size {size!r}")


@pytest.mark.parametrize(
    "digest", ["sha256:\0", "sha256:", "md5:" + "0" * 32, "sha256:" + "g" * 64, "sha256:../../x", "commit:\n"]
)
def test_a_digest_that_is_none_is_our_own_error(digest: str) -> None:
    taken, left_out = admitted([Release("1.0", "http://a/x", digest)], feed_class("index"))
    assert not taken and "as its digest, which is not valid" in left_out[0]
    note(f"feed: the digest {digest!r}")
