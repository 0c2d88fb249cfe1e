"""Another machine over ssh: what is refused before anything is sent, and scripts that every sh reads."""

from __future__ import annotations

import subprocess
import time
from pathlib import Path

import pytest

from tests.conftest import SHELLS
from zesty_anchor.system import remote
from zesty_anchor.system.problem import Problem, UsageProblem
from zesty_anchor.system.remote import Remote, last_line, names_in

SCRIPTS = sorted((Path(remote.__file__).parent / "remote_code").glob("*.sh"))


@pytest.mark.parametrize("host", ["-oProxyCommand=touch x", "", "a b", "a\nb", "a\x1b[m"])
def test_what_ssh_would_take_for_something_else_is_no_host(host: str, tmp_path: Path) -> None:
    with pytest.raises(UsageProblem, match="is not the name of a host"):
        Remote(host, {}, tmp_path)


@pytest.mark.parametrize("folder", ["relative", "/a'b", "/a!b", "/a\\b", "/a\nb"])
def test_a_folder_that_a_login_shell_could_read_otherwise_is_refused(folder: str, tmp_path: Path) -> None:
    with pytest.raises(Problem, match="cannot be written to"):
        Remote("quay-1", {}, tmp_path).put(b"", folder)


@pytest.mark.needs("bash", "ksh", "mksh")
@pytest.mark.parametrize("script", SCRIPTS, ids=[script.stem for script in SCRIPTS])
def test_every_sh_reads_the_scripts(script: Path) -> None:
    assert len(SCRIPTS) == 5
    for shell in ("sh", "bash", "ksh", "mksh"):
        subprocess.run([SHELLS.get(shell, shell), "-n", script], check=True)


def started(base: Path, key: str, waits: bool) -> str:
    values = f"base={base}\nkey={key}\nwords='cat >{base}/got'\ninput={'input' if waits else ''}\n"
    script = next(each for each in SCRIPTS if each.stem == "start").read_text()
    return subprocess.run(
        ["sh", "-s"], input=values + script, capture_output=True, text=True, check=True
    ).stdout


def wait_for(path: Path) -> None:
    for _ in range(600):
        if path.exists():
            return
        time.sleep(0.05)
    raise AssertionError(f"{path} was not made")


def test_work_whose_input_never_came_is_no_obstacle(tmp_path: Path) -> None:
    """The connection was cut after the start, and before the password was handed over."""
    assert started(tmp_path, "one", True) == "started\n"
    assert started(tmp_path, "one", True) == "found\n", "the input may come still"
    assert started(tmp_path, "one", False) == "started\n", "nobody would wait for it for ever"
    wait_for(tmp_path / "run/exit")
    assert started(tmp_path, "two", True) == "started\n"
    assert started(tmp_path, "three", True) == "started\n"
    (tmp_path / "run/input").write_text("tides\n")
    wait_for(tmp_path / "run/exit")
    assert (tmp_path / "got").read_text() == "tides\n" and not (tmp_path / "run/input").exists()
    left = subprocess.run(
        ["pgrep", "-f", f"{tmp_path}/run/work"], capture_output=True, text=True, check=False
    )
    assert left.stdout == ""


def test_lists_of_names_and_the_last_line() -> None:
    assert list(names_in("quay-1\n# a remark\n\n mast-1 # another\n")) == ["quay-1", "mast-1"]
    assert last_line("a\n b \n\n") == "b" and last_line("") == ""


def test_the_configuration_of_a_home_that_is_not_the_login_one(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """ssh itself looks in the home of passwd(5), whatever $HOME says."""
    config = tmp_path / ".ssh/config"
    config.parent.mkdir()
    config.write_text("Host quay-1\n")
    assert remote._of_this_home({"HOME": str(tmp_path)}) == config
    monkeypatch.setattr(remote, "_login_home", lambda: str(tmp_path))
    assert remote._of_this_home({"HOME": str(tmp_path)}) is None
