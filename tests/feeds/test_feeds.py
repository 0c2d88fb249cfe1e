"""The feeds, against real servers on loopback."""

from __future__ import annotations

import base64
import hashlib
import http.server
import json
import os
import subprocess
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import msgspec
import pytest

from zesty_anchor.feeds.documents import Web
from zesty_anchor.feeds.feed import Feed, Supply
from zesty_anchor.feeds.mirror import Mirror
from zesty_anchor.feeds.npm import integrity_digest, registry_address
from zesty_anchor.feeds.open import Feeds
from zesty_anchor.feeds.supply import supplies_for
from zesty_anchor.manifest.model import Manifest, Runtime
from zesty_anchor.manifest.recipe import Recipe
from zesty_anchor.recipes import shipped
from zesty_anchor.system import host
from zesty_anchor.system.problem import Problem, UsageProblem


def opened(kind: str, url: str) -> Feed:
    return Feeds({}, Path("/"), Web()).feed(Supply("harbour" if kind == "index" else kind, kind, url, "kelp"))


@pytest.fixture
def answering() -> Iterator[Callable[..., str]]:
    """A server that gives one answer to everything, or what a function says to a path."""
    servers = []

    def made(status: int, body: bytes, of: Callable[[str], tuple[int, bytes]] | None = None) -> str:
        class Handler(http.server.BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                code, content = of(self.path) if of else (status, body)
                self.send_response(code)
                self.send_header("Content-Length", str(len(content)))
                self.end_headers()
                self.wfile.write(content)

            def log_message(self, format: str, *args: object) -> None:
                pass

        server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        threading.Thread(target=server.serve_forever, args=(0.01,), daemon=True).start()
        servers.append(server)
        return f"http://127.0.0.1:{server.server_address[1]}/"

    yield made
    for server in servers:
        server.shutdown()
        server.server_close()


@pytest.mark.parametrize(
    ("status", "body", "what"),
    [
        (404, b"", "404"),
        (500, b"oops", "500"),
        (403, b"", "403"),
        (200, b"<html>", "gives a web page"),
        (200, b"<tides>", "does not answer with JSON"),
        (200, b'{"a": 1}', "no index"),
        (200, b'{"format": "other/9", "runtime": "kelp", "releases": []}', "other/9"),
        (200, b"", "does not answer with JSON"),
    ],
)
def test_an_index_that_is_not_well(
    answering: Callable[..., str], status: int, body: bytes, what: str
) -> None:
    url = answering(status, body)
    with pytest.raises(Problem) as caught:
        opened("index", url).releases("kelp", "linux-x86_64")
    assert what in caught.value.what
    assert "harbour" in caught.value.what
    assert url in caught.value.where
    assert caught.value.advice


def test_a_feed_that_is_down() -> None:
    with pytest.raises(Problem, match="refused"):
        opened("index", "http://127.0.0.1:9/").releases("kelp", "linux-x86_64")


def test_an_index_gives_what_fits_the_platform(make_feed: Callable[..., str]) -> None:
    def file(platform: str) -> dict[str, object]:
        return {"platform": platform, "url": f"{platform}.tgz", "sha256": "AB" * 32, "size": 5}

    releases = [
        {
            "version": "1",
            "files": [file("linux-x86_64"), file("macos-aarch64")],
            "channels": ["lts"],
            "date": "2026-01-01",
        },
        {"version": "2", "files": [file("macos-aarch64")]},
        {"version": "3", "files": [file("any")]},
    ]
    document = {"format": "zesty-anchor-index/1", "runtime": "kelp", "releases": releases}
    url = make_feed({"kelp.json": json.dumps(document).encode()})
    found = opened("index", url).releases("kelp", "linux-x86_64")
    assert [(r.version, r.url, r.digest, r.size) for r in found] == [
        ("1", url + "linux-x86_64.tgz", "sha256:" + "ab" * 32, 5),
        ("3", url + "any.tgz", "sha256:" + "ab" * 32, 5),
    ]


def test_a_runtime_that_an_index_does_not_have(make_feed: Callable[..., str]) -> None:
    url = make_feed({"index.json": b'{"format": "zesty-anchor-index/1", "runtimes": ["kelp", "coral"]}'})
    with pytest.raises(Problem) as caught:
        opened("index", url).releases("klep", "linux-x86_64")
    assert "'kelp'" in caught.value.advice


def test_npm_versions_have_a_checked_digest_and_their_tags(make_feed: Callable[..., str]) -> None:
    digest = hashlib.sha512(b"x").digest()
    integrity = "sha1-AAAA sha512-" + base64.b64encode(digest).decode()
    document = {
        "dist-tags": {"latest": "2.0.0"},
        "versions": {
            "1.0.0": {"dist": {"tarball": "http://x/1.tgz", "shasum": "0" * 40}},
            "2.0.0": {"dist": {"tarball": "http://x/2.tgz", "integrity": integrity}},
        },
    }
    url = make_feed({"@tide%2Fkelp": b"", "kelp": json.dumps(document).encode()})
    found = {r.version: r for r in opened("npm", url).releases("kelp", "linux-x86_64")}
    assert found["2.0.0"].digest == f"sha512:{digest.hex()}"
    assert found["2.0.0"].channels == ("latest",)
    assert found["1.0.0"].digest == ""
    with pytest.raises(Problem, match="no package 'coral'"):
        opened("npm", url).releases("coral", "linux-x86_64")


def test_the_strongest_digest_counts() -> None:
    weak, strong = (base64.b64encode(b"w" * 32).decode(), base64.b64encode(b"s" * 64).decode())
    assert integrity_digest(f"sha256-{weak} sha512-{strong}") == "sha512:" + (b"s" * 64).hex()
    assert integrity_digest("sha1-AAAA") == integrity_digest("sha512-!!!") == integrity_digest("") == ""


def test_where_the_npm_registry_comes_from(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(host, "login_path", lambda superuser=None: "/nowhere")
    nothing = {"PATH": str(tmp_path)}
    with pytest.raises(UsageProblem, match="no npm registry"):
        registry_address(nothing, tmp_path)
    npm = tmp_path / "npm"
    npm.write_text(
        f'#!/bin/sh\necho asked >>{tmp_path}/asked\n[ "$npm_config_logs_max" = 0 ] || echo >{tmp_path}/log\n'
        "[ \"$1 $2 $3\" = 'config get registry' ] && echo http://from-npm/\n"
    )
    npm.chmod(0o755)
    found = {"PATH": f"{tmp_path}:{os.defpath}"}
    assert registry_address(found, tmp_path) == "http://from-npm/"
    assert not (tmp_path / "log").exists(), (
        "npm writes a log into the home at each start, unless it is told not to"
    )
    feeds = Feeds(found, tmp_path, Web())
    for _ in range(3):
        assert feeds.feed(Supply("npm", "npm", None, "kelp")).address
    assert (tmp_path / "asked").read_text() == "asked\n" * 2, "a run asks once"
    (tmp_path / ".npmrc").write_text('; mine\n//x/:_authToken=t\nregistry = "http://${PLACE}/"\n')
    assert registry_address({**nothing, "PLACE": "quay"}, tmp_path) == "http://quay/"
    assert registry_address({**nothing, "npm_config_registry": "http://low/"}, tmp_path) == "http://low/"
    assert registry_address({**nothing, "NPM_CONFIG_REGISTRY": "http://env/"}, tmp_path) == "http://env/"


def test_two_recipes_on_one_package_each_get_their_own_files(
    make_feed: Callable[..., str], tmp_path: Path
) -> None:
    """A listing of one folder with files of two names: what one was asked must not answer the other."""
    content = dict.fromkeys(("kelp-4.2.1.tgz", "tool-4.2.1.tgz"), b"x")
    sums = "".join(f"{hashlib.sha256(b'x').hexdigest()}  {name}\n" for name in content)
    url = make_feed({**content, "SHA256SUMS": sums.encode()})
    recipe = Recipe(commands=("kelp",), channels={"calm": ("4.2",)})
    feeds = Feeds({}, tmp_path, Web())
    supplies = [
        Supply("tides", "listing", url, "kelp", file=f"{name}-{{version}}.tgz") for name in ("kelp", "tool")
    ]
    found = [feeds.releases(supply, recipe, "linux-x86_64") for supply in supplies]
    assert [[r.url.rpartition("/")[2] for r in releases] for releases in found] == [
        ["kelp-4.2.1.tgz"],
        ["tool-4.2.1.tgz"],
    ]
    other = Recipe(commands=("kelp",))
    assert [r.channels for r in feeds.releases(supplies[0], recipe, "linux-x86_64")] == [("calm",)]
    assert [r.channels for r in feeds.releases(supplies[0], other, "linux-x86_64")] == [()], (
        "channels are the recipe's"
    )


def test_what_is_no_version_is_left_out(tmp_path: Path) -> None:
    for name in ("kelp-vNext.tgz", "kelp-v4.2.tgz", "kelp-next.tgz", "kelp-4.1.tgz"):
        (tmp_path / name).write_bytes(b"x")
    supply = Supply("here", "folder", str(tmp_path), "kelp", file="kelp-{version}.tgz")
    found = Feeds({}, tmp_path, Web()).releases(supply, Recipe(commands=("kelp",)), "linux-x86_64")
    assert sorted(release.version for release in found) == ["4.1", "v4.2"]


def test_the_upstreams_list_of_versions_with_a_list_of_digests_each(
    make_feed: Callable[..., str], tmp_path: Path
) -> None:
    """The shape of Node's own release list: versions with a letter, long-term names or false, files by
    platform.
    """
    listed = [
        {"version": "v22.1.0", "date": "2026-05-02", "files": ["linux-x64", "src"], "lts": "Jod"},
        {"version": "v23.0.0", "date": "2026-06-01", "files": ["linux-x64"], "lts": False},
        {"version": "v24.0.0", "date": "2026-06-02", "files": ["linux-arm64"], "lts": False},
        {"version": "nightly", "date": "2026-06-02", "files": ["linux-x64"], "lts": False},
    ]
    name = "node-v22.1.0-linux-x64.tar.xz"
    sums = f"{'a' * 64}  node-v22.1.0.pkg\n{'b' * 64}  ./{name}\n"
    url = make_feed({"index.json": json.dumps(listed).encode(), "v22.1.0/SHASUMS256.txt": sums.encode()})
    source = next(each for each in shipped()["node"].sources if each.kind == "json")
    supply = Supply(
        "json", "json", f"{url}index.json", "linux-x64", map=source.map, sums=source.sums or "", source=source
    )
    feed = Feeds({}, tmp_path, Web())
    found = {r.version: r for r in feed.releases(supply, shipped()["node"], "linux-x86_64")}
    assert found.keys() == {"22.1.0", "23.0.0"}
    assert found["22.1.0"].channels == ("lts", "lts") and found["23.0.0"].channels == ()
    pinned = feed.feed(supply).pinned(found["22.1.0"])
    assert (
        pinned.digest == f"sha256:{'b' * 64}"
        and pinned.url == f"{url}v22.1.0/{name}"
        and not pinned.signature
    )
    with pytest.raises(Problem, match="404"):
        feed.feed(supply).pinned(found["23.0.0"])
    signed = msgspec.structs.replace(supply, key=tmp_path / "keys.asc")
    make_signature = tmp_path / "feed0/v22.1.0/SHASUMS256.txt.sig"
    make_signature.write_bytes(b"a signature")
    pinned = feed.feed(signed).pinned(found["22.1.0"])
    assert (
        pinned.signature == f"{url}v22.1.0/SHASUMS256.txt.sig"
        and pinned.sums == f"{url}v22.1.0/SHASUMS256.txt"
    )


def test_a_listing_with_a_folder_for_each_version(make_feed: Callable[..., str], tmp_path: Path) -> None:
    files = {f"v{v}/kelp-{v}-linux.tgz": f"kelp {v}".encode() for v in ("4.2.1", "4.10.0")}
    sums = {
        f"v{v}/SUMS": f"{hashlib.sha256(f'kelp {v}'.encode()).hexdigest()} *kelp-{v}-linux.tgz\n".encode()
        for v in ("4.2.1",)
    }
    url = make_feed({**files, **sums, "v4.10.0/SUMS": b"nothing", "latest.txt": b"x", "notes/a": b"x"})
    supply = Supply(
        "tides",
        "listing",
        url,
        "kelp",
        file="v{version}/{name}-{version}-{system}.tgz",
        sums="v{version}/SUMS",
    )
    feeds = Feeds({}, tmp_path, Web())
    found = {r.version: r for r in feeds.releases(supply, Recipe(commands=("kelp",)), "linux-x86_64")}
    assert found.keys() == {"4.2.1", "4.10.0"}
    feed = feeds.feed(supply)
    assert feed.pinned(found["4.2.1"]).digest == f"sha256:{hashlib.sha256(b'kelp 4.2.1').hexdigest()}"
    assert found["4.2.1"].url == f"{url}v4.2.1/kelp-4.2.1-linux.tgz"
    with pytest.raises(Problem, match=r"names no digest of kelp-4\.10\.0-linux"):
        feed.pinned(found["4.10.0"])


def test_a_document_for_each_line_of_versions(answering: Callable[..., str], tmp_path: Path) -> None:
    """The shape of the list of Java's upstream project: a document a line, with the files of one platform."""
    asked: list[str] = []

    def said(path: str) -> tuple[int, bytes]:
        asked.append(path)
        line = path.split("/")[-2]
        package = {"link": f"https://x/jdk-{line}.tar.gz", "checksum": "c" * 64, "size": 7}
        entry = {
            "version_data": {"semver": f"{line}.0.2+7.1"},
            "binaries": [{"package": package}],
            "timestamp": "2026-01-02T",
        }
        return 404 if line == "8" else 200, json.dumps(
            [entry, {**entry, "version_data": {"semver": "nightly"}}]
        ).encode()

    recipe = shipped()["java"]
    mac = [
        s
        for s in supplies_for(
            "java", Manifest(runtimes={"java": Runtime("17")}), recipe, "macos-aarch64", tmp_path
        )
        if s.kind == "json"
    ]
    assert len(mac) == 1 and mac[0].source and mac[0].source.root == "*/Contents/Home"
    path = (mac[0].url or "").split("/", 3)[3]
    supply = msgspec.structs.replace(mac[0], url=f"{answering(200, b'', said)}{path}")
    found = Feeds({}, tmp_path, Web()).releases(supply, recipe, "macos-aarch64")
    assert [(r.version, r.digest, r.size, r.channels) for r in found] == [
        (f"{line}.0.2", f"sha256:{'c' * 64}", 7, ("lts",)) for line in ("11", "17", "21", "25")
    ]
    assert all("os=mac&architecture=aarch64" in each for each in asked) and len(asked) == 5


def of_recipe(runtime: str, kind: str, folder: Path) -> Supply:
    """The feed of that kind which a shipped recipe brings along."""
    manifest = Manifest(runtimes={runtime: Runtime("latest")})
    found = supplies_for(runtime, manifest, shipped()[runtime], "linux-x86_64", folder)
    return next(each for each in found if each.kind == kind)


def test_upstreams_list_of_php(answering: Callable[..., str], tmp_path: Path) -> None:
    """Its shape: an object for each version, with the files of its source; those of old versions have no
    SHA-256.
    """

    def files(version: str, digest: str) -> dict[str, object]:
        return {"date": "20 Nov 2025", "tags": ["security"], "source": [
            {"filename": f"php-{version}.tar.{ending}", "name": f"PHP {version}", digest: c * 64}
            for ending, c in (("gz", "a"), ("bz2", "b"), ("xz", "c"))
        ]}  # fmt: skip

    def said(path: str) -> tuple[int, bytes]:
        assert path.startswith("/releases/?json&version=")
        old, new = files("7.0.1", "md5"), files("8.3.28", "sha256")
        line = (
            {"7.0.1": old, "7.4.33": files("7.4.33", "sha256")} if "version=7&" in path else {"8.3.28": new}
        )
        return 200, json.dumps(line).encode()

    supply = of_recipe("php", "json", tmp_path)
    path = (supply.url or "").split("/", 3)[3]
    supply = msgspec.structs.replace(supply, url=f"{answering(200, b'', said)}{path}")
    found = Feeds({}, tmp_path, Web()).releases(supply, shipped()["php"], "linux-x86_64")
    assert [(r.version, r.url, r.digest, r.source) for r in found] == [
        (v, f"https://www.php.net/distributions/php-{v}.tar.gz", f"sha256:{'a' * 64}", True)
        for v in ("7.4.33", "8.3.28")
    ]


def test_upstreams_folder_of_lua(make_feed: Callable[..., str], tmp_path: Path) -> None:
    """Its shape: a page with a row for each file, with its digest in the last cell."""

    def row(version: str, digest: str) -> str:
        name = f"lua-{version}.tar.gz"
        return (
            f'<TR>\n<TD CLASS="name"><A HREF="{name}">{name}</A></TD>\n<TD CLASS="date">2024-06-13</TD>\n'
            f'<TD CLASS="size">374097</TD>\n<TD CLASS="sum">{digest}</TD>\n</TR>\n'
        )

    rows = [row("5.4.7", "a" * 64), row("5.1.5", "B" * 64), row("5.0.3", "c" * 64), row("5.3.6", "none")]
    page = f"<HTML><TABLE>{''.join(rows)}<TR><TD>{'d' * 64}</TD></TR></TABLE><A HREF='..'>up</A></HTML>"
    url = make_feed({"index.html": page.encode()})
    supply = msgspec.structs.replace(of_recipe("lua", "listing", tmp_path), url=url)
    found = Feeds({}, tmp_path, Web()).releases(supply, shipped()["lua"], "linux-x86_64")
    assert {r.version: r.digest for r in found} == {
        "5.4.7": f"sha256:{'a' * 64}", "5.1.5": f"sha256:{'b' * 64}", "5.3.6": "",
    }  # fmt: skip
    assert all(r.url == f"{url}lua-{r.version}.tar.gz" and r.source for r in found)


def test_upstreams_table_of_ruby(make_feed: Callable[..., str], tmp_path: Path) -> None:
    """Its shape: a line for each archive, with the columns name, url, sha1, sha256 and sha512."""
    files = [
        (f"ruby-{v}", f"https://x/pub/ruby/{v[:3]}/ruby-{v}.{ending}", "1" * 40, c * 64, "5" * 128)
        for v in ("1.8.7-p374", "2.7.8", "3.4.1", "3.5.0-preview1", "snapshot")
        for ending, c in (("tar.gz", "a"), ("tar.xz", "b"), ("zip", "c"))
    ]
    columns = ("name", "url", "sha1", "sha256", "sha512")
    rows = ["\t".join(row) for row in (columns, *files, ("cut off",))]
    url = make_feed(
        {"index.txt": "\n".join(rows).encode(), "empty.txt": b"", "other.txt": b"<tides>\n\x00\n"}
    )
    supply = msgspec.structs.replace(of_recipe("ruby", "table", tmp_path), url=f"{url}index.txt")
    feeds = Feeds({}, tmp_path, Web())
    found = feeds.releases(supply, shipped()["ruby"], "linux-x86_64")
    assert [(r.version, r.url, r.digest) for r in found] == [
        (v, f"https://x/pub/ruby/{v[:3]}/ruby-{v}.tar.gz", f"sha256:{'a' * 64}")
        for v in ("2.7.8", "3.4.1", "3.5.0-preview1")
    ]
    empty, other = (msgspec.structs.replace(supply, url=f"{url}{n}.txt") for n in ("empty", "other"))
    assert feeds.releases(empty, shipped()["ruby"], "linux-x86_64") == []
    with pytest.raises(Problem, match="what cannot be understood"):
        feeds.releases(other, shipped()["ruby"], "linux-x86_64")


@pytest.mark.needs("git")
def test_upstreams_repositories(tmp_path: Path) -> None:
    """Their shape: tags of each version, and others that are none."""
    tags = {
        "python": ("v2.7.18", "v3.9.2", "v3.13.0rc1", "v3.13.1", "3.13", "v3.1a"),
        "perl": ("v5.38.0", "v5.39.1", "v5.40.0-RC1", "perl-5.8.9"),
        "erlang": ("OTP-26.2.5", "OTP-27.0-rc1", "OTP_R16B03-1"),
        "elixir": ("v1.17.3", "v1.18.0-rc.0", "main-latest"),
    }
    taken = {
        "python": ["3.13.0rc1", "3.13.1", "3.9.2"], "perl": ["5.38.0"], "erlang": ["26.2.5"],
        "elixir": ["1.17.3"],
    }  # fmt: skip
    for runtime, names in tags.items():
        folder = tmp_path / runtime
        who = ["-c", "user.name=Tide Desk", "-c", "user.email=desk@tide.example"]
        words = [
            ["init", "-q", str(folder)],
            ["-C", str(folder), *who, "commit", "-q", "--allow-empty", "-m", "x"],
        ]
        words += [["-C", str(folder), "tag", name] for name in names]
        for each in words:
            subprocess.run(["git", *each], check=True, capture_output=True)
        supply = msgspec.structs.replace(of_recipe(runtime, "git", tmp_path), url=f"file://{folder}")
        feeds = Feeds(dict(os.environ), tmp_path, Web(offline=True))  # it is on this machine
        found = feeds.releases(supply, shipped()[runtime], "linux-x86_64")
        assert sorted(r.version for r in found) == taken[runtime]
        assert all(r.source and r.digest.startswith("commit:") for r in found)


def test_what_another_program_said_is_kept_for_offline(tmp_path: Path) -> None:
    cache = tmp_path / "cache"
    cache.mkdir()
    asked = []
    assert Web(cache).asked("https://tide.example/kelp", "it", lambda: asked.append(1) or "tags") == "tags"
    offline = Web(cache, offline=True)
    assert offline.asked("https://tide.example/kelp", "it", lambda: "never") == "tags" and asked == [1]
    with pytest.raises(Problem, match="asks nobody"):
        offline.asked("https://tide.example/coral", "it", lambda: "never")
    only = Web(cache, mirror=Mirror("https://mirror.example/", only=True))
    with pytest.raises(Problem):
        only.asked("https://tide.example/kelp", "it", lambda: "never")
