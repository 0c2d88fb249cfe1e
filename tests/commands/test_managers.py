"""Version managers: brought, hooked into every shell, asked, upgraded, moved from, and taken away, by the
built program.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import signal
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pexpect
import pytest

from tests.conftest import ORDINARY, PROGRAM, Answer, Desk, until
from zesty_anchor.demo import home as demo_home
from zesty_anchor.demo.home import likeness
from zesty_anchor.demo.wares import bollard_installer
from zesty_anchor.system.host import login_path
from zesty_anchor.system.process import lives

pytestmark = pytest.mark.needs("bash", "zsh")
RECIPES = Path(demo_home.__file__).parent / "recipes"
STATE = (".local/state/zesty-anchor", ".cache")
KELP = '[runtimes.kelp]\nwant = "4.2"\nthrough = "bollard"\n'
EBB = '[runtimes.ebb]\nwant = "5"\nthrough = "fairlead"\n'


def digest(content: bytes) -> str:
    return f"sha256:{hashlib.sha256(content).hexdigest()}"


@pytest.fixture
def quay(desk: Desk, harbour: str) -> Desk:
    """A home with the demo's recipes and a .bashrc of its own, and the demo's feed."""
    desk.url = harbour
    shutil.copytree(RECIPES, desk.home / ".config/zesty-anchor/recipes")
    desk.write("alias tides=ls\nexport EDITOR=vi", ".bashrc")
    return desk


def wants(
    desk: Desk, runtimes: str = KELP, *, bollard: str = "0.9.4", fairlead: str = "",
    shells: str = '["bash", "zsh"]',
    script: str = "", reviewed: str | None = None,
) -> None:  # fmt: skip
    text = (
        f'as-root = "allowed"\n[shells]\nuse = {shells}\n[feeds.harbour]\nkind = "index"\nurl ='
        f' "{desk.url}"\n'
    )
    if bollard:
        reviewed = reviewed or digest(bollard_installer(bollard))
        script = script or f"{desk.url}bollard-{{version}}-installer.sh"
        text += f'[managers.bollard]\nwant = "{bollard}"\nscript = "{script}"\nreviewed = "{reviewed}"\n'
    text += f'[managers.fairlead]\nwant = "{fairlead}"\n' if fairlead else ""
    desk.write(text + runtimes)


@pytest.mark.needs("bash", "zsh", "fish", "dash", "ksh", "mksh", "tcsh")
def test_two_managers_answer_in_every_shell(quay: Desk) -> None:
    apart = (*STATE, "workstation.toml", ".local/share/fish", ".ksh_history", ".sh_history")
    before = likeness(quay.home, apart)
    wants(quay, KELP + EBB, fairlead="2.0", shells='"all"')
    done = quay.well("provision", "--json").json
    kinds = [change["kind"] for change in done["changes"]]
    assert {"installer-script", "managed-version", "manager-default"} <= set(kinds)
    assert done["proof"]["ok"]
    assert {shell["shell"] for shell in done["proof"]["shells"]} == {
        "bash",
        "zsh",
        "fish",
        "sh",
        "ksh",
        "mksh",
        "tcsh",
    }
    for shell, option in (
        ("bash", "-i"),
        ("zsh", "-i"),
        ("mksh", "-i"),
        ("ksh", "-i"),
        ("fish", "-i"),
        ("tcsh", "-i"),
    ):
        said = quay.shell(shell, "bollard version; fairlead --version; kelp --version; ebb --version", option)
        assert said.split("\n")[:4] == ["bollard 0.9.4", "fairlead 2.0", "kelp 4.2.9", "ebb 5.1"], shell
    assert "function" in quay.shell("zsh", "whence -w bollard", "-i"), "the installer knew only bash"
    assert (quay.home / ".bashrc").read_text().startswith("alias tides=ls\nexport EDITOR=vi\nif [ -r ")
    assert "bollard" not in (quay.home / ".bashrc").read_text(), "its lines stand in our own file"
    assert (quay.home / ".bollard/preferred/kelp").read_text() == "4.2.9\n"
    assert quay.well("provision", "--json").json["changes"] == []
    assert quay.well("verify", "--json").json["ok"]
    quay.well("undo")
    assert likeness(quay.home, apart) == before


def test_what_comes_through_a_manager_is_like_any_other(quay: Desk) -> None:
    wants(quay, KELP + 'also = ["3.1.4"]\n')
    quay.well("provision")
    listed = quay.well("list", "kelp", "--json").json
    assert len(listed["available"]) == 120
    assert listed["active"]["version"] == "4.2.9"
    assert "through bollard" in quay.well("list").out
    assert quay.well("locate", "kelp", "3.1").out.strip() == str(quay.shelf / "kelp/3.1.4")
    assert quay.shell("bash", "za switch kelp 3.1.4; kelp --version", "-i").splitlines()[-1] == "kelp 3.1.4"
    assert "0.9.4" in quay.well("list", "bollard").out
    for words in (("switch", "bollard", "0.9.4", "--default"), ("with", "bollard=0.9.4", "--", "true")):
        assert "is a manager, and is not switched" in quay.run(*words).err
    quay.well("lock")
    assert digest(bollard_installer("0.9.4")) in (quay.home / "workstation.lock").read_text()
    assert 'version = "4.2.9"' in (quay.home / "workstation.lock").read_text()
    wants(quay)
    kept = likeness(quay.home / ".bollard")
    quay.well("remove", "kelp", "3.1.4")
    assert not (quay.home / ".bollard/quay/kelp/3.1.4").exists()
    assert quay.run("remove", "kelp", "4.2.9").code == 1, "the manifest wants it"
    quay.well("undo")
    assert likeness(quay.home / ".bollard") == kept


def test_an_installer_is_reviewed_first(quay: Desk) -> None:
    wants(quay)
    assert "bollard is not installed yet" in quay.run("list", "kelp").err
    text = quay.manifest.read_text()
    script = bollard_installer("0.9.4")
    quay.write("".join(line for line in text.splitlines(keepends=True) if not line.startswith("reviewed")))
    before = likeness(quay.home, (*STATE, "workstation.toml"))
    for words in (("provision",), ("provision", "--yes")):
        refused = quay.run(*words)
        assert refused.code == 5
        assert f'[managers.bollard] reviewed = "{digest(script)}"' in refused.err
    read = quay.well("preview", "--script", "bollard")
    assert read.out.encode() == script
    assert digest(script) in read.err
    assert "Questions before the first change" in quay.well("preview").out
    quay.write(text.replace(digest(script), digest(b"another")))
    refused = quay.run("provision")
    assert refused.code == 2
    assert "is not the one that was reviewed" in refused.err
    assert likeness(quay.home, (*STATE, "workstation.toml")) == before
    assert quay.run("preview", "--script", "kelp").code == 2


@pytest.mark.needs("unshare", "setpriv")
@pytest.mark.skipif(os.geteuid() != 0, reason="to make a root of its own needs root")
def test_where_no_layer_is_allowed_it_is_told_before(quay: Desk, ordinary: Callable[..., Answer]) -> None:
    """In a root of its own nobody may make a user namespace (unshare(2), EPERM)."""
    wants(quay, "")
    assert "no layer over your home" not in ordinary("preview").out
    root = quay.home.parent / "root"
    root.mkdir()
    inside = 'mount --rbind / "$0" && exec chroot "$0" setpriv --reuid={0} --regid={0} --clear-groups "$@"'
    seen = subprocess.run(
        ["unshare", "--mount", "sh", "-c", inside.format(ORDINARY), root, PROGRAM, "preview", "-m", quay.manifest],
        env={"HOME": str(quay.home), "PATH": login_path(), "USER": "tide"}, cwd=quay.home,
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    said = " ".join(seen.stdout.split())
    assert "so there is no layer over your home, and installer of bollard 0.9.4 works in the home" in said


@pytest.mark.sees_system
def test_a_manager_of_the_manifest_is_no_conflict(quay: Desk) -> None:
    """Its function answers to its own command, and what it installed to another."""
    wants(quay, KELP + '[conflicts]\npolicy = "report"\n')
    quay.well("provision")
    assert "stays" not in quay.well("preview").out


def test_a_person_at_the_terminal_reads_it_and_says_yes(quay: Desk) -> None:
    wants(quay)
    quay.write(
        "".join(
            x for x in quay.manifest.read_text().splitlines(keepends=True) if not x.startswith("reviewed")
        )
    )
    environment = {
        "HOME": str(quay.home),
        "PATH": login_path(),
        "LANG": "C.UTF-8",
        "TERM": "dumb",
        "PAGER": "cat",
    }
    child = pexpect.spawn(
        str(PROGRAM), ["provision"], cwd=quay.home, env=environment, timeout=60, encoding="utf-8"
    )  # type: ignore[arg-type]
    child.expect_exact("run it? (y, n, read)")
    child.sendline("read")
    child.expect_exact("It only knows one startup file")
    child.expect_exact("run it? (y, n, read)")
    child.sendline("y")
    child.expect_exact("verified in")
    child.expect(pexpect.EOF)
    child.close()
    assert child.exitstatus == 0


HALF_WAY = """mkdir -p "$HOME/.bollard/holds" "$HOME/.cache/bollard" "$HOME/.config/bollard"
echo '. ~/.bollard/bollard.sh' >>"$HOME/.bashrc"
echo 'export BOLLARD=1' >"$HOME/.bash_profile"
echo 'bollard' >>"$HOME/.inputrc"
sed -i 's/EDITOR/VISUAL/' "$HOME/.bashrc"
rm -f "$HOME/.zshrc"
"""
INSTALLERS = {
    "refuses": ("echo 'bollard is there already; remove it' >&2; exit 1", "remove it"),
    "lacks a tool": ("set -e\nwinch --fetch all", "probably missing: winch"),
    "lacks a tool and does not notice": ("winch --fetch all\necho done", "winch: "),
    "asks": (
        "printf 'Shall I go on? [y/n] '; read -r answer && [ \"$answer\" = y ]",
        "looks like a question",
    ),
    "asks the terminal": ("read -r answer </dev/tty || exit 4", "ended with 4"),
    "fails half way": ("exit 7", "ended with 7"),
    "brings another": ('echo "bollard() { echo bollard 0.8; }" >"$HOME/.bollard/bollard.sh"', "bollard 0.8"),
    "brings nothing": ("echo well", "left no 'bollard.sh'"),
}


@pytest.mark.parametrize("kind", INSTALLERS)
def test_an_installer_that_fails_leaves_the_home_as_it_was(
    quay: Desk, make_feed: Callable[..., str], kind: str
) -> None:
    body, said = INSTALLERS[kind]
    script = f"#!/bin/sh\n{HALF_WAY}{body}\n".encode()
    (quay.home / "dotfiles").mkdir()
    (quay.home / ".bashrc").rename(quay.home / "dotfiles/bashrc")
    (quay.home / ".bashrc").symlink_to("dotfiles/bashrc")
    quay.write("setopt no_beep\n", ".zshrc")
    quay.write("set bell-style none\n", ".inputrc")
    wants(quay, script=make_feed({"install.sh": script}) + "install.sh", reviewed=digest(script))
    before = likeness(quay.home, STATE)
    failed = quay.run("provision")
    assert failed.code == 1
    assert said in " ".join((failed.out + failed.err).split())
    assert "Traceback" not in failed.err
    assert likeness(quay.home, STATE) == before


@pytest.mark.needs("ssh")
def test_a_key_that_is_made_in_the_same_run_is_not_taken_for_the_installer_s(
    quay: Desk, make_feed: Callable[..., str]
) -> None:
    script = bollard_installer("0.9.4") + b"sleep 1\n"
    key = (
        '[identity]\nname = "Tide Desk"\nemail = "desk@tides.example"\nkey = "ed25519"\npassphrase = "none"\n'
    )
    wants(quay, KELP + key, script=make_feed({"install.sh": script}) + "install.sh", reviewed=digest(script))
    before = likeness(quay.home, (*STATE, "workstation.toml"))
    quay.well("provision")
    assert (quay.home / ".ssh/id_ed25519").is_file()
    gone = quay.well("dismantle", "--yes")
    assert "came while" not in gone.out + gone.err
    assert likeness(quay.home, (*STATE, "workstation.toml")) == before


WAYS = ["in a layer", "watched"]
"""How an installer works: in a layer over the home, or in the home where the system allows no layer."""
CLOSED = (
    "import sys; from zesty_anchor.changes.runtimes import foreign; foreign.is_allowed = lambda *_: False;"
    " from zesty_anchor.commands import run; sys.argv[0] = {!r}; run()"
)


def command(way: str) -> list[str]:
    """The words that start the built program; where it is to watch, as if the system allowed no layer."""
    return [str(PROGRAM)] if way == "in a layer" else [sys.executable, "-c", CLOSED.format(str(PROGRAM))]


def started(quay: Desk, way: str, *words: str) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [*command(way), *words], cwd=quay.home, env={"HOME": str(quay.home), "PATH": login_path(),
        "LANG": "C.UTF-8"},
        stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
    )  # fmt: skip


@pytest.mark.parametrize("way", WAYS)
def test_what_an_installer_does_beside_is_taken_back_too(
    quay: Desk, make_feed: Callable[..., str], way: str
) -> None:
    """A file of settings that it changed, a folder that bears its name, and one that does not."""
    more = 'echo "set bollard on" >>~/.inputrc; mkdir -p ~/.cache/bollard ~/moorings; touch ~/moorings/one\n'
    script = bollard_installer("0.9.4") + more.encode()
    quay.write("set bell-style none\n", ".inputrc")
    wants(quay, script=make_feed({"install.sh": script}) + "install.sh", reviewed=digest(script))
    before = likeness(quay.home, (*STATE, ".cache"))
    with started(quay, way, "provision") as running:
        told, _ = running.communicate(timeout=120)
    assert running.returncode == 0, told
    assert "set bollard on" in (quay.home / ".inputrc").read_text()
    assert (quay.home / "moorings/one").is_file()
    (quay.home / ".inputrc").write_text("set bell-style none\nset bollard on\nset mine on\n")
    taken = quay.well("undo").out
    assert "~/.inputrc was changed by someone else too" in taken
    assert (quay.home / ".inputrc").read_text() == "set bell-style none\nset mine on\n"
    assert not (quay.home / ".cache/bollard").exists()
    if way == "watched":
        assert "~/moorings appeared while bollard was running, and may be yours: left in place" in taken
        shutil.rmtree(quay.home / "moorings")
    (quay.home / ".inputrc").write_text("set bell-style none\n")
    assert likeness(quay.home, (*STATE, ".cache")) == before


PERSONS = {"chart.txt": "a chart\n", "bin/notes": "notes\n", ".config/tide/rc": "high\n"}


@pytest.mark.parametrize("end", ["exit 3", "exit 0"], ids=["it fails", "it ends well"])
@pytest.mark.parametrize("way", WAYS)
def test_what_a_person_saves_while_an_installer_runs_stays(
    quay: Desk, make_feed: Callable[..., str], tmp_path: Path, way: str, end: str
) -> None:
    """New files, an alias in a startup file and a line in a file of settings; the installer wrote into both
    before.
    """
    quay.write("set bell-style none\n", ".inputrc")
    more = (
        f'echo "set bollard on" >>~/.inputrc; echo at >{tmp_path}/at\n'
        f"while [ ! -e {tmp_path}/go ]; do sleep 0.05; done\n{end}\n"
    )
    script = bollard_installer("0.9.4") + more.encode()
    wants(quay, script=make_feed({"install.sh": script}) + "install.sh", reviewed=digest(script))
    quay.write("", "bin/there")
    before = likeness(quay.home, (*STATE, ".cache", ".local"))
    with started(quay, way, "provision") as running:
        assert until(lambda: (tmp_path / "at").exists())
        for name, text in PERSONS.items():
            quay.write(text, name)
        with (quay.home / ".bashrc").open("a") as file:
            file.write("\nalias tide=ls\n")
        with (quay.home / ".inputrc").open("r+") as file:
            rest = file.read()
            file.seek(0)
            file.write("set mine on\n" + rest)
        (tmp_path / "go").touch()
        told, _ = running.communicate(timeout=120)
    assert (running.returncode == 0) is (end == "exit 0"), told
    if end == "exit 0":
        assert (
            "set mine on\n" in (quay.home / ".inputrc").read_text()
            and "bollard on" in (quay.home / ".inputrc").read_text()
        )
        told += quay.well("undo").out
    for name, text in PERSONS.items():
        assert (quay.home / name).read_text() == text, told
    assert "alias tide=ls\n" in (quay.home / ".bashrc").read_text(), told
    assert "set mine on" in (quay.home / ".inputrc").read_text()
    if way == "watched":
        assert "~/chart.txt appeared while bollard was running, and may be yours: left in place" in told
    else:
        assert "came while" not in told
    for name in PERSONS:
        (quay.home / name).unlink()
    shutil.rmtree(quay.home / ".config/tide")
    (quay.home / ".bashrc").write_text("alias tides=ls\nexport EDITOR=vi")
    (quay.home / ".inputrc").write_text("set bell-style none\n")
    quay.well("dismantle", "--yes")
    assert likeness(quay.home, (*STATE, ".cache", ".local")) == before


@pytest.mark.parametrize("way", WAYS)
def test_an_alias_that_a_person_saved_before_the_installer_edits_the_file_is_no_hook(
    quay: Desk, make_feed: Callable[..., str], tmp_path: Path, way: str
) -> None:
    """The file that the installer opens has both."""
    first = f"echo at >{tmp_path}/at\nwhile [ ! -e {tmp_path}/go ]; do sleep 0.05; done\n"
    script = first.encode() + bollard_installer("0.9.4")
    wants(quay, script=make_feed({"install.sh": script}) + "install.sh", reviewed=digest(script))
    with started(quay, way, "provision") as running:
        assert until(lambda: (tmp_path / "at").exists())
        with (quay.home / ".bashrc").open("a") as file:
            file.write("\nalias tide=ls\n")
        (tmp_path / "go").touch()
        told, _ = running.communicate(timeout=120)
    assert running.returncode == 0, told
    generated = (quay.home / ".local/share/zesty-anchor/shell/environment.bash").read_text()
    assert "bollard.sh" in generated, "the hook of the manager is there"
    if way == "in a layer":
        assert "alias tide" not in generated
    assert quay.shell("bash", "alias tide", "-i") == "alias tide='ls'\n"


@pytest.mark.parametrize("way", WAYS)
def test_nothing_is_put_into_use_while_a_foreign_program_works(
    quay: Desk, make_feed: Callable[..., str], way: str
) -> None:
    """It would take our line, which it finds in a startup file, for its own, and the generated file would
    read itself.
    """
    waits = b"for n in 1 2 3 4 5 6 7 8; do grep -q 'zesty-anchor' ~/.bashrc ~/.profile && break; sleep 0.5; done\n"
    script = waits + bollard_installer("0.9.4")
    wants(
        quay, KELP + EBB, fairlead="2.0", script=make_feed({"install.sh": script}) + "install.sh",
        reviewed=digest(script),
    )  # fmt: skip
    with started(quay, way, "provision") as running:
        told, _ = running.communicate(timeout=120)
    assert running.returncode == 0, told
    told_before, _, _ = told.partition("run installer of bollard")
    assert "ready in new shells" not in told_before and "~/.bashrc" not in told_before, told
    generated = quay.home / ".local/share/zesty-anchor/shell"
    for name in ("bash", "zsh"):
        hooks = (generated / f"environment.{name}").read_text()
        assert f'. "$HOME/.local/share/zesty-anchor/shell/environment.{name}"' not in hooks
    quay.well("verify")


def test_an_installer_cannot_write_elsewhere_and_does_not_remove_what_is_the_person_s(
    quay: Desk, make_feed: Callable[..., str], tmp_path: Path
) -> None:
    (tmp_path.parent / "elsewhere").mkdir(exist_ok=True)
    more = (
        'rm -rf ~/chart.txt; echo x >/etc/tide-was-here || echo "it is read-only"; rm -f ~/.bashrc; mkdir -p'
        " ~/new/deep; echo 1 >~/new/deep/one\n"
    )
    script = bollard_installer("0.9.4") + more.encode()
    quay.write("a chart\n", "chart.txt")
    wants(quay, script=make_feed({"install.sh": script}) + "install.sh", reviewed=digest(script))
    before = likeness(quay.home, (*STATE, ".cache"))
    answer = quay.well("provision")
    assert not Path("/etc/tide-was-here").exists()
    assert "tried to remove ~/chart.txt, which is not its own: kept" in answer.out + answer.err
    assert (quay.home / "chart.txt").read_text() == "a chart\n"
    assert (quay.home / "new/deep/one").read_text() == "1\n"
    assert not [name for name in os.listxattr(quay.home / "new") if "overlay" in name]
    quay.well("undo")
    assert likeness(quay.home, (*STATE, ".cache")) == before


def test_another_copy_in_its_place_is_not_touched(quay: Desk) -> None:
    quay.write("mine\n", ".bollard/bollard.sh")
    wants(quay)
    before = likeness(quay.home, STATE)
    failed = quay.run("provision")
    assert failed.code == 1
    assert "would find another bollard there already" in failed.out
    assert likeness(quay.home, STATE) == before


@pytest.mark.parametrize("way", WAYS)
def test_cut_off_in_the_middle_the_next_run_puts_the_home_right(
    quay: Desk, make_feed: Callable[..., str], tmp_path: Path, way: str
) -> None:
    at = tmp_path / "at"
    script = f"#!/bin/sh\n{HALF_WAY}echo $$ >{at}; sleep 60\n".encode()
    wants(quay, script=make_feed({"install.sh": script}) + "install.sh", reviewed=digest(script))
    before = likeness(quay.home, (*STATE, ".cache", ".local"))
    with started(quay, way, "provision") as running:
        assert until(lambda: at.exists() and at.read_text() != "")
        installer = int(at.read_text())
        running.send_signal(signal.SIGKILL)
    assert until(lambda: not lives(installer)), "the installer goes on working"
    if way == "watched":
        looker = int(next(quay.home.glob(".local/state/zesty-anchor/attic/*/*/process")).read_text())
        assert until(lambda: not lives(looker))
        quay.write("mine\n", ".bollard/mine")
    else:
        assert likeness(quay.home, (*STATE, ".cache", ".local")) == before, "it wrote into its layer alone"
    wants(quay)
    # What comes after the installer was cut off is the person's, and so is what changes.
    quay.write("mine\n", "bollard-notes")
    with (quay.home / ".bashrc").open("a") as file:
        file.write("\nalias tide=ls\n")
    done = quay.well("provision", "--json").json
    assert done["proof"]["ok"]
    assert (quay.home / "bollard-notes").read_text() == "mine\n"
    assert "alias tide=ls" in (quay.home / ".bashrc").read_text()
    kept = [
        each["kept"] for each in quay.well("attic", "--json").json["kept"] if each["was"].endswith("/mine")
    ]
    assert [Path(each).read_text() for each in kept] == (["mine\n"] if way == "watched" else [])
    gone = quay.well("dismantle", "--yes", "--json").json["kept"]
    if way == "watched":
        assert gone == "~/kept-by-zesty-anchor"
        (mine,) = (quay.home / "kept-by-zesty-anchor").glob("*-mine")
        assert mine.read_text() == "mine\n"
        shutil.rmtree(mine.parent)
    (quay.home / "bollard-notes").unlink()
    assert (quay.home / ".bashrc").read_text().split() == [
        "alias",
        "tides=ls",
        "export",
        "EDITOR=vi",
        "alias",
        "tide=ls",
    ]
    quay.write("alias tides=ls\nexport EDITOR=vi", ".bashrc")
    quay.manifest.unlink()
    after = likeness(quay.home, (*STATE, ".cache", ".local"))
    assert {k: v for k, v in after.items() if k != "workstation.toml"} == {
        k: v for k, v in before.items() if k != "workstation.toml"
    }


def test_what_a_person_put_where_the_manager_writes_is_kept(
    quay: Desk, make_feed: Callable[..., str]
) -> None:
    elsewhere = (
        b'mkdir -p "$HOME/.config/bollard"\necho berth >"$HOME/.config/bollard/rc"\necho 1'
        b' >"$HOME/.bollard-seen"\n'
    )
    script = bollard_installer("0.9.4") + elsewhere
    wants(quay, script=make_feed({"install.sh": script}) + "install.sh", reviewed=digest(script))
    before = likeness(quay.home, (*STATE, ".cache", ".local"))
    quay.well("provision")
    mine = {".bollard/mine": "mine 1\n", ".config/bollard/mine": "mine 2\n", ".bollard-seen": "mine 3\n"}
    for name, text in mine.items():
        quay.write(text, name)
    quay.well("undo")
    kept = {Path(each["was"]): Path(each["kept"]) for each in quay.well("attic", "--json").json["kept"]}
    for name, text in mine.items():
        assert kept[quay.home / name].read_text() == text
    assert likeness(quay.home, (*STATE, ".cache", ".local")) == before, (
        "and all that the installer wrote is gone"
    )


def test_an_upgrade_replaces_every_path_of_the_older_one(quay: Desk) -> None:
    wants(quay, KELP + EBB, fairlead="2.0")
    quay.well("provision")
    before = likeness(quay.home, (*STATE, "workstation.toml"))
    wants(quay, KELP + EBB, bollard="0.9.5", fairlead="2.1")
    done = quay.well("provision", "--json").json
    assert done["proof"]["ok"]
    said = quay.shell(
        "bash", "bollard version; fairlead --version; kelp --version; ebb --version", "-i"
    ).split("\n")
    assert said[:4] == ["bollard 0.9.5", "fairlead 2.1", "kelp 4.2.9", "ebb 5.1"]
    data = quay.home / ".local/share/zesty-anchor"
    assert [p.name for p in sorted((data / "shelf/bollard").iterdir())] == ["0.9.5"]
    assert [p.name for p in sorted((data / "shelf/fairlead").iterdir())] == ["2.1"]
    written = [
        *(data / "shell").iterdir(),
        *(data / "bin").iterdir(),
        quay.home / ".bashrc",
        quay.home / ".zshrc",
    ]
    assert not [file for file in written if "0.9.4" in file.read_text() or "fairlead/2.0" in file.read_text()]
    assert quay.well("provision", "--json").json["changes"] == []
    quay.well("undo")
    assert likeness(quay.home, (*STATE, "workstation.toml")) == before


@pytest.mark.sees_system
def test_a_manager_that_the_manifest_drops_goes_after_a_yes(quay: Desk) -> None:
    wants(quay, KELP + EBB, fairlead="2.0")
    quay.well("provision")
    before = likeness(quay.home, (*STATE, "workstation.toml"))
    wants(quay, EBB, bollard="", fairlead="2.0")
    refused = quay.run("provision")
    assert refused.code == 5
    assert "no longer has the manager bollard" in refused.err
    assert quay.well("provision", "--yes", "--json").json["proof"]["ok"]
    assert not (quay.home / ".bollard").exists()
    assert not (quay.shelf / "bollard/0.9.4").is_symlink()
    for shell in ("bash", "zsh"):
        said = quay.shell(shell, "command -v bollard kelp; echo ${BOLLARD_HOME-none}; ebb --version", "-i")
        assert said.split("\n")[:2] == ["none", "ebb 5.1"], shell
    assert list((quay.home / ".local/state/zesty-anchor/attic").rglob("quay/kelp/4.2.9/bin/kelp"))
    assert quay.well("provision", "--json").json["changes"] == []
    quay.well("undo")
    assert likeness(quay.home, (*STATE, "workstation.toml")) == before


def test_a_runtime_moves_between_a_manager_and_the_shelf(quay: Desk) -> None:
    extras = 'extras = ["kelp-tidy@1.2"]\n'
    wants(quay, '[runtimes.kelp]\nwant = "4.2.1"\n' + extras)
    quay.well("provision")
    before = likeness(quay.home, (*STATE, "workstation.toml"))
    here = quay.shelf / "kelp/4.2.1"
    wants(quay, '[runtimes.kelp]\nwant = "4.2.1"\nthrough = "bollard"\n' + extras)
    assert quay.well("provision", "--json").json["proof"]["ok"]
    assert os.path.realpath(here) == str(quay.home / ".bollard/quay/kelp/4.2.1")
    assert quay.shell("bash", "kelp --version; command -v kelp-tidy", "-i").split() == [
        "kelp", "4.2.1", str(here / "bin/kelp-tidy"),
    ]  # fmt: skip
    wants(quay, '[runtimes.kelp]\nwant = "4.2"\n' + extras)
    assert quay.well("provision", "--json").json["proof"]["ok"]
    assert here.is_dir() and not here.is_symlink()
    assert (here / "bin/kelp-tidy").is_file()
    assert quay.well("provision", "--json").json["changes"] == []
    quay.well("undo")
    quay.well("undo")
    assert likeness(quay.home, (*STATE, "workstation.toml")) == before


def test_moving_keeps_the_version_where_the_other_has_it(quay: Desk) -> None:
    wants(quay, '[runtimes.kelp]\nwant = "lts"\n')
    quay.well("provision")
    wants(quay, '[runtimes.kelp]\nwant = ">=4"\nthrough = "bollard"\n')
    quay.well("provision")
    assert quay.shell("bash", "kelp --version", "-i").strip() == "kelp 4.2.9"
    wants(quay, '[runtimes.kelp]\nwant = ">=4"\n')
    assert quay.well("provision", "--json").json["proof"]["ok"], (
        "the feed has no 4.2.9: the newest that fits comes"
    )
    assert quay.shell("bash", "kelp --version", "-i").strip() == "kelp 5.0.0"


def test_what_a_manager_cannot_do_is_told(quay: Desk) -> None:
    wants(quay, '[runtimes.kelp]\nwant = "9"\nthrough = "bollard"\n')
    failed = quay.run("provision")
    assert failed.code == 1
    assert "no version of kelp matches '9'" in failed.out
    assert quay.shell("bash", "bollard version", "-i").strip() == "bollard 0.9.4", (
        "the manager itself is well"
    )
    wants(quay, '[recipes.oar]\ncommands = ["oar"]\n[runtimes.oar]\nwant = "1"\nthrough = "bollard"\n')
    failed = quay.run("provision")
    assert failed.code == 1
    assert "nobody here knows oar" in failed.out + failed.err


@pytest.mark.needs("git")
def test_one_from_a_repository_with_a_hook_that_puts_its_own_first(quay: Desk, tmp_path: Path) -> None:
    """A function from a tag of git, and a hook whose folder holds another kelp: ours still answers."""
    repository = tmp_path / "rope"
    files = {
        "rope.sh": (
            "rope() { case $1 in offers) echo 1.0;; take) mkdir -p $ROPE/$2/bin; "
            "printf '#!/bin/sh\\necho kelp 1.0\\n' >$ROPE/$2/bin/kelp; chmod 755 $ROPE/$2/bin/kelp;; "
            "at) [ -d $ROPE/$2 ] && echo $ROPE/$2;; *) echo rope 3;; esac; }\n"
        ),
        "first/kelp": "#!/bin/sh\necho kelp 0.1\n",
    }
    for name, text in files.items():
        (repository / name).parent.mkdir(parents=True, exist_ok=True)
        (repository / name).write_text(text)
        (repository / name).chmod(0o755)
    for words in (
        ["init", "-q"],
        ["add", "."],
        ["-c", "user.name=t", "-c", "user.email=t@x", "commit", "-qm", "x"],
        ["tag", "v3"],
    ):
        subprocess.run(["git", "-C", str(repository), *words], check=True)
    recipes = (
        '[recipes.kelp]\ncommands = ["kelp"]\n[recipes.kelp.version]\nrun = "kelp --version"\nexpect = "kelp'
        ' {version}"\n[recipes.rope]\ncommands = ["rope"]\nvariables = { ROPE = "{home}"'
        ' }\n[recipes.rope.manager]\nfunction = "rope.sh"\nlist = "rope offers"\ninstall = "rope take'
        ' {version}"\nlocate = "rope at {version}"\n[recipes.rope.hooks]\nsh = \'. {folder}/rope.sh; export'
        " PATH={folder}/first:$PATH'\n"
    )
    wants(quay, recipes + f'[feeds.yard]\nkind = "git"\nurl = "{repository}"\n[managers.rope]\nwant = "3"\nfeed = "yard"\n'
          '[runtimes.kelp]\nwant = "1"\nthrough = "rope"\n', bollard="")  # fmt: skip
    before = likeness(quay.home, STATE)
    assert quay.well("provision", "--json").json["proof"]["ok"]
    for shell, options in (("bash", "-i"), ("bash", "-l"), ("zsh", "-i"), ("zsh", "-l")):
        assert quay.shell(shell, "rope; kelp", options).split("\n")[:2] == ["rope 3", "kelp 1.0"], (
            shell,
            options,
        )
    quay.well("undo")
    assert likeness(quay.home, STATE) == before


def test_a_clash_names_both_lines(quay: Desk) -> None:
    wants(quay, '[recipes.buoy]\ncommands = ["bollard"]\n[runtimes.buoy]\nwant = "1"\n' + KELP)
    refused = quay.run("preview")
    assert refused.code == 2
    lines = quay.manifest.read_text().splitlines()
    for table in ("[runtimes.buoy]", "[managers.bollard]"):
        assert f"workstation.toml:{lines.index(table) + 1} {table}" in refused.err.replace("\n", " ")


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('[runtimes.kelp]\nwant = "4"\nthrough = "bolard"\n', "did you mean 'bollard'?"),
        ('[runtimes.kelp]\nwant = "4"\nthrough = "bollard"\nfeed = "harbour"\n', "so no feed is asked"),
        (
            '[managers.kelp]\nwant = "1"\n[runtimes.kelp]\nwant = "4"\n',
            "is a runtime of this manifest, and a manager",
        ),
        ('[managers.rope]\nwant = "latest"\nscript = "http://127.0.0.1/x"\n', "a script brings one version"),
        ('[managers.rope]\nwant = "system"\n', "left to the system"),
        (
            '[recipes.rope]\ncommands = ["rope"]\n[managers.rope]\nwant = "1"\n',
            "does not say how it is asked",
        ),
    ],
)
def test_what_the_manifest_gets_wrong(quay: Desk, text: str, said: str) -> None:
    wants(quay, text)
    refused = quay.run("preview")
    assert refused.code == 2, refused.err
    assert said in refused.err.replace("\n", " ")


def test_a_runtime_whose_recipe_runs_an_installer_is_refused(quay: Desk) -> None:
    wants(quay, '[runtimes.bollard]\nwant = "0.9.4"\n', bollard="")
    answer = quay.run("preview")
    assert answer.code == 2 and "write it as [managers.bollard]" in answer.err
    line = quay.manifest.read_text().splitlines().index("[runtimes.bollard]") + 1
    assert f"workstation.toml:{line}" in answer.err


LOST = {
    "all of it": "rm -r .bollard",
    "its program": "rm -r .bollard/bin 2>/dev/null || rm .bollard/bollard*",
    "the version that it brought": "rm -r .bollard/quay/kelp/4.2.9",
    "our link to the version": "rm .local/share/zesty-anchor/shelf/kelp/4.2.9",
    "our link to the manager": "rm -r .local/share/zesty-anchor/shelf/bollard",
    "the shelf": "rm -r .local/share/zesty-anchor/shelf",
}


@pytest.mark.parametrize("lost", LOST)
def test_what_a_manager_lost_is_found_and_comes_back(quay: Desk, lost: str) -> None:
    wants(quay)
    quay.well("provision")
    subprocess.run(["/bin/sh", "-ec", LOST[lost]], cwd=quay.home, check=True)
    told = quay.run("verify", "--json")
    assert told.code in (4, 6), told.out
    failed = [c for s in told.json["shells"] for c in s["checks"] if not c["ok"]]
    assert all(check["cause"] and check["fix"] for check in failed)
    assert failed or told.json["drift"]
    quay.well("provision")
    assert quay.well("verify", "--json").json["state"] == "ok"
    assert quay.shell("bash", "bollard version; kelp --version", "-i") == "bollard 0.9.4\nkelp 4.2.9\n"
