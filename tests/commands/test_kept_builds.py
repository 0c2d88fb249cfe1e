"""What was built is kept: the same is not built twice, after undo neither, nor in another home."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import Desk
from zesty_anchor.demo.host import Host
from zesty_anchor.demo.wares import pack, write_index, write_runtime
from zesty_anchor.shelf.build import Pace
from zesty_anchor.shelf.kept_builds import KeptBuilds, Made

# The steps count themselves, say how far they are, and write the place where the version will stand into its
# command.
RECIPE = """
[recipes.kelp]
commands = ["kelp"]
[recipes.kelp.build]
steps = [
  'echo built >>"$COUNT"; for n in 1 2 3 4 5 6 7 8; do echo "[ ${n}0%] step of the tide"; sleep 0.1; done',
  'mkdir -p "$OUT/bin"; printf "#!/bin/sh\\necho kelp %s at %s $TIDE\\n" "$VERSION" "$PREFIX" >"$OUT/bin/kelp"; chmod 755 "$OUT/bin/kelp"',
]
"""
MOVES = """moves = 'sed -i "s|$OLD|$PREFIX|g" bin/kelp'\n"""


@pytest.fixture
def source(tmp_path: Path) -> Iterator[str]:
    folder = tmp_path / "sources"
    folder.mkdir()
    archive = pack("kelp-4.2.1", {"README": (b"high water\n", 0o644)}, "tar.gz")
    write_runtime(folder, "kelp", [("4.2.1", "2026-06-30", (), "source", "kelp-4.2.1.tgz", archive)])
    write_index(folder, ["kelp"])
    with Host(folder) as serving:
        yield serving.url


def wants(desk: Desk, url: str, count: Path, moves: str = "", options: str = "") -> None:
    desk.write(
        'as-root = "allowed"\n[shells]\nuse = ["bash"]\n[feeds.harbour]\nkind = "index"\nurl ='
        f' "{url}"\n{RECIPE}{moves}environment = {{ COUNT = "{count}" }}\n[runtimes.kelp]\nwant ='
        f' "latest"\n{options}'
    )


def built(count: Path) -> int:
    return len(count.read_text().splitlines()) if count.exists() else 0


def answer(desk: Desk) -> str:
    return desk.shell("bash", "kelp", "-i").strip()


def test_after_undo_it_is_not_built_again(desk: Desk, source: str, tmp_path: Path) -> None:
    count = tmp_path / "count"
    before = desk.likeness()
    wants(desk, source, count)
    first = desk.well("provision").err
    assert "step 1 of 2" in first and "% of it" in first
    told = desk.well("undo").out
    shown = " ".join(desk.well("preview").out.split())
    assert "by the build that was kept of the same source and options" in shown and "built from" not in shown
    assert "nothing to fetch" in shown
    assert "need not be built again" in told
    desk.well("provision")
    assert built(count) == 1
    assert answer(desk) == f"kelp 4.2.1 at {desk.shelf}/kelp/4.2.1"
    wants(desk, source, count, options='build.options = ["--with-tide"]\n')
    desk.well("undo")
    desk.well("provision")
    assert built(count) == 2  # other options are another build
    desk.well("undo")
    told = desk.well("dismantle", "--yes").out
    assert "built again" not in told
    assert not (desk.home / ".cache").exists()
    assert {name: each for name, each in desk.likeness().items() if name != "workstation.toml"} == before


@pytest.mark.parametrize("moves", [MOVES, ""], ids=["it can be moved", "it cannot"])
def test_another_home_takes_it_where_it_can_be_moved(
    desk: Desk, source: str, tmp_path: Path, moves: str
) -> None:
    count, second = tmp_path / "count", Desk(tmp_path / "second", "")
    second.home.mkdir()
    for each in (desk, second):
        each.environment["XDG_CACHE_HOME"] = str(tmp_path / "cache")
        wants(each, source, count, moves)
        each.well("provision")
        assert answer(each) == f"kelp 4.2.1 at {each.shelf}/kelp/4.2.1"
    assert built(count) == (1 if moves else 2)
    told = second.well("dismantle", "--yes").out
    assert f"{tmp_path}/cache/zesty-anchor stays: {desk.home} has it too" in told
    desk.well("undo")
    desk.well("provision")
    assert built(count) == (1 if moves else 2), "what one home takes away, another one still has"
    assert "stays" not in desk.well("dismantle", "--yes").out and not (tmp_path / "cache").exists()


def test_another_machine_takes_one_from_a_folder(desk: Desk, source: str, tmp_path: Path) -> None:
    """Of a home elsewhere: what was copied is all that it has of the first one."""
    count, second = tmp_path / "count", Desk(tmp_path / "second", "")
    second.home.mkdir()
    wants(desk, source, count, MOVES)
    desk.well("provision")
    handed = tmp_path / "handed"
    shutil.copytree(desk.home / ".cache/zesty-anchor/builds", handed)
    wants(second, source, count, MOVES)
    feed = f'[feeds.built]\nkind = "folder"\nurl = "{handed}"\n'
    second.write(second.manifest.read_text() + 'feed = "harbour"\n' + feed)
    assert f"by the build of another machine: {handed} (" in " ".join(second.well("preview").out.split())
    told = second.well("provision")
    assert built(count) == 1, told.out + told.err
    assert f"kelp 4.2.1 was built on another machine: {handed} (" in told.out + told.err
    assert answer(second) == f"kelp 4.2.1 at {second.shelf}/kelp/4.2.1"
    assert not second.run("verify").code
    second.well("undo")
    for damage, why in (
        ("a byte", "is damaged"),
        ("others may write it", "is not believed: everybody may write"),
    ):
        shutil.rmtree(second.home / ".cache", ignore_errors=True)
        (archive,) = handed.glob("*.tar.zst")
        if damage == "a byte":
            archive.write_bytes(archive.read_bytes()[:-1] + b"x")
        else:
            archive.chmod(0o666)
        before = built(count)
        told = second.well("provision")
        assert why in told.out + told.err and built(count) == before + 1, told.out + told.err
        second.well("undo")
        shutil.rmtree(handed)
        shutil.copytree(desk.home / ".cache/zesty-anchor/builds", handed)


def test_one_that_is_damaged_is_built_anew(desk: Desk, source: str, tmp_path: Path) -> None:
    count = tmp_path / "count"
    wants(desk, source, count)
    desk.well("provision")
    desk.well("undo")
    (kept,) = (desk.home / ".cache/zesty-anchor/builds").glob("*.tar.zst")
    kept.write_bytes(kept.read_bytes()[:-7])
    desk.well("provision")
    assert built(count) == 2 and answer(desk).startswith("kelp 4.2.1")


def test_a_kept_build_comes_back_file_by_file(tmp_path: Path) -> None:
    one = tmp_path / "one"
    (one / "lib").mkdir(parents=True)
    (one / "lib/tide").write_bytes(bytes(range(256)))
    (one / "lib/tide").chmod(0o750)
    (one / "again").hardlink_to(one / "lib/tide")
    (one / "link").symlink_to("lib/tide")
    builds, out = KeptBuilds(tmp_path / "builds"), tmp_path / "out"
    builds.keep("k", one, Made("/shelf/kelp/4"))
    builds.took("kelp", Pace(61.0, 900))
    out.mkdir()
    made = builds.restore("k", out)
    assert made is not None and made.prefix == "/shelf/kelp/4"
    assert (out / "again").read_bytes() == bytes(range(256)) and (out / "link").readlink() == Path("lib/tide")
    assert (out / "lib/tide").stat().st_mode & 0o111
    assert builds.pace("kelp") == Pace(61.0, 900) and builds.pace("coral") is None
    assert builds.restore("other", tmp_path / "out") is None


def test_how_long_a_build_will_take_is_said_before_it_begins(desk: Desk, source: str, tmp_path: Path) -> None:
    wants(desk, source, tmp_path / "count", "minutes = 7\n")
    assert "built from source in about 7 min on two cores" in desk.well("preview").out
    desk.well("provision")
    desk.well("undo")
    wants(desk, source, tmp_path / "count", "minutes = 7\n", 'build.options = ["--with-tide"]\n')
    again = desk.well("preview").out
    assert "built from source in about 1 s, as the last time" in again, again
    wants(desk, source, tmp_path / "count")
    desk.well("provision")
    assert built(tmp_path / "count") == 1, "the estimate is nothing that a build depends on"


def test_a_build_uses_another_runtime_of_the_manifest(desk: Desk, source: str, tmp_path: Path) -> None:
    """It is installed first; its commands, folder and variables are there in every step."""
    feed = tmp_path / "quay"
    feed.mkdir()
    for version in ("1.0", "2.0"):
        tool = f"#!/bin/sh\necho $TIDY_HOME {version}\n".encode()
        (feed / f"tidy-{version}.tar.gz").write_bytes(pack("tidy", {"bin/tidy": (tool, 0o755)}, "tar.gz"))
    recipe = RECIPE.replace("'echo built", '\'[ -x $TIDY/bin/tidy ]; tidy >>"$COUNT"; echo built')
    others = (
        f'[feeds.quay]\nkind = "folder"\nurl = "{feed}"\n'
        '[recipes.tidy]\ncommands = ["tidy"]\nvariables = { TIDY_HOME = "{folder}" }\n'
    )

    def uses(name: str, version: str = "1.0") -> None:
        desk.write(
            'as-root = "allowed"\n[shells]\nuse = ["bash"]\n[feeds.harbour]\nkind = "index"\nurl ='
            f' "{source}"\n{others}{recipe}environment = {{ COUNT = "{tmp_path}/count" }}\n'
            f'[runtimes.kelp]\nwant = "latest"\nfeed = "harbour"\nbuild.with = ["{name}"]\n'
            'build.environment = { TIDY = "{tidy}" }\n'
            f'[runtimes.tidy]\nwant = "{version}"\nfeed = "quay"\nunpinned = "accepted"\n'
        )

    uses("tidy")
    assert "built from source, using tidy 1.0" in desk.well("preview").out
    desk.well("provision")
    said = (tmp_path / "count").read_text().splitlines()
    assert said == [f"{desk.shelf}/tidy/1.0 1.0", "built"]
    assert "Nothing to do" in desk.well("provision").out
    uses("tidy", "2.0")
    desk.well("provision")
    assert built(tmp_path / "count") == 2, "what it was built with is no reason to build it again"
    shutil.rmtree(desk.shelf / "kelp/4.2.1")
    desk.well("provision")
    assert (tmp_path / "count").read_text().splitlines()[2:] == [f"{desk.shelf}/tidy/2.0 2.0", "built"]
    for name, what in (
        ("tidi", "which is not in the manifest"),
        ("kelp", "circular dependency: kelp needs kelp"),
    ):
        uses(name)
        refused = desk.run("preview")
        assert refused.code == 2 and what in refused.err and "workstation.toml:" in refused.err
