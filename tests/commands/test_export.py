"""The folder's versions where no shell has read a startup file: a script, a step of a build, cron."""

from __future__ import annotations

import json
import subprocess

import pytest

from tests.conftest import PROGRAMS, Answer, Desk
from zesty_anchor.system.host import login_path

SHELLS = {name: name for name in ("bash", "zsh", "fish", "ksh", "mksh", "tcsh")} | {"sh": "dash"}
pytestmark = pytest.mark.needs(*SHELLS.values())
ODD = 'north "quay", $5 `a` \\day! it\'s *'


def within(desk: Desk, folder: str, *words: str) -> Answer:
    return desk.run(*words, cwd=desk.home / folder)


@pytest.fixture
def pinned(desk: Desk) -> Desk:
    """A home whose project pins kelp 3.6, in a shell that knows nothing of it."""
    (desk.home / "project/deep").mkdir(parents=True)
    desk.write("3.6\n", "project/.kelp-version")
    desk.wants(
        f'[path]\nfirst = ["~/tools"]\nlast = ["~/late"]\n[variables]\nGAUGE = {json.dumps(ODD)}\n'
        'KELP_AT = "{kelp}"\n[shells]\nuse = ["bash"]\n',
        '[runtimes.kelp]\nwant = "4.2.1"\nalso = ["3.6.2"]\n',
    )
    desk.well("provision")
    return desk


@pytest.mark.parametrize("shell", SHELLS)
def test_each_shell_takes_what_is_exported_for_it(pinned: Desk, shell: str) -> None:
    answer = within(pinned, "project/deep", "export", "--shell", shell)
    assert answer.code == 0, answer.err
    seen = subprocess.run(
        [PROGRAMS[SHELLS[shell]], *(["-f"] if shell in ("zsh", "tcsh") else [])],
        input=f"{answer.out}kelp --version\nenv printenv GAUGE KELP_AT PATH\n",
        env={"HOME": str(pinned.home), "PATH": login_path(), "LANG": "C.UTF-8"},
        capture_output=True,
        text=True,
        cwd="/",
        check=False,
    )
    version, gauge, at, path = seen.stdout.splitlines()
    folder = pinned.shelf / "kelp/3.6.2"
    assert (version, gauge, at) == ("kelp 3.6.2", ODD, str(folder)), seen.stderr
    entries = path.split(":")
    assert entries[:2] == [f"{pinned.home}/tools", f"{folder}/bin"] and entries[-1] == f"{pinned.home}/late"


def test_the_default_elsewhere_and_a_version_by_name(pinned: Desk) -> None:
    def at(*words: str) -> str:
        return str(pinned.well("export", *words, "--json").json["variables"]["KELP_AT"])

    assert at().endswith("/4.2.1") and at("kelp=3.6").endswith("/3.6.2")
    assert pinned.run("export", "kelp").code == 2
    again = pinned.well("export", "--json").json["variables"]["PATH"]
    pinned.environment["PATH"] = again
    assert pinned.well("export", "--json").json["variables"]["PATH"] == again, "nothing is put there twice"


def test_a_file_of_lines_holds_what_all_programs_read_alike(pinned: Desk) -> None:
    refused = pinned.run("export", "--dotenv")
    assert refused.code == 1 and "the value of GAUGE has a quote" in refused.err and not refused.out
    pinned.write(pinned.manifest.read_text().replace(json.dumps(ODD), '"north quay, $5 a day"'))
    pinned.well("provision")
    lines = pinned.well("export", "--dotenv").out.splitlines()
    assert lines[0] == "GAUGE='north quay, $5 a day'" and lines[1].startswith("KELP_AT=/")


def test_with_takes_what_the_folder_pins(pinned: Desk) -> None:
    assert within(pinned, "project/deep", "with", "--", "kelp", "--version").out == "kelp 3.6.2\n"
    assert within(pinned, ".", "with", "--", "kelp", "--version").out == "kelp 4.2.1\n"
    assert within(pinned, "project", "with", "--", "sh", "-c", "exit 7").code == 7
    assert within(pinned, ".", "with").code == 2


@pytest.mark.parametrize("words", [("export",), ("with", "--", "kelp", "--version")], ids=["export", "with"])
def test_a_pinned_version_that_is_missing_is_an_error(pinned: Desk, words: tuple[str, ...]) -> None:
    pinned.write("4.1\n", "project/.kelp-version")
    missing = within(pinned, "project/deep", *words)
    assert missing.code == 127 and missing.out == ""
    assert "kelp 4.1 is not installed" in missing.err and "~/project/.kelp-version:1 pins it" in missing.err
    assert "4.2.1" in within(pinned, ".", *words).out, "elsewhere nothing is missing"
    pinned.write("3.6\n", "project/deep/.kelp-version")
    assert "3.6.2" in within(pinned, "project/deep", *words).out, "the nearest pin decides"
    (pinned.home / "project/deep/.kelp-version").unlink()
    installing = (words[0], "--install", *words[1:])
    assert "4.1.0" in within(pinned, "project/deep", *installing).out
    assert "4.1.0" in within(pinned, "project/deep", *words).out


def test_a_requirement_of_another_format_takes_the_newest_that_meets_it(pinned: Desk) -> None:
    requirement = '[[recipes.kelp.requirements]]\nfile = "kelp.mod"\npattern = "^kelp (.*)"\nform = "least"\n'
    pinned.write(pinned.manifest.read_text() + requirement)
    pinned.write("kelp 4.9\n", "project/kelp.mod")
    (pinned.home / "project/.kelp-version").unlink()
    assert within(pinned, "project", "export").code == 127
    assert "5.0.0" in within(pinned, "project", "export", "--install").out
    pinned.write("kelp 9.9\n", "project/kelp.mod")
    none = within(pinned, "project", "with", "--install", "--", "kelp")
    assert none.code == 2 and "kelp.mod:1" in none.err
    (pinned.home / "project/kelp.mod").unlink()
    pinned.write("4.1\n", "project/.kelp-version").chmod(0o666)
    others = within(pinned, "project", "export", "--install")
    assert others.code == 127 and "zesty-anchor switch kelp 4.1" in others.err, others.err


def test_a_pin_that_no_feed_has_is_named_by_its_own_line(pinned: Desk) -> None:
    pinned.write("9.9\n", "project/.kelp-version")
    missing = within(pinned, "project/deep", "with", "--install", "--", "kelp", "--version")
    assert missing.code == 2 and "no version of kelp matches '9.9'" in missing.err
    assert f"{pinned.home}/project/.kelp-version:1" in missing.err and "workstation.toml" not in missing.err


@pytest.mark.parametrize("missing", ["say", "default"])
def test_a_program_without_a_shell_gets_an_error_for_a_pin_that_is_missing(
    pinned: Desk, missing: str
) -> None:
    """As cron, make and an editor start it: by the launcher, with no startup file read."""
    pinned.write(pinned.manifest.read_text().replace("[shells]\n", f'[shells]\nmissing = "{missing}"\n'))
    pinned.well("provision")
    pinned.write("4.1\n", "project/.kelp-version")
    launcher = pinned.home / ".local/share/zesty-anchor/bin/kelp"
    for folder, well in (
        ("project/deep", missing == "default"),
        ("project", missing == "default"),
        (".", True),
    ):
        done = subprocess.run(
            [launcher, "--version"],
            env={"HOME": str(pinned.home), "PATH": login_path()},
            cwd=pinned.home / folder,
            capture_output=True,
            text=True,
            check=False,
        )
        assert (done.returncode, done.stdout) == ((0, "kelp 4.2.1\n") if well else (127, "")), done.stderr
        said = "~/project/.kelp-version:1 wants kelp 4.1, which is not installed; install it with"
        assert (said in done.stderr) is (folder != "."), done.stderr
        assert len(done.stderr.splitlines()) <= 1
