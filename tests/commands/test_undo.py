"""Taking back any of the last runs, and what becomes of what others did in between."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import Desk

pytestmark = pytest.mark.needs("bash", "zsh")
SETTING = '[[settings]]\nfile = "~/.config/tide/settings.json"\nkey = "quay"\nvalue = "north"\n'


def variables(**values: str) -> str:
    return "[variables]\n" + "".join(f'{name} = "{value}"\n' for name, value in values.items())


def test_a_run_in_the_middle_goes_and_the_later_ones_stay(desk: Desk) -> None:
    before = desk.likeness()
    desk.wants(variables(A="1"))
    desk.well("provision")
    only_first = {
        path.name: path.read_bytes() for path in (desk.home / ".local/share/zesty-anchor/shell").iterdir()
    }
    desk.wants(variables(A="1", GAUGE="north"))
    desk.well("provision")
    desk.wants(variables(A="1", GAUGE="north", ZONE="low") + SETTING)
    desk.well("provision")
    listed = desk.well("undo", "--list", "--json").json["runs"]
    assert [each["run"] for each in listed] == [3, 2, 1]
    assert any("settings.json" in words for words in listed[0]["changes"])
    assert "run 2" in desk.well("undo", "--list").out
    desk.well("undo", "--run", "2")
    assert desk.shell("bash", "echo $A-$GAUGE-$ZONE; command -v kelp", "-i").splitlines()[0] == "1--low"
    assert desk.shell("zsh", "echo $A-$GAUGE-$ZONE", "-l").strip() == "1--low"
    desk.well("undo")
    now = {path.name: path.read_bytes() for path in (desk.home / ".local/share/zesty-anchor/shell").iterdir()}
    assert now == only_first, "as if the run in the middle had never been"
    desk.well("undo")
    desk.manifest.unlink()
    assert desk.likeness() == before


def test_what_a_later_run_needs_is_refused_and_named(desk: Desk) -> None:
    desk.wants()
    desk.well("provision")
    desk.wants(runtimes='[runtimes.kelp]\nwant = "lts"\nalso = ["3.6"]\n')
    desk.well("provision")
    desk.wants(variables(GAUGE="north"), runtimes='[runtimes.kelp]\nwant = "3.6"\nalso = ["lts"]\n')
    desk.well("provision")
    settled = desk.likeness()
    first, second = desk.run("undo", "--run", "1"), desk.run("undo", "--run", "2")
    assert (first.code, second.code) == (1, 1)
    assert "run 1 cannot be undone alone" in first.err
    assert "kelp 3.6.2 came with it" in second.err
    assert "undo --run 3" in second.err
    assert desk.run("undo", "--run", "9").code == 2
    assert desk.likeness() == settled


def test_our_line_is_edited_where_a_link_leads(desk: Desk) -> None:
    desk.write("alias t=ls\n", ".bashrc")
    desk.wants()
    desk.well("provision")
    (desk.home / "dots").mkdir()
    (desk.home / ".bashrc").rename(desk.home / "dots/bashrc")
    (desk.home / ".bashrc").symlink_to("dots/bashrc")
    (desk.home / ".zshenv").rename(desk.home / "dots/zshenv")
    (desk.home / ".zshenv").symlink_to("dots/zshenv")
    desk.well("undo")
    assert (desk.home / ".bashrc").is_symlink()
    assert (desk.home / "dots/bashrc").read_text() == "alias t=ls\n"
    assert (desk.home / ".zshenv").is_symlink()
    assert (desk.home / "dots/zshenv").read_bytes() == b"", "it held our line alone"


def test_one_file_that_two_shells_read(desk: Desk) -> None:
    desk.write("alias t=ls\n", "dots/rc")
    for name in (".bashrc", ".zshrc"):
        (desk.home / name).symlink_to("dots/rc")
    before = desk.likeness()
    desk.wants()
    assert desk.well("provision", "--json").json["proof"]["ok"]
    for shell in ("bash", "zsh"):
        assert desk.shell(shell, "command -v kelp", "-i").strip() == str(desk.shelf / "kelp/4.2.1/bin/kelp")
    assert desk.well("provision", "--json").json["changes"] == []
    desk.well("undo")
    desk.manifest.unlink()
    assert desk.likeness() == before


def test_a_lone_carriage_return_stays(desk: Desk) -> None:
    rc = desk.write("", ".bashrc")
    rc.write_bytes(b"alias t='a\rb'\nexport EDITOR=vi\r\n")
    desk.wants()
    desk.well("provision")
    with rc.open("ab") as file:
        file.write(b"# mine\rtoo\n")
    desk.well("undo")
    assert rc.read_bytes() == b"alias t='a\rb'\nexport EDITOR=vi\r\n# mine\rtoo\n"


@pytest.mark.parametrize("damage", ["gone", "empty", "other bytes"])
def test_a_copy_in_the_attic_that_is_not_what_it_was_leaves_the_file(desk: Desk, damage: str) -> None:
    desk.write("alias t=ls\n", ".bashrc")
    desk.wants()
    desk.well("provision")
    provisioned = (desk.home / ".bashrc").read_bytes()
    (copy,) = (p for p in (desk.home / ".local/state/zesty-anchor/attic").rglob("*-bashrc"))
    copy.unlink() if damage == "gone" else copy.write_bytes(b"" if damage == "empty" else b"other\n")
    answer = desk.run("undo")
    assert answer.code == 1
    assert (
        f"the copy of ~/.bashrc in the attic is {'missing' if damage == 'gone' else 'not what was put there'}"
        in answer.out
    )
    assert (desk.home / ".bashrc").read_bytes() == provisioned
    copy.write_bytes(b"alias t=ls\n")
    desk.well("undo")
    assert (desk.home / ".bashrc").read_bytes() == b"alias t=ls\n"


def test_what_somebody_did_to_ours_is_kept_and_named(desk: Desk) -> None:
    desk.wants()
    desk.well("provision")
    data = desk.home / ".local/share/zesty-anchor"
    edited = {
        data / "shell/environment.bash": b"# mine 1\n",
        data / "bin/kelp": b"#!/bin/sh\n# mine 2\n",
        desk.home / ".bashrc": (desk.home / ".bashrc").read_bytes().replace(b"if [", b": mine 3; if ["),
    }
    for path, content in edited.items():
        path.write_bytes(content)
    (desk.shelf / "kelp/4.2.1/mine").write_text("mine 4\n")
    told = desk.well("provision", "--json").json["notices"]
    assert len([each for each in told if "kept in" in each]) == len(edited), told
    kept = {each["was"]: Path(each["kept"]) for each in desk.well("attic", "--json").json["kept"]}
    for path, content in edited.items():
        assert kept[str(path)].read_bytes() == content
    undone = desk.well("undo", "--json").json["notices"]
    assert desk.run("undo", "--json").code == 0
    desk.run("undo")
    stays = {each["was"]: Path(each["kept"]) for each in desk.well("attic", "--json").json["kept"]}
    assert stays[str(desk.shelf / "kelp/4.2.1/mine")].read_text() == "mine 4\n", undone
    done = desk.well("dismantle", "--yes", "--json").json
    assert done["kept"] == "~/kept-by-zesty-anchor"
    found = {path.read_bytes() for path in (desk.home / "kept-by-zesty-anchor").iterdir()}
    assert {*edited.values(), b"mine 4\n"} <= found
    assert not (desk.home / ".local/state/zesty-anchor").exists()


def test_what_undo_said_is_said_again_and_kept(desk: Desk) -> None:
    old = desk.write("#!/bin/sh\necho kelp 3.1.0\n", "old-kelp/bin/kelp")
    old.chmod(0o755)
    desk.wants('[[conflicts.remove]]\npath = "~/old-kelp"\n[variables]\nA = "1"\n')
    desk.well("provision")
    desk.write("new\n", "old-kelp/bin/kelp")
    copy = next((desk.home / ".local/state/zesty-anchor/attic").rglob("*-environment.bash.after"))
    content = copy.read_bytes()
    copy.write_bytes(b"")
    with (desk.home / ".local/share/zesty-anchor/shell/environment.bash").open("a") as file:
        file.write("# mine\n")
    first = desk.run("undo", "--json")
    assert first.code == 1, "a copy is damaged, so it stops half way"
    assert any("~/old-kelp exists again" in each for each in first.json["notices"])
    copy.write_bytes(content)
    second = desk.well("undo", "--json").json["notices"]
    assert any("~/old-kelp exists again" in each for each in second)
    (thing,) = desk.well("attic", "--json").json["kept"]
    assert (Path(thing["kept"]) / "bin/kelp").read_text() == "#!/bin/sh\necho kelp 3.1.0\n"
    desk.well("dismantle", "--yes")
    (kept,) = (desk.home / "kept-by-zesty-anchor").glob("*-old-kelp")
    assert (kept / "bin/kelp").read_text() == "#!/bin/sh\necho kelp 3.1.0\n"
    assert os.stat(desk.home / "kept-by-zesty-anchor").st_mode & 0o777 == 0o700


@pytest.mark.parametrize(
    "edit",
    [
        lambda rows: [*rows[-1:], *rows[:-1]],
        lambda rows: [*rows, b"alias tide=ebb\n", *rows[-1:]],
        lambda rows: [*rows[:-1], b"  " + rows[-1].rstrip() + b"\n", b"x=1\n"],
    ],
)
def test_our_line_goes_wherever_a_person_moved_it(desk: Desk, edit: Any) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.write("# mine\nalias a=b\n", ".bashrc")
    desk.well("provision")
    file = desk.home / ".bashrc"
    file.write_bytes(b"".join(edit(file.read_bytes().splitlines(keepends=True))))
    rest = [row for row in file.read_text().splitlines() if "zesty-anchor" not in row]
    told = desk.well("dismantle", "--yes")
    assert file.read_text().splitlines() == rest
    assert "~/.bashrc" in told.out


def test_what_only_looks_like_our_line_stays(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    file = desk.home / ".bashrc"
    ours = file.read_text()
    text = f"cat >/dev/null <<END\n{ours}END\n"
    file.write_text(text + ours)
    assert desk.well("provision", "--json").json["changes"] == []
    desk.well("dismantle", "--yes")
    assert file.read_text() == text


def test_our_line_that_was_deleted_and_written_again_leaves_nothing_behind(desk: Desk) -> None:
    startup = desk.write("alias tide='tide -v'\n", ".bashrc")
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    startup.write_text("alias tide='tide -vv'\nalias low='tide low'\n")  # as a dotfile manager puts it there
    desk.well("provision", "--yes")
    done = desk.well("dismantle", "--yes", "--json").json
    assert startup.read_text() == "alias tide='tide -vv'\nalias low='tide low'\n"
    assert not any("same lines" in notice for notice in done["notices"]) and not done.get("kept")
    assert not (desk.home / "kept-by-zesty-anchor").exists()


def test_the_only_run_leaves_its_downloads(desk: Desk) -> None:
    """What was fetched is fetched once, also where a person undoes all and begins again."""
    desk.wants()
    desk.well("provision")
    (fetched,) = (each for each in (desk.home / ".cache/zesty-anchor/downloads").rglob("*") if each.is_file())
    before = fetched.stat()
    desk.well("undo")
    assert fetched.exists()
    assert not desk.shelf.exists()
    desk.well("provision")
    assert (fetched.stat().st_ino, fetched.stat().st_mtime_ns) == (before.st_ino, before.st_mtime_ns)
