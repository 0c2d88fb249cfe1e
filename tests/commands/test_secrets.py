"""A secret is named by the file that holds it: every shell has it, and nothing of ours does."""

from __future__ import annotations

import subprocess

import pytest

from tests.conftest import SHELLS, Desk

pytestmark = pytest.mark.needs("bash", "zsh", "fish", "ksh", "mksh", "tcsh")
VALUE = "low tide; $5 'a' \"day\" `x` \\n #1"
ALL = ("bash", "zsh", "fish", "ksh", "mksh", "tcsh")


def with_secret(
    desk: Desk, line: str = 'HARBOUR_TOKEN = "~/.secrets/har bour"\n', value: str = VALUE
) -> None:
    file = desk.write(value + "\nsecond line\n", ".secrets/har bour")
    file.chmod(0o600)
    desk.wants(f'[shells]\nuse = ["bash", "zsh", "fish", "ksh", "mksh", "tcsh"]\n[secrets]\n{line}')


def test_every_shell_has_it_and_nothing_of_ours_does(desk: Desk) -> None:
    with_secret(desk)
    desk.well("provision")
    for name in ALL:
        options = [] if name == "fish" else ["-i"]
        assert name in SHELLS and desk.shell(name, "printenv HARBOUR_TOKEN", *options) == f"{VALUE}\n", name
    checks = [
        check
        for shell in desk.well("verify", "--json").json["shells"]
        for check in shell["checks"]
        if check["name"] == "$HARBOUR_TOKEN is what its file holds"
    ]
    assert len(checks) >= len(ALL) and all(check["ok"] for check in checks)
    desk.well("report", "page.html")
    desk.well("lock")
    assert "HARBOUR_TOKEN" not in desk.well("export").out
    for file in desk.home.rglob("*"):
        if file.is_file() and file.name != "har bour":
            assert b"low tide;" not in file.read_bytes(), file
    (desk.home / "page.html").unlink()
    (desk.home / "workstation.lock").unlink()
    (desk.home / ".secrets/har bour").write_text("another\n")
    assert desk.shell("zsh", "printenv HARBOUR_TOKEN", "-i") == "another\n", "no run is needed for that"
    (desk.home / ".secrets/har bour").write_text(VALUE + "\nsecond line\n")
    desk.well("undo")
    assert desk.shell("zsh", "printenv HARBOUR_TOKEN", "-i") == ""


def test_a_shell_that_has_another_value_fails_without_telling_it(desk: Desk) -> None:
    with_secret(desk)
    desk.write("HARBOUR_TOKEN=old\n", ".profile")
    desk.well("provision")
    file = desk.home / ".bashrc"
    file.write_text(file.read_text() + "export HARBOUR_TOKEN=old\n")
    failed = desk.run("verify", "-v")
    assert failed.code == 4 and "$HARBOUR_TOKEN is what its file holds" in failed.out
    assert "low tide;" not in failed.out + failed.err


@pytest.mark.parametrize(
    ("line", "mode", "what"),
    [
        ('T = "~/.secrets/har bour"\n', 0o640, "others may read the secret"),
        ('T = "~/.secrets/none"\n', 0o600, "cannot be read"),
        ('T = "~/.secrets"\n', 0o600, "is not a file"),
        ('T = "secrets/x"\n', 0o600, "not the path of a file"),
        ('PATH = "~/x"\n', 0o600, "PATH cannot be set"),
        ('T = "~/.secrets/har bour"\n[variables]\nT = "1"\n', 0o600, "is in [variables] too"),
    ],
)
def test_what_cannot_be_a_secret_is_refused_before_anything(
    desk: Desk, line: str, mode: int, what: str
) -> None:
    with_secret(desk, line)
    (desk.home / ".secrets/har bour").chmod(mode)
    refused = desk.run("provision")
    assert refused.code == 2 and what in refused.err, refused.err
    assert f"{desk.home}/workstation.toml:" in refused.err
    if mode == 0o640:
        advised = refused.err.split("next:")[1].strip()
        subprocess.run(["sh", "-c", advised], check=True)
        assert (desk.home / ".secrets/har bour").stat().st_mode & 0o777 == 0o600
    assert not (desk.home / ".local").exists()
