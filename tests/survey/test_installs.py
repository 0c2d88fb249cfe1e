"""What shows that a folder is an install, so that it may go whole; and what else speaks of one that goes."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from zesty_anchor.survey.installs import held
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.mentions import mentions
from zesty_anchor.system.locations import locate

COMMANDS = ("kelp", "kelp-tidy")


def make(folder: Path, *names: str) -> Path:
    for name in names:
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.mkdir() if name.endswith("/") else path.write_text("x\n")
    return folder


def of(folder: Path, *kept: Path) -> str:
    return held(folder, COMMANDS, ("kelp", *COMMANDS), kept).more


@pytest.mark.parametrize(
    ("name", "files"),
    [
        ("old-kelp", ["bin/kelp"]),
        ("kelp-3.1", ["bin/kelp", "bin/kelp-tidy", "lib/a.so", "README.md", "LICENSE"]),
        ("toolchain", ["bin/kelp", "lib/kelp/a", "share/man/man1/kelp.1"]),
        (".kelp", ["kelp", "env", "hook.sh"]),
    ],
)
def test_an_install_may_go_whole(tmp_path: Path, name: str, files: list[str]) -> None:
    assert of(make(tmp_path / name, *files)) == ""


@pytest.mark.parametrize(
    ("name", "files", "why"),
    [
        ("dotfiles", ["bin/kelp", "bashrc", ".git/HEAD"], "under version control (.git)"),
        ("old-kelp", ["bin/kelp", "src/.git/HEAD"], "under version control (src/.git)"),
        ("desk", ["bin/kelp", "tides.ods"], "it holds tides.ods"),
        ("scripts", ["bin/kelp", "bin/backup"], "nothing shows that it is one program's: bin/backup"),
        ("quay", ["bin/kelp"], "nothing shows that it is one program's"),
        ("old-kelp", ["bin/kelp", "share/workstation.toml"], "it holds a manifest"),
        ("old-kelp", ["bin/kelp", "notes/"], "it holds notes"),
    ],
)
def test_what_is_more_than_an_install_stays(tmp_path: Path, name: str, files: list[str], why: str) -> None:
    assert why in of(make(tmp_path / name, *files))


def test_what_leads_into_it_or_is_newer_keeps_it(tmp_path: Path) -> None:
    folder = make(tmp_path / "old-kelp", "bin/kelp", "etc/rc")
    link = tmp_path / ".bashrc"
    link.symlink_to(folder / "etc/rc")
    assert ".bashrc is in it, or leads there" in of(folder, link)
    link.unlink()
    later = os.stat(folder / "bin/kelp").st_mtime + 7200
    os.utime(folder / "etc/rc", (later, later))
    assert of(folder) == "etc/rc in it is newer than the program"
    found = held(folder, COMMANDS, ("kelp",), ())
    assert (found.files, found.size, found.beside) == (2, 4, ("etc",))
    assert found.told() == "2 files, 0.0 kB: etc"


def test_what_else_speaks_of_it_is_named_with_its_line(tmp_path: Path) -> None:
    make(tmp_path / "old-kelp", "bin/kelp")
    texts = {
        ".gitconfig": "[core]\n\teditor = ~/old-kelp/bin/kelp\n",
        ".ssh/config": f"Host quay\n  ProxyCommand {tmp_path}/old-kelp/bin/kelp %h\n",
        ".config/systemd/user/tide.service": "[Service]\nExecStart=%h/old-kelp/bin/kelp\n",
        "bin/bulletin": "#!/usr/bin/env -S $HOME/old-kelp/bin/kelp\n",
        ".local/share/applications/kelp.desktop": f"[Desktop Entry]\nExec={tmp_path}/old-kelp/bin/kelp\n",
        ".config/editor/settings.json": f'{{\n  "kelp.path": "{tmp_path}/old-kelp"\n}}\n',
        ".config/environment.d/10.conf": "KELP_HOME=${HOME}/old-kelp\n",
        ".pam_environment": "KELP_HOME DEFAULT=@{HOME}/other\n",
        ".xprofile": ". ~/old-kelp/hook.sh\n",
        ".bash_logout": "~/old-kelp/bin/kelp done\n",
        ".bash_history": "~/old-kelp/bin/kelp\n",
        ".config/other.toml": 'path = "~/old-kelpie"\n# ~/old-kelp\n',
        ".bashrc": ". ~/old-kelp/hook.sh\n",
    }
    for name, text in texts.items():
        make(tmp_path, name).joinpath(name).write_text(text)
    (tmp_path / "bin/kelp").symlink_to("../old-kelp/bin/kelp")
    environment = {"HOME": str(tmp_path), "PATH": "/usr/bin:/bin"}
    found = mentions(
        [tmp_path / "old-kelp"], Machine(locate(environment), environment), [tmp_path / ".bashrc"]
    )
    assert {(each.file, each.line) for each in found if "crontab" not in each.file} == {
        ("~/.gitconfig", 2), ("~/.ssh/config", 2), ("~/.config/systemd/user/tide.service", 2),
        ("~/bin/bulletin", 1),
        ("~/.local/share/applications/kelp.desktop", 2), ("~/.config/editor/settings.json", 2),
        ("~/.config/environment.d/10.conf", 1), ("~/.xprofile", 1), ("~/.bash_logout", 1), ("~/bin/kelp", 0),
    }  # fmt: skip
