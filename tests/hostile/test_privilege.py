"""What is done with privilege believes a folder of root's alone: no journal, no attic, no folder that
somebody else made.
"""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

import pytest

from tests.conftest import bench_in, is_root
from tests.hostile.measured import note
from zesty_anchor.changes.conflicts.drop_alternative import AlternativeRecord, Alternatives
from zesty_anchor.changes.conflicts.purge_packages import PackageRemovals, RemovalRecord
from zesty_anchor.changes.record import FileRecord
from zesty_anchor.changes.system.lead_alternative import LedAlternatives, LedRecord
from zesty_anchor.changes.system.packages import Packages, PackagesRecord
from zesty_anchor.changes.system.system_variables import SystemVariables
from zesty_anchor.system import pam_environment, root_store
from zesty_anchor.system.host import host
from zesty_anchor.system.privilege import Access, Hands

pytestmark = pytest.mark.skipif(not is_root(), reason="what root alone may change, root alone can make")


@pytest.fixture
def asked(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> list[str]:
    """The commands that were to be run with privilege. None of them is run."""
    monkeypatch.setattr(root_store, "STORE", tmp_path / "store")
    monkeypatch.setattr(pam_environment, "FILE", tmp_path / "environment")
    (tmp_path / "environment").write_text("TIDE=mine\n")
    return []


def test_planted_rows_and_files_are_not_believed(asked: list[str], tmp_path: Path) -> None:
    def run(command: tuple[str, ...], hear: object) -> int:
        asked.append(" ".join(command))
        return 0

    bench = bench_in(tmp_path, run)
    planted = tmp_path / "planted.deb"
    planted.write_bytes(b"!<arch>\n")
    families = list(host().families)
    before = tmp_path / "before"
    before.write_text("LD_PRELOAD=/tmp/x\n")
    told = [
        Packages().take_back(PackagesRecord(privileged=True, families=families, asked=["bash"],
        brought=["bash"]), bench),
        Packages().take_back(PackagesRecord(privileged=True, families=families, asked=["bash"], before=[]),
        bench),
        PackageRemovals().take_back(
            RemovalRecord(privileged=True, families=families, versions={"x": "1"}, copies={"x": str(planted)},
            settings={"/etc/passwd": str(before)}),
            bench,
        ),
        Alternatives().take_back(AlternativeRecord(privileged=True, name="pager-x",
        query="Name: pager-x\nLink: /etc/passwd\n\nAlternative: /tmp/x\nPriority: 1\n"), bench),
        Alternatives().take_back(AlternativeRecord(privileged=True, name="../x y", query=""), bench),
        LedAlternatives().take_back(LedRecord(privileged=True, name="../x y", value="/tmp/x"), bench),
        LedAlternatives().take_back(LedRecord(privileged=True, name="--install", value="/tmp/x"), bench),
        SystemVariables().take_back(FileRecord(privileged=True, path="/etc/environment", name="e",
        before=str(before), after=str(before)), bench),
    ]  # fmt: skip
    assert asked == []
    assert (tmp_path / "environment").read_text() == "TIDE=mine\n"
    assert sum(bool(each.notices) for each in told) >= 4
    note("privilege: planted rows and files")


@pytest.mark.parametrize("how", ["a link", "another's", "anybody's", "a link above", "not there"])
def test_a_note_that_somebody_else_could_have_written_is_none(
    how: str, asked: list[str], tmp_path: Path
) -> None:
    hands = Hands(Access("root"), asked.append)
    for command in root_store.note("run-1", "packages-brought", "tide\nkelp"):
        assert hands.run(command, asked.append) == 0
    assert root_store.noted("run-1", "packages-brought") == "tide\nkelp"
    file = root_store.folder("run-1") / "packages-brought.0"
    if how == "a link":
        file.rename(tmp_path / "there")
        file.symlink_to(tmp_path / "there")
    elif how == "another's":
        os.chown(file, 1234, 1234)
    elif how == "anybody's":
        file.chmod(0o666)
    elif how == "a link above":
        file.parent.rename(tmp_path / "run-1")
        file.parent.symlink_to(tmp_path / "run-1")
    else:
        file.unlink()
    assert root_store.noted("run-1", "packages-brought") is None
    note(f"privilege: {how}")


@pytest.mark.parametrize("how", ["a link", "another's"])
def test_root_writes_into_no_folder_that_is_not_its_own(how: str, asked: list[str], tmp_path: Path) -> None:
    folder = root_store.folder("run-1")
    folder.parent.mkdir(parents=True)
    if how == "a link":
        (tmp_path / "elsewhere").mkdir()
        folder.symlink_to(tmp_path / "elsewhere")
    else:
        folder.mkdir()
        os.chown(folder, 1234, 1234)
    said: list[str] = []
    assert Hands(Access("root"), asked.append).run(root_store.note("run-1", "a", "x")[0], said.append) != 0
    assert said[-1].startswith(str(folder))
    note(f"privilege: a folder that is {how}")


def test_a_copy_that_was_changed_meanwhile_is_not_taken(asked: list[str], tmp_path: Path) -> None:
    (tmp_path / "x.deb").write_bytes(b"other")
    hands = Hands(Access("root"), asked.append)
    assert (
        hands.run(root_store.take("run-1", "package-0.deb", str(tmp_path / "x.deb"), "0" * 64), asked.append)
        != 0
    )
    assert root_store.stands("run-1", "package-0.deb") is None
    (tmp_path / "target").write_text("mine\n")
    (tmp_path / "link").symlink_to(tmp_path / "target")
    for command in root_store.note("run-1", "settings-0", "theirs\n"):
        hands.run(command, asked.append)
    assert hands.run(root_store.give("run-1", "settings-0.0", str(tmp_path / "link")), asked.append) != 0
    assert (tmp_path / "target").read_text() == "mine\n"
    assert "with privilege: keep what undo needs in" in "\n".join(asked)
    file = tmp_path / "environment"
    file.write_text('GAUGE="theirs"\n')
    late = root_store.write(str(file), 'DEPTH="1"\n', str(tmp_path / "new"), b"")
    assert hands.run(late, asked.append) != 0 and asked[-1] == "it was changed meanwhile"
    assert file.read_text() == 'GAUGE="theirs"\n'
    seen = root_store.write(str(file), 'DEPTH="1"\n', str(tmp_path / "new"), file.read_bytes())
    assert hands.run(seen, asked.append) == 0 and file.read_text() == 'DEPTH="1"\n'
    note("privilege: changed meanwhile")


@pytest.mark.parametrize("name", ["../x", "/etc/passwd", "a b", "$(id)", "-rf", "", "a\nb"])
def test_names_of_runs_and_copies_are_names(name: str) -> None:
    with pytest.raises(ValueError, match="no name"):
        root_store.copy("run-1", name, "/etc/hosts")
    with pytest.raises(ValueError, match="is no run"):
        root_store.folder(name)
    note(f"privilege: the name {name!r}")


def test_a_mode_that_was_planted_does_not_open_a_file_of_the_systems(
    asked: list[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("zesty_anchor.changes.system.system_variables._BESIDE", str(tmp_path / "beside"))
    file = tmp_path / "environment"
    file.write_text("TIDE=high\n")
    file.chmod(0o644)
    bench = bench_in(tmp_path, Hands(Access("root"), asked.append).run)
    for name, text in (("before", "TIDE=low\n"), ("after", "TIDE=high\n")):
        bench.as_root(root_store.note(bench.run, f"environment.{name}", text))
    SystemVariables().take_back(FileRecord(privileged=True, path=str(file), name="e", mode=0o666), bench)
    assert (file.read_text(), oct(file.stat().st_mode & 0o777)) == ("TIDE=low\n", "0o644")
    note("privilege: a planted mode")


@pytest.mark.parametrize("script", ["_NOTE", "_COPY", "_TAKE", "_GIVE", "_WRITE", "_CLEAR"])
def test_each_script_of_root_is_one_that_sh_can_read(script: str) -> None:
    assert subprocess.run(["sh", "-n", "-c", getattr(root_store, script)], check=False).returncode == 0
