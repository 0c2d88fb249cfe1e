"""What a command runs where no shell of the person's is started, and what to write there."""

from __future__ import annotations

import json
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import ORDINARY, PROGRAMS, Answer, Desk, is_root
from zesty_anchor.system.host import login_path

pytestmark = pytest.mark.needs("bash")


@pytest.mark.sees_system
def test_cron_and_sudo_are_named_with_what_to_write(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "4.2.1"\n')
    assert desk.run("trace", "kelp", "--json").json["elsewhere"] == [], "it is not installed yet"
    desk.well("provision")
    launcher = "~/.local/share/zesty-anchor/bin/kelp"
    cron, *others = desk.well("trace", "kelp", "--json").json["elsewhere"]
    assert cron == {"where": "cron", "path": "", "instead": launcher, "lasting": ""}, "not of this home"
    found = {each["where"]: each for each in others}
    assert ("sudo" in found) == bool(shutil.which("sudo", path=login_path()))
    assert found["ssh to bash"]["path"].endswith("/bin/kelp") and found["ssh to bash"]["instead"] == ""
    assert found["the desktop"]["path"].endswith("/bin/kelp")
    for shell in ("ksh", "mksh"):
        assert found[f"ssh to {shell}"]["path"] == "", "they read nothing for a command (ksh(1), Invocation)"
        assert found[f"ssh to {shell}"]["instead"] == f"ssh HOST {launcher}"
    shown = desk.well("trace", "kelp").out
    assert "Outside your terminals" in shown and f"cron not found {launcher}" in " ".join(shown.split())
    as_cron = subprocess.run(
        ["/bin/sh", "-c", f"{launcher} --version"],
        env={"HOME": str(desk.home), "PATH": "/usr/bin:/bin", "SHELL": "/bin/sh", "LOGNAME": "desk"},
        capture_output=True,
        text=True,
        check=True,
        cwd="/",
    )
    assert as_cron.stdout == "kelp 4.2.1\n"
    assert desk.well("trace", "$HOME", "--json").json["elsewhere"] == []


@pytest.mark.needs("ksh", "mksh")
def test_preview_names_where_the_commands_are_not_found(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash", "ksh"]\n[elsewhere]\ncron = true\n')
    shown = " ".join(desk.well("preview").out.split())
    assert "not found by" in shown and "ssh to ksh (what to write there: zesty-anchor trace kelp)" in shown
    assert "cron, " not in shown


@pytest.mark.needs("setpriv", "crontab")
@pytest.mark.system
@pytest.mark.skipif(not is_root(), reason="to make a user needs root")
def test_jobs_of_the_crontab_find_the_commands(desk: Desk, ordinary: Callable[..., Answer]) -> None:
    def text() -> str:
        return ordinary("-l", program="crontab").out

    def install(jobs: Path) -> None:  # crontab(1) takes a short name only, or its standard input
        assert ordinary("-c", f"crontab - <'{jobs}'", program="/bin/sh").code == 0

    desk.wants('[shells]\nuse = ["bash"]\n[elsewhere]\ncron = true\n')
    skipped = ordinary("provision")
    assert "this HOME is not your home in passwd(5)" in skipped.out, skipped.out + skipped.err
    user = ["useradd", "-o", "-M", "-u", str(ORDINARY), "-d", str(desk.home), "tide-cron"]
    subprocess.run(user, check=True, capture_output=True)
    try:
        jobs = desk.write("# jobs\n0 5 * * * date\n", "jobs")
        install(jobs)
        assert "your crontab" in ordinary("preview").out
        assert ordinary("provision").code == 0
        path = f"{desk.home}/.local/share/zesty-anchor/bin:/usr/bin:/bin"
        assert text().endswith(f"\nPATH={path}\n# jobs\n0 5 * * * date\n")
        as_cron = ordinary("-c", f"cd / && PATH={path} kelp --version", program="/bin/sh")
        assert as_cron.out == "kelp 4.2.1\n", as_cron.err
        assert "Nothing to do" in ordinary("preview").out
        cron = json.loads(ordinary("trace", "kelp", "--json").out)["elsewhere"][0]
        assert cron["where"] == "cron" and cron["instead"] == "" and cron["path"].endswith("/bin/kelp")
        later = desk.write(text().replace("0 5", "0 6"), "jobs")
        install(later)
        assert ordinary("undo").code == 0
        assert text() == "# jobs\n0 6 * * * date\n"
        assert ordinary("-", program="crontab").code == 0, "an empty one"
        own = desk.write("PATH=/usr/bin\n0 5 * * * date\n", "jobs")
        install(own)
        assert "line 1 of your crontab sets PATH" in ordinary("provision").out
        assert text() == own.read_text()
        assert ordinary("-r", program="crontab").code == 0
        assert ordinary("provision").code == 0
        assert text().count("\n") == 2
        desk.wants('[shells]\nuse = ["bash"]\n[elsewhere]\ncron = false\n')
        assert ordinary("provision").code == 0
        assert text() == ""
        assert ordinary("undo").code == 0
        assert text().count("\n") == 2
    finally:
        subprocess.run(["userdel", "tide-cron"], check=False, capture_output=True)
        (Path("/var/spool/cron/crontabs") / "tide-cron").unlink(missing_ok=True)


@pytest.mark.needs("sudo")
@pytest.mark.system
@pytest.mark.skipif(not is_root(), reason="to write to /usr/local/bin needs root")
def test_root_runs_only_what_root_alone_can_change(desk: Desk) -> None:
    file = Path("/usr/local/bin/kelp")
    assert not file.exists()

    def sudo() -> subprocess.CompletedProcess[str]:
        return subprocess.run([PROGRAMS["sudo"], "kelp", "--version"], capture_output=True, text=True,
        check=False, cwd="/")  # fmt: skip

    wants = '[shells]\nuse = ["bash"]\n[elsewhere]\nsudo = ["kelp", "tidal"]\n'
    desk.wants(wants)
    before = desk.likeness()
    try:
        done = desk.well("provision")
        assert "sudo is skipped for tidal: no version of the manifest has it" in done.out
        assert file.stat().st_mode & 0o777 == 0o755
        assert sudo().stdout == "kelp 4.2.1\n"
        assert {"where": "sudo", "path": str(file), "instead": "", "lasting": ""} in desk.well(
            "trace", "kelp", "--json"
        ).json["elsewhere"]
        assert desk.well("verify").code == 0
        for place in (desk.home, desk.shelf):
            place.chmod(0o777)
            refused = sudo()
            assert (refused.returncode, refused.stdout) == (126, "")
            assert f"others can change {place}" in refused.stderr
            assert "root would run files that others can change" in desk.run("preview").out
            place.chmod(0o755)
        as_another = ["setpriv", f"--reuid={ORDINARY}", f"--regid={ORDINARY}", "--clear-groups", str(file)]
        other = subprocess.run(as_another, capture_output=True, text=True, check=False, cwd="/")
        assert (other.returncode, other.stdout) == (127, "")
        desk.wants(wants.replace('["kelp", "tidal"]', "[]"))
        desk.well("provision")
        assert not file.exists()
        desk.well("undo")
        assert sudo().stdout == "kelp 4.2.1\n"
        file.write_text("#!/bin/sh\necho mine\n")
        assert f"{file} stays as somebody wrote it since" in desk.well("undo").out
        desk.wants(wants)
        assert f"{file} is there already, and is not ours" in desk.well("provision").out
        assert sudo().stdout == "mine\n"
        desk.well("undo")
        assert desk.likeness() == before
    finally:
        file.unlink(missing_ok=True)
