"""Versions: every kind of feed, signatures, builds, pairs, extras and the lock, through the built program."""

from __future__ import annotations

import base64
import datetime
import hashlib
import json
import os
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pysequoia
import pytest

from tests.conftest import Desk, kelp
from zesty_anchor.demo import home as demo_home
from zesty_anchor.demo.home import likeness
from zesty_anchor.demo.wares import pack, stock_feed, write_index, write_runtime

pytestmark = pytest.mark.needs("bash", "zsh")
RECIPE = (
    '[recipes.kelp]\ncommands = ["kelp"]\n[recipes.kelp.version]\nrun = "kelp --version"\nexpect = "kelp'
    ' {version}"\n'
)
RECIPES = Path(demo_home.__file__).parent / "recipes"


def archive(version: str) -> bytes:
    return pack(f"kelp-{version}", kelp(version), "tar.gz")


def with_pack(version: str) -> bytes:
    return pack("kelp", {**kelp(version), "bin/kelp-pack": (b"#!/bin/sh\n", 0o755)}, "tar.gz")


def manifest(
    desk: Desk, feed: str, runtimes: str = '[runtimes.kelp]\nwant = "latest"\n', recipe: str = RECIPE
) -> None:
    desk.write(f'as-root = "allowed"\n[feeds.harbour]\n{feed}\n{recipe}{runtimes}')


def gets(desk: Desk, version: str) -> None:
    """Provision, and see the version answer; a second time nothing changes; and all of it can be taken
    back.
    """
    before = likeness(desk.home, (".local/state/zesty-anchor", ".cache"))
    desk.well("provision")
    assert desk.shell("bash", "kelp --version", "-l").strip() == f"kelp {version}"
    assert desk.well("provision", "--json").json["changes"] == []
    desk.well("undo")
    assert likeness(desk.home, (".local/state/zesty-anchor", ".cache")) == before


@pytest.mark.parametrize("sums", [True, False])
def test_a_listing(desk: Desk, make_feed: Callable[..., str], sums: bool) -> None:
    files = {f"kelp-{v}.tar.gz": archive(v) for v in ("4.2.1", "4.10.0", "5.0.0-rc.1")}
    if sums:
        lines = [f"{hashlib.sha256(content).hexdigest()}  {name}\n" for name, content in files.items()]
        files["SHA256SUMS"] = "".join(lines).encode()
    manifest(desk, f'kind = "listing"\nurl = "{make_feed(files)}"')
    if sums:
        gets(desk, "4.10.0")
    else:
        assert "unpinned" in desk.run("provision").err


def test_any_json_list(desk: Desk, make_feed: Callable[..., str]) -> None:
    content = archive("4.2.1")
    entry = {
        "name": "4.2.1",
        "lts": True,
        "assets": [
            {"os": "other", "at": "x"},
            {"os": "linux", "at": "k.tgz", "sum": hashlib.sha256(content).hexdigest()},
        ],
    }
    url = make_feed(
        {"k.tgz": content, "kelp.json": json.dumps({"all": [entry, {"name": "nonsense"}]}).encode()}
    )
    feed = (
        f'kind = "json"\nurl = "{url}{{name}}.json"\n[feeds.harbour.map]\nreleases = "all"\nversion ='
        ' "name"\nchannel = "lts && \'lts\'"\nfile = "assets[?os==\'{system}\'] | [0].at"\ndigest ='
        " \"assets[?os=='{system}'] | [0].sum\""
    )
    manifest(desk, feed, '[runtimes.kelp]\nwant = "lts"\n')
    gets(desk, "4.2.1")
    desk.manifest.write_text(desk.manifest.read_text().replace('releases = "all"', 'releases = "all["'))
    answer = desk.run("preview")
    assert answer.code == 2
    assert "map.releases" in answer.err


def git(folder: Path, *words: str) -> str:
    who = ["-c", "user.name=Tide Desk", "-c", "user.email=desk@example.org"]
    done = subprocess.run(
        ["git", "-C", str(folder), *who, *words], capture_output=True, text=True, check=True
    )
    return done.stdout.strip()


@pytest.mark.needs("git")
def test_the_tags_of_a_repository(desk: Desk, tmp_path: Path) -> None:
    repository = tmp_path / "repository"
    (repository / "bin").mkdir(parents=True)
    git(repository, "init", "-q")
    for version, annotated in (("4.1.0", False), ("4.2.1", True)):
        (repository / "bin/kelp").write_bytes(kelp(version)["bin/kelp"][0])
        (repository / "bin/kelp").chmod(0o755)
        git(repository, "add", "-A")
        git(repository, "commit", "-qm", version)
        git(repository, "tag", *(["-am", "x"] if annotated else []), f"v{version}")
    manifest(desk, f'kind = "git"\nurl = "file://{repository}"')
    desk.well("provision")
    receipt = json.loads((desk.shelf / "kelp/4.2.1/.zesty-anchor.json").read_text())
    assert receipt["digest"] == "commit:" + git(repository, "rev-parse", "v4.2.1^{commit}")
    assert not (desk.shelf / "kelp/4.2.1/.git").exists()
    desk.well("dismantle", "--yes")
    gets(desk, "4.2.1")
    manifest(desk, f'kind = "git"\nurl = "file://{tmp_path}/none"')
    assert "cannot be read" in desk.run("preview").err


def test_a_local_folder(desk: Desk, tmp_path: Path) -> None:
    (tmp_path / "archives").mkdir()
    (tmp_path / "archives/kelp-4.2.1.tar.gz").write_bytes(archive("4.2.1"))
    manifest(desk, f'kind = "folder"\nurl = "{tmp_path}/archives"')
    gets(desk, "4.2.1")


def wheel(version: str, tag: str) -> tuple[str, bytes]:
    return f"tide_kelp-{version}-{tag}.whl", pack("kelp", kelp(version), "zip")


@pytest.mark.parametrize("form", ["json", "html"])
def test_a_python_package_index(desk: Desk, make_feed: Callable[..., str], form: str, tmp_path: Path) -> None:
    wheels = [
        wheel("4.2.1", "py3-none-any"),
        wheel("5.0.0", f"py3-none-manylinux_2_17_{os.uname().machine}"),
        wheel("6.0.0", "py3-none-win_amd64"),
    ]
    url = make_feed(dict(wheels))
    page = tmp_path / "feed0/tide-kelp"
    page.mkdir()
    if form == "html":
        links = [f'<a href="../{n}#sha256={hashlib.sha256(c).hexdigest()}">{n}</a>' for n, c in wheels]
        (page / "index.html").write_text("".join(links))
    else:
        files = [
            {"filename": n, "url": f"../{n}", "hashes": {"sha256": hashlib.sha256(c).hexdigest()}}
            for n, c in wheels
        ]
        (page / "index.html").write_text(json.dumps({"meta": {"api-version": "1.1"}, "files": files}))
    recipe = RECIPE.replace(
        "[recipes.kelp.version]",
        '[recipes.kelp.feed]\nkind = "pypi"\npackage = "Tide_Kelp"\n[recipes.kelp.version]',
    )
    desk.environment["PIP_INDEX_URL"] = url
    if form == "json":
        from zesty_anchor.feeds.documents import Web
        from zesty_anchor.feeds.feed import Around, Supply
        from zesty_anchor.feeds.pypi import PypiFeed

        class AsJson(Web):
            def document(
                self, url: str, *, who: str, accept: str = "*/*", pages: bool = False
            ) -> tuple[str, bytes]:
                _, body = super().document(url, who=who, accept=accept, pages=pages)
                return "application/vnd.pypi.simple.v1+json", body

        feed = PypiFeed(Supply("pypi", "pypi", url, "kelp"), Around({}, desk.home, AsJson()))
        found = feed.releases("Tide_Kelp", f"linux-{os.uname().machine}")
        assert sorted(r.version for r in found) == ["4.2.1", "5.0.0"]
        assert all(r.digest.startswith("sha256:") for r in found)
        return
    desk.write(f'as-root = "allowed"\n{recipe}[runtimes.kelp]\nwant = "latest"\n')
    gets(desk, "5.0.0")


# -- signatures ------------------------------------------------------------------------------------------


class Signed:
    """A feed with one signed kelp, and what can go wrong with it."""

    def __init__(self, desk: Desk, make_feed: Callable[..., str], folder: Path) -> None:
        self.desk, self.make_feed, self.folder = desk, make_feed, folder
        self.key = pysequoia.Cert.generate("Harbour <harbour@example.org>")
        self.content = archive("4.2.1")

    def sign(self, data: bytes, key: Any = None) -> bytes:
        return pysequoia.sign((key or self.key).secrets.signer(), data, mode=pysequoia.SignatureMode.DETACHED)

    def run(self, *, signature: bytes | None, key: Any = None, line: str = 'key = "harbour.asc"') -> Any:
        (self.desk.home / "harbour.asc").write_text(str(key or self.key))
        files = {
            "kelp-4.2.1.tar.gz": self.content,
            **({"kelp-4.2.1.tar.gz.asc": signature} if signature else {}),
        }
        files["SHA256SUMS"] = f"{hashlib.sha256(self.content).hexdigest()}  kelp-4.2.1.tar.gz\n".encode()
        url = self.make_feed(files)
        manifest(self.desk, f'kind = "listing"\nurl = "{url}"\n{line}')
        return self.desk.run("provision")

    def refused(self, said: str, **how: Any) -> None:
        before = self.desk.likeness()
        answer = self.run(**how)
        assert answer.code == 1, answer.err + answer.out
        assert said in answer.err + answer.out, answer.err + answer.out
        assert not self.desk.shelf.exists()
        after = {
            k: v for k, v in self.desk.likeness().items() if k not in ("workstation.toml", "harbour.asc")
        }
        assert after.items() <= before.items()


@pytest.fixture
def signed(desk: Desk, make_feed: Callable[..., str], tmp_path: Path) -> Signed:
    return Signed(desk, make_feed, tmp_path)


@pytest.mark.filterwarnings("ignore::DeprecationWarning")
def test_signatures_each_refusal_has_its_message(signed: Signed) -> None:
    good, other = signed.sign(signed.content), pysequoia.Cert.generate("Other <other@example.org>")
    fingerprint = str(signed.key.fingerprint).upper()
    signed.refused("is not signed", signature=None)
    signed.refused("signed with another key", signature=signed.sign(signed.content, other))
    signed.refused("does not hold: it was changed", signature=signed.sign(b"something else"))
    signed.refused("no OpenPGP signature", signature=b"nonsense")
    certifier = signed.key.secrets.certifier()
    revoked = pysequoia.Cert.from_bytes(bytes(signed.key)).merge(signed.key)
    revoked = pysequoia.Cert.from_bytes(bytes(revoked) + bytes(signed.key.revoke(certifier)))
    signed.refused(f"the key {fingerprint} is revoked", signature=good, key=revoked)
    ago = datetime.datetime.now(datetime.UTC) + datetime.timedelta(seconds=1)
    expired = signed.key.set_expiration(ago, signed.key.secrets.certifier())
    import time

    time.sleep(1.5)
    signed.refused("expired on", signature=good, key=expired)
    missing = signed.run(signature=good, line='key = "none.asc"')
    assert missing.code == 2 and "the key file none.asc does not exist" in missing.err
    (signed.desk.home / "broken.asc").write_text("no key\n")
    signed.refused("this file holds no OpenPGP key", signature=good, line='key = "broken.asc"')
    (signed.desk.home / "broken.asc").unlink()
    signed.refused("the manifest names no key", signature=good, line="")
    assert 'key = "keys/harbour.asc"' in signed.desk.run("provision").err
    assert signed.run(signature=good).code == 0


@pytest.mark.filterwarnings("ignore::DeprecationWarning")
def test_what_stands_in_the_manifest_is_the_only_way_around(signed: Signed) -> None:
    assert signed.run(signature=None, line='signature = "not offered"').code == 0


@pytest.mark.filterwarnings("ignore::DeprecationWarning")
def test_a_signed_list_of_digests(signed: Signed) -> None:
    sums = f"{hashlib.sha256(signed.content).hexdigest()}  kelp-4.2.1.tar.gz\n".encode()
    (signed.desk.home / "harbour.asc").write_text(str(signed.key))
    for listed, code in ((sums, 0), ((b"1" if sums[:1] == b"0" else b"0") + sums[1:], 1)):
        files = {
            "kelp-4.2.1.tar.gz": signed.content,
            "SHA256SUMS": listed,
            "SHA256SUMS.asc": signed.sign(sums),
        }
        manifest(signed.desk, f'kind = "listing"\nurl = "{signed.make_feed(files)}"\nkey = "harbour.asc"')
        answer = signed.desk.run("provision")
        assert answer.code == code, answer.err
        signed.desk.run("undo")
    assert "the list of digests" in answer.err
    assert "was changed" in answer.err


# -- builds, pairs, extras -------------------------------------------------------------------------------


@pytest.fixture(scope="session")
def tide_feed(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("tide-feed")
    stock_feed(folder)
    return folder


@pytest.fixture
def tide(desk: Desk, tide_feed: Path, make_feed: Callable[..., str]) -> Desk:
    """A desk with all of the demo's runtimes on offer, and their recipes."""
    desk.url = make_feed({f.name: f.read_bytes() for f in tide_feed.iterdir()})
    shutil.copytree(RECIPES, desk.home / ".config/zesty-anchor/recipes")
    return desk


def wants(desk: Desk, runtimes: str, more: str = "") -> None:
    desk.write(
        'as-root = "allowed"\n[shells]\nuse = ["bash", "zsh"]\n[feeds.harbour]\nkind = "index"\nurl ='
        f' "{desk.url}"\n{runtimes}{more}'
    )


@pytest.mark.needs("gcc")
def test_a_build_with_an_earlier_version_of_itself(tide: Desk) -> None:
    wants(
        tide,
        '[runtimes.brine]\nwant = "1.7.2"\nbuild.environment = { BRINE_DOCS = "no" }\nbuild.options ='
        ' ["-DUNUSED"]\n',
    )
    before = likeness(tide.home, (".local/state/zesty-anchor", ".cache"))
    assert "built from source with 1.6.0" in tide.well("preview").out
    tide.well("provision")
    assert [p.name for p in (tide.shelf / "brine").iterdir()] == ["1.7.2"], (
        "the earlier one was for building only"
    )
    assert tide.shell("zsh", "brine --version; brine --mean", "-l").split("\n")[:2] == [
        "brine 1.7.2",
        "1.50 m",
    ]
    assert not (tide.shelf / "brine/1.7.2/share").exists()
    assert not any((tide.home / ".local/share/zesty-anchor/staging").iterdir())
    log = next((tide.home / ".local/state/zesty-anchor/logs").rglob("build-brine-1.7.2.log"))
    assert "-DUNUSED" not in log.read_text()
    assert "cc -O2" in log.read_text()
    tide.well("undo")
    assert likeness(tide.home, (".local/state/zesty-anchor", ".cache")) == before


@pytest.mark.needs("gcc")
def test_other_options_are_told_and_it_is_built_anew(tide: Desk) -> None:
    runtimes = '[runtimes.brine]\nwant = "1.7.2"\nbuild.options = [{}]\n'
    tide.wants("", runtimes.format('"-DFIRST"'))
    tide.well("provision")
    binary = tide.shelf / "brine/1.7.2/bin/brine"
    before = likeness(tide.home, (".local/state/zesty-anchor", ".cache/zesty-anchor"))
    number = binary.stat().st_ino
    tide.wants("", runtimes.format('"-DFIRST", "-DSECOND"'))
    answer = tide.run("verify")
    assert answer.code == 6 and "was built with -DFIRST, and is wanted with -DFIRST -DSECOND" in answer.out
    changes = tide.well("provision", "--json").json["changes"]
    assert [(c["subject"], c["action"]) for c in changes if c["kind"] == "version"] == [
        ("brine 1.7.2", "fix")
    ]
    assert binary.stat().st_ino != number and "checks passed" in tide.well("verify").out
    assert tide.well("provision", "--json").json["changes"] == []
    tide.well("undo")
    tide.wants("", runtimes.format('"-DFIRST"'))
    assert likeness(tide.home, (".local/state/zesty-anchor", ".cache/zesty-anchor")) == before


@pytest.mark.needs("gcc")
def test_a_build_that_fails_shows_its_end_its_log_and_what_is_missing(tide: Desk) -> None:
    recipe = tide.home / ".config/zesty-anchor/recipes/brine.toml"
    text = recipe.read_text().replace('"$@" -o', '-DEXTRA "$@" -o')
    recipe.write_text(
        text.replace("steps = [", "steps = [\n  '''sed -i '1i #include <zlib-of-the-harbour.h>' brine.c''',")
    )
    recipe.write_text(
        recipe.read_text().replace(
            '"fatal error: math.h"',
            '"fatal error: zlib-of-the-harbour.h" = "zlib1g-dev"\n"fatal error: math.h"',
        )
    )
    wants(tide, '[runtimes.brine]\nwant = "1.6"\n[runtimes.coral]\nwant = "11"\nlicence = "accepted"\n')
    answer = tide.run("provision")
    assert answer.code == 1
    assert "fatal error: zlib-of-the-harbour.h" in answer.out
    assert "probably missing: zlib1g-dev" in answer.out
    print(answer.out, answer.err)
    log = Path(answer.out.partition("the whole log: ")[2].split("\n")[0])
    assert "compilation terminated" in log.read_text()
    assert not (tide.shelf / "brine").exists() or not any((tide.shelf / "brine").iterdir())
    assert tide.shell("bash", "coral --version", "-l").strip() == "coral 11.0.4", (
        "what does not depend on it is done"
    )


def test_the_pair_that_fits_is_chosen_and_a_wrong_one_refused(tide: Desk) -> None:
    coral = '[runtimes.coral]\nwant = "11"\nlicence = "accepted"\n'
    wants(tide, coral + '[runtimes.shoal]\nwant = "latest"\n')
    tide.well("provision")
    tide.write("3812\n4105\n", "readings")
    assert tide.shell("bash", "shoal report readings", "-l").strip() == "the water rose by 7.9 m"
    assert [p.name for p in (tide.shelf / "shoal").iterdir()] == ["2.3.0-coral-11"]
    refused = tide.run("remove", "coral", "11.0.4")
    assert refused.code == 1
    assert "the manifest wants" in refused.err
    alone = tide.manifest.read_text().replace(coral, "")
    tide.write(alone)
    refused = tide.run("remove", "coral", "11.0.4")
    assert refused.code == 2 and "shoal runs on coral, which is not in the manifest" in refused.err
    tide.write(alone.replace('[runtimes.shoal]\nwant = "latest"\n', ""))
    assert "shoal 2.3.0-coral-11 runs on it" in tide.run("remove", "coral", "11.0.4").err
    wants(tide, coral + '[runtimes.shoal]\nwant = "2.3.0-coral-17"\n')
    answer = tide.run("preview")
    assert answer.code == 2
    assert "runs on coral 17, and the manifest wants coral 11.0.4" in answer.err


def test_a_licence_can_be_read_and_must_be_accepted(tide: Desk) -> None:
    wants(tide, '[runtimes.coral]\nwant = "11"\n')
    assert "Harbour Licence 2" in tide.well("list", "coral", "--licence").out
    assert "blame it for the weather" in tide.well("list", "coral", "--licence").out
    assert tide.run("provision", "--yes").code == 5


def test_extras_go_into_each_version_and_into_new_ones(tide: Desk) -> None:
    kelps = '[runtimes.kelp]\nwant = "lts"\nalso = ["3.6"]\n'
    wants(tide, kelps)
    tide.well("provision")
    without = likeness(tide.home, (".local/state/zesty-anchor", ".cache"))
    wants(tide, kelps + 'extras = ["kelp-tidy@1.2"]\n')
    changes = tide.well("provision", "--json").json["changes"]
    assert {(c["kind"], c["subject"]) for c in changes} == {
        ("extra", "kelp-tidy@1.2 to kelp 4.2.1"),
        ("extra", "kelp-tidy@1.2 to kelp 3.6.2"),
        ("launchers", "~/.local/share/zesty-anchor/bin"),
    }
    assert tide.shell("bash", "kelp-tidy --version", "-i").strip() == "kelp-tidy 1.2"
    wants(tide, kelps.replace('"3.6"', '"3.6", "5.0.0"') + 'extras = ["kelp-tidy@1.2"]\n')
    tide.well("provision")
    assert (tide.shelf / "kelp/5.0.0/bin/kelp-tidy").exists()
    assert tide.well("provision", "--json").json["changes"] == []
    tide.well("undo")
    tide.well("undo")
    wants(tide, kelps)
    after = likeness(tide.home, (".local/state/zesty-anchor", ".cache"))
    assert {k for k in without if without[k] != after.get(k)} == set()
    wants(tide, kelps + 'extras = ["no-such-thing"]\n')
    answer = tide.run("provision")
    assert answer.code == 1
    assert "there is no package no-such-thing" in answer.out


# -- lock, locate, remove, list, offline -------------------------------------------------------------------


def test_a_lock_keeps_versions_and_bytes(tide: Desk, tide_feed: Path, tmp_path: Path) -> None:
    wants(tide, '[runtimes.kelp]\nwant = "latest"\n[runtimes.coral]\nwant = "lts"\nlicence = "accepted"\n')
    tide.well("lock")
    lock = (tide.home / "workstation.lock").read_text()
    assert '"5.0.0"' in lock
    assert "sha256:" in lock
    served = tmp_path / "feed0"
    newer = [
        ("6.0.0", "2026-11-01", (), "any", "kelp-6.0.0.tar.gz", with_pack("6.0.0")),
        (
            "5.0.0",
            "2026-08-14",
            (),
            "any",
            "kelp-5.0.0.tar.zst",
            (served / "kelp-5.0.0.tar.zst").read_bytes(),
        ),
    ]
    write_runtime(served, "kelp", newer)
    write_index(served, ["kelp", "coral"])
    os.utime(served / "kelp.json", (2e9, 2e9))  # the host tells changes apart by the second
    tide.well("provision")
    assert [p.name for p in (tide.shelf / "kelp").iterdir()] == ["5.0.0"], "the lock counts, not the feed"
    tide.well("lock")
    assert (tide.home / "workstation.lock").read_text() == lock
    tree = likeness(tide.shelf)

    other = Desk(tmp_path / "other", tide.url)
    shutil.copytree(tide.home / ".config", other.home / ".config")
    for name in ("workstation.toml", "workstation.lock"):
        shutil.copy(tide.home / name, other.home / name)
    other.well("provision")
    assert likeness(other.shelf) == tree, "the same lock gives the same bytes"

    tide.well("lock", "--upgrade", "kelp")
    tide.well("provision")
    assert tide.shell("bash", "kelp --version", "-l").strip() == "kelp 6.0.0"
    assert '"17.0.1"' in (tide.home / "workstation.lock").read_text()

    (served / "kelp-6.0.0.tar.gz").write_bytes(with_pack("6.0.1"))
    third = Desk(tmp_path / "third", tide.url)
    shutil.copytree(tide.home / ".config", third.home / ".config")
    for name in ("workstation.toml", "workstation.lock"):
        shutil.copy(tide.home / name, third.home / name)
    answer = third.run("provision")
    assert answer.code == 1
    assert "the digest differs" in answer.out
    (third.home / "workstation.lock").write_text("release = 4")
    assert third.run("provision").code == 2


def test_every_platform_is_locked_to_the_same_version(desk: Desk, make_feed: Callable[..., str]) -> None:
    def release(version: str, *platforms: str) -> dict[str, object]:
        files = [{"platform": p, "url": f"{p}-{version}.tgz", "sha256": "0" * 64} for p in platforms]
        return {"version": version, "files": files}

    releases = [release("4.2.2", "linux-aarch64"), release("4.2.1", "linux-x86_64", "linux-aarch64")]
    document = {"format": "zesty-anchor-index/1", "runtime": "kelp", "releases": releases}
    desk.wants(
        url=make_feed({"kelp.json": json.dumps(document).encode()}), runtimes='[runtimes.kelp]\nwant = "4"\n'
    )
    desk.well("lock", "--platform", "linux-x86_64", "--platform", "linux-aarch64")
    lock = (desk.home / "workstation.lock").read_text()
    assert 'version = "4.2.1"' in lock
    assert "linux-x86_64-4.2.1.tgz" in lock
    assert "linux-aarch64-4.2.1.tgz" in lock
    assert "4.2.2" not in lock


@pytest.mark.needs("gcc")
def test_what_a_version_is_built_with_is_locked_too(tide: Desk, tmp_path: Path) -> None:
    wants(tide, '[runtimes.brine]\nwant = "1.7"\n')
    tide.well("lock")
    lock = (tide.home / "workstation.lock").read_text()
    assert 'want = "to build 1.7.2"' in lock
    assert 'version = "1.6.0"' in lock
    (tmp_path / "feed0/brine.json").unlink()
    tide.well("provision")
    assert tide.shell("bash", "brine --version", "-l").strip() == "brine 1.7.2"


def test_locate_and_remove(tide: Desk) -> None:
    wants(tide, '[runtimes.kelp]\nwant = "lts"\nalso = ["3.6", "5.0.0"]\n')
    tide.well("provision")
    assert tide.well("locate", "kelp").out.strip() == str(tide.shelf / "kelp/4.2.1")
    assert tide.well("locate", "kelp", "3").out.strip() == str(tide.shelf / "kelp/3.6.2")
    assert tide.run("locate", "kelp", "9").code == 1
    needed = tide.run("remove", "kelp", "5.0.0").err
    rows = tide.manifest.read_text().splitlines()
    line = next(n for n, row in enumerate(rows, 1) if row.startswith("also"))
    assert "the manifest wants '5.0.0'" in needed and f"{tide.manifest}:{line}" in needed
    wants(tide, '[runtimes.kelp]\nwant = "lts"\nalso = ["3.6"]\n')
    tide.well("remove", "kelp", "5.0.0")
    assert not (tide.shelf / "kelp/5.0.0").exists()
    tide.well("undo")
    assert (tide.shelf / "kelp/5.0.0/bin/kelp").exists()
    assert "installed: " in tide.run("remove", "kelp", "7").err


def test_hundreds_of_versions_fit_a_screen_and_offline_says_how_old(
    desk: Desk, make_feed: Callable[..., str]
) -> None:
    releases = [
        {"version": f"{a}.{b}.{c}", "files": [{"platform": "any", "url": "x", "sha256": "0" * 64}]}
        for a in range(7) for b in range(10) for c in range(10)
    ]  # fmt: skip
    url = make_feed(
        {
            "kelp.json": (
                json.dumps(
                    {"format": "zesty-anchor-index/1", "runtime": "kelp", "releases": releases}
                ).encode()
            )
        }
    )
    desk.wants(url=url, runtimes='[runtimes.kelp]\nwant = "latest"\n')
    assert "--offline asks nobody" in desk.run("list", "kelp", "--offline").err
    grouped = desk.well("list", "kelp").out.splitlines()
    assert len(grouped) < 45
    assert any("6.9.9" in line for line in grouped)
    assert len(desk.well("list", "kelp", "--all").out.splitlines()) > 700
    narrowed = desk.well("list", "kelp", "4.2").out
    assert [line.split()[0] for line in narrowed.splitlines()[1:]] == [f"4.2.{c}" for c in range(9, -1, -1)]
    assert "less than a minute old" in desk.well("list", "kelp", "--offline").err
    desk.wants(url="http://127.0.0.1:9/")
    assert desk.run("list", "kelp").code == 1
    desk.wants(url=url, runtimes='[runtimes.kelp]\nwant = "latest"\n')
    assert (
        "offline: what the feed 'harbour' answered is less than a minute old"
        in desk.well("preview", "--offline").out
    )


def test_a_digest_of_npm_is_checked(desk: Desk, make_feed: Callable[..., str], tmp_path: Path) -> None:
    content = archive("4.2.1")
    integrity = "sha512-" + base64.b64encode(hashlib.sha512(content).digest()).decode()
    url = make_feed({"k.tgz": content})
    dist = {"tarball": url + "k.tgz", "integrity": integrity}
    (tmp_path / "feed0/tide-kelp").write_text(json.dumps({"versions": {"4.2.1": {"dist": dist}}}))
    recipe = RECIPE.replace(
        "[recipes.kelp.version]",
        '[recipes.kelp.feed]\nkind = "npm"\npackage = "tide-kelp"\n[recipes.kelp.version]',
    )
    desk.environment["NPM_CONFIG_REGISTRY"] = url
    desk.write(f'as-root = "allowed"\n{recipe}[runtimes.kelp]\nwant = "latest"\n')
    gets(desk, "4.2.1")
    (tmp_path / "feed0/k.tgz").write_bytes(archive("4.2.2"))
    shutil.rmtree(desk.home / ".cache/zesty-anchor/downloads")
    assert "the digest differs" in desk.run("provision").out


def test_what_is_newer_and_when_support_ends(
    desk: Desk, tmp_path: Path, make_feed: Callable[..., str]
) -> None:
    packed = {version: archive(version) for version in ("3.6.2", "4.2.1", "4.3.0", "5.0.0", "5.1.0-rc.1")}

    def stock(folder: Path, versions: dict[str, tuple[str, ...]]) -> None:
        write_runtime(
            folder, "kelp",
            [(v, "2026-01-01", channels, "any", f"kelp-{v}.tar.gz", packed[v]) for v,
            channels in versions.items()],
            ends={"3.6.2": "2020-01-31", "4.2.1": "2099-12-31"},
        )  # fmt: skip
        write_index(folder, ["kelp"])

    url = make_feed({"empty": b""})
    (folder,) = (path.parent for path in tmp_path.rglob("empty"))
    stock(folder, {"3.6.2": (), "4.2.1": ("lts",)})
    manifest(desk, f'kind = "index"\nurl = "{url}"', '[runtimes.kelp]\nwant = "lts"\nalso = ["3.6"]\n')
    desk.well("provision")
    assert (
        "none" in desk.well("list", "--newer").out
        and "zesty-anchor lock" not in desk.well("list", "--newer").out
    )
    stock(folder, {"3.6.2": (), "4.2.1": ("lts",), "4.3.0": ("lts",), "5.0.0": (), "5.1.0-rc.1": ()})
    lts, old = desk.well("list", "--newer", "--json").json["newer"]
    assert (lts["version"], lts["newer"], lts["beyond"], lts["ends"]) == (
        "4.2.1",
        "4.3.0",
        "5.0.0",
        "2099-12-31",
    )
    assert (old["version"], old["newer"], old["beyond"]) == ("3.6.2", "", "5.0.0")
    shown = desk.well("list", "--newer", "kelp").out
    assert "supported until 2099-12-31" in shown and "not supported since 2020-01-31" in shown
    assert "zesty-anchor upgrade kelp" in shown
    desk.well("lock", "--upgrade", "kelp")
    desk.well("provision")
    assert desk.shell("bash", "kelp --version", "-l").strip() == "kelp 4.3.0"
    shutil.move(folder / "kelp.json", folder / "gone.json")
    answer = desk.well("list", "--newer", "--json").json["newer"][0]
    assert answer["problem"] and answer["version"] == "4.3.0"
