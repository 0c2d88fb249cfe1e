"""A version that is built with another runtime, which the manifest does not name."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from tests.conftest import Desk
from zesty_anchor.demo.host import Host
from zesty_anchor.demo.wares import pack, write_index, write_runtime
from zesty_anchor.manifest.model import Manifest, Runtime
from zesty_anchor.manifest.source import Source
from zesty_anchor.recipes import recipe_for, shipped

pytestmark = pytest.mark.needs("bash")

KELP = """
commands = ["kelp"]
[version]
run = "kelp --version"
expect = "kelp {version}"
[build]
steps = ['''
mkdir -p "$OUT/bin"
printf '#!/bin/sh\\necho kelp %s\\n# with %s\\n' "$VERSION" "$(cat "${EARLIER:-/nowhere}/lib/gauge" 2>/dev/null)" >"$OUT/bin/kelp"
chmod 755 "$OUT/bin/kelp"
''']
earlier = { runtime = "gauge", want = "1.1", from = "<4" }
"""
GAUGE = """
commands = ["gauge"]
[build]
steps = ['mkdir -p "$OUT/lib" "$OUT/bin"; echo "gauge $VERSION" >"$OUT/lib/gauge"; touch "$OUT/bin/gauge"; chmod 755 "$OUT/bin/gauge"']
[needs]
packages.debian = ["dash"]
"""


@pytest.fixture
def sources(tmp_path: Path) -> Iterator[str]:
    folder = tmp_path / "sources"
    folder.mkdir()
    for name, versions in {"kelp": ("3.6.2", "4.2.1"), "gauge": ("1.1.1", "2.0.0")}.items():
        archive = pack(f"{name}-1", {"README": (b"high water\n", 0o644)}, "tar.gz")
        files = [(v, "2026-06-30", (), "source", f"{name}-{v}.tgz", archive) for v in versions]
        write_runtime(folder, name, files)
    write_index(folder, ["kelp", "gauge"])
    with Host(folder) as serving:
        yield serving.url


@pytest.fixture
def workshop(desk: Desk, sources: str) -> Callable[..., Desk]:
    def wanting(want: str, gauge: str = GAUGE) -> Desk:
        desk.write(
            'as-root = "allowed"\n[shells]\nuse = ["bash"]\n[feeds.harbour]\nkind = "index"\n'
            f'url = "{sources}"\n[runtimes.kelp]\nwant = "{want}"\n'
        )
        desk.write(KELP, ".config/zesty-anchor/recipes/kelp.toml")
        if gauge:
            desk.write(gauge, ".config/zesty-anchor/recipes/gauge.toml")
        return desk

    return wanting


@pytest.mark.parametrize("locked", [False, True])
def test_it_is_built_first_and_does_not_stay(workshop: Callable[..., Desk], *, locked: bool) -> None:
    desk = workshop("3.6")
    if locked:
        desk.well("lock")
        lock = (desk.home / "workstation.lock").read_text()
        assert 'want = "to build 3.6.2"\nversion = "1.1.1"' in lock and "gauge-1.1.1.tgz" in lock
    assert "built from source with gauge 1.1.1" in desk.well("preview").out
    desk.well("provision", *(["--locked"] if locked else []))
    program = (desk.shelf / "kelp/3.6.2/bin/kelp").read_text()
    assert program == "#!/bin/sh\necho kelp 3.6.2\n# with gauge 1.1.1\n"
    assert [entry.name for entry in desk.shelf.iterdir()] == ["kelp"]
    assert "Nothing to do" in desk.well("preview").out
    assert desk.well("verify").code == 0


def test_another_version_needs_none(workshop: Callable[..., Desk]) -> None:
    desk = workshop("4.2")
    assert "gauge" not in desk.well("preview").out
    desk.well("provision")
    assert "# with \n" in (desk.shelf / "kelp/4.2.1/bin/kelp").read_text()


def test_what_cannot_be_had_is_said(workshop: Callable[..., Desk]) -> None:
    desk = workshop("3.6", gauge="")
    answer = desk.run("preview")
    assert answer.code == 2 and "there is no recipe for the runtime 'gauge'" in answer.err, answer.err
    desk = workshop("3.6", GAUGE.replace('["gauge"]', '["gauge"]\n'))
    desk.write(KELP.replace('want = "1.1"', 'want = "7"'), ".config/zesty-anchor/recipes/kelp.toml")
    answer = desk.run("preview")
    assert answer.code == 2 and "no version of gauge matches '7'" in answer.err
    assert "[build.earlier] of kelp" in answer.err and "the nearest: 2.0.0" in answer.err
    assert "asked: harbour" in answer.err


def test_a_feed_that_could_not_be_asked_is_named(desk: Desk) -> None:
    recipe = '[recipes.kelp]\ncommands = ["kelp"]\nfeeds = [{ kind = "index" }, { kind = "listing" }]\n'
    gone = '[feeds.gone]\nkind = "listing"\nurl = "http://127.0.0.1:1/"\n'
    desk.write(
        f'[feeds.harbour]\nkind = "index"\nurl = "{desk.url}"\n{gone}{recipe}[runtimes.kelp]\nwant = "9"\n'
    )
    said = " ".join(desk.run("preview").err.split())
    assert "no version of kelp matches '9'" in said and "asked: harbour" in said, said
    assert "could not be asked, and may have it: gone (" in said


def test_what_only_builds_need_is_offered_to_nobody(desk: Desk) -> None:
    assert "openssl" not in shipped() and "openssl" not in desk.well("list").out
    assert "openssl" not in desk.well("draft", "-").out
    manifest = Manifest(runtimes={"openssl": Runtime("latest")})
    recipe = recipe_for("openssl", manifest, desk.home, Source())
    assert recipe.build is not None and recipe.build.moves
