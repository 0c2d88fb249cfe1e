"""Another package adds one of each noun in one file and a line of registration: all commands know them."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import subprocess
from pathlib import Path

import pytest

from tests.conftest import PROGRAM, Answer, Desk, packed_runtime
from tests.extending import tide_parts
from zesty_anchor.changes.change import AnyKind, Change
from zesty_anchor.feeds.documents import Web
from zesty_anchor.feeds.feed import Around, Feed, Supply
from zesty_anchor.files.edit import Edit
from zesty_anchor.files.text_file import read_text_file
from zesty_anchor.system.host import login_path
from zesty_anchor.testing import FeedContract, KindContract, files_in

MANIFEST = """\
as-root = "allowed"
[shells]
use = ["tidesh"]
hooks.tidesh = "TIDE_HOOK=yes"
[feeds.quay]
kind = "tidetable"
url = "{table}"
[recipes.kelp]
commands = ["kelp"]
[recipes.kelp.version]
run = "kelp --version"
expect = "kelp {{version}}"
[runtimes.kelp]
want = "4"
[variables]
TIDEMARKS = "high"
"""


def installed(folder: Path) -> None:
    """As pip installs a package: its module, and what it says of itself."""
    about = folder / "tide_parts-1.0.dist-info"
    about.mkdir()
    (about / "METADATA").write_text("Metadata-Version: 2.1\nName: tide-parts\nVersion: 1.0\n")
    (about / "entry_points.txt").write_text(tide_parts.REGISTERED)
    shutil.copy(tide_parts.__file__, folder / "tide_parts.py")


def run(desk: Desk, packages: Path, *words: str) -> Answer:
    environment = {
        "HOME": str(desk.home),
        "PATH": f"{desk.home}/system:{login_path()}",
        "LANG": "C.UTF-8",
        "PYTHONPATH": str(packages),
    }
    done = subprocess.run(
        [str(PROGRAM), *words], cwd=desk.home, env=environment, capture_output=True, text=True, check=False
    )
    return Answer(done.returncode, done.stdout, done.stderr)


@pytest.mark.needs("dash")
def test_one_file_and_a_line_are_enough(desk: Desk, tmp_path: Path) -> None:
    packages = tmp_path / "packages"
    packages.mkdir()
    installed(packages)
    (desk.home / "system").mkdir()
    shutil.copy(shutil.which("dash") or "", desk.home / "system/tidesh")
    archive = tmp_path / "kelp-4.2.1.tar.gz"
    archive.write_bytes(packed_runtime("kelp", "4.2.1"))
    table = tmp_path / "kelp.table"
    table.write_text(f"4.2.1 {archive.as_uri()} {hashlib.sha256(archive.read_bytes()).hexdigest()}\n")
    desk.write(MANIFEST.format(table=table))
    before = files_in(desk.home)

    schema = run(desk, packages, "schema").out
    assert '"tidetable"' in schema and '"tidesh"' in schema
    seen = run(desk, packages, "preview")
    assert seen.code == 0, seen.err
    assert "Settings of other programs" in seen.out and "~/.tide-mark" in seen.out
    done = run(desk, packages, "provision", "--yes", "--trust", "workstation.toml")
    assert done.code == 0, done.out + done.err
    assert (desk.home / ".tide-mark").read_text() == "high\n"
    checked = json.loads(run(desk, packages, "verify", "--json").out)
    assert checked["ok"] and {each["shell"] for each in checked["shells"]} == {"tidesh"}
    listed = json.loads(run(desk, packages, "list", "kelp", "--json").out)
    assert listed["installed"] == ["4.2.1"], listed
    (desk.home / ".tide-mark").write_text("low\n")
    assert "the tide's mark was changed" in (told := run(desk, packages, "verify")).out + told.err
    os.unlink(desk.home / ".tide-mark")
    undone = run(desk, packages, "undo", "--yes")
    assert undone.code == 0, undone.err
    left = {
        name: each
        for name, each in files_in(desk.home).items()
        if not name.startswith((".local/", ".cache/"))
    }
    assert left == before

    for text, what in (
        ('kind = "tidetable"\nurl = "quay.txt"\n', "is not a tide table"),
        ('kind = "tidetabel"\n', "did you mean 'tidetable'?"),
        ('kind = "tidetable"\nurl = "a.table"\n[variables]\nTIDEMARK = "x"\n', "tidesh lets nobody set it"),
    ):
        desk.write(f"[feeds.quay]\n{text}")
        refused = run(desk, packages, "preview")
        assert refused.code == 2 and what in refused.err, refused.err


def test_without_the_package_its_names_are_unknown(desk: Desk) -> None:
    desk.write('[feeds.quay]\nkind = "tidetable"\nurl = "a.table"\n[shells]\nuse = ["tidesh"]\n')
    said = desk.run("preview").err
    assert (
        'feeds.quay.kind is the text "tidetable", but one of' in said
        and 'shells.use[0] is the text "tidesh"' in said
    )


class TestTideTable(FeedContract):
    versions = frozenset({"4.2.1"})

    def opened(self, folder: Path) -> Feed:
        table = folder / "kelp.table"
        table.write_text(f"4.2.1 file:///kelp.tar.gz {'0' * 64}\n")
        return tide_parts.TideTable(
            Supply("quay", "tidetable", str(table), "kelp"), Around({}, folder, Web())
        )


class TestTideMarks(KindContract):
    def kind(self) -> AnyKind:
        return tide_parts.TideMarks()

    def planned(self, home: Path) -> Change:
        return tide_parts.MarkTide(Edit(read_text_file(home / ".tide-mark"), b"high\n"), "~/.tide-mark")
