"""What else answers to a command of the manifest: reported, outranked, asked about, removed, and brought
back.
"""

from __future__ import annotations

import hashlib
import json
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

import pexpect
import pytest

from tests.conftest import PROGRAM, SHELLS, Desk, is_root, packed_runtime
from zesty_anchor.demo.home import likeness
from zesty_anchor.demo.wares import pack
from zesty_anchor.system.alternatives import restored
from zesty_anchor.system.host import login_path

# What else answers to kelp counts, and the tests of the demo install a package of it.
pytestmark = [pytest.mark.needs("bash", "zsh"), pytest.mark.sees_system]
STATE = (".local/state/zesty-anchor", ".cache", "workstation.toml")
OLD = "#!/bin/sh\necho kelp 3.1\n"
RC = """alias tides=ls
export KELP_HOME="$HOME/old-kelp"
if [ -d "$KELP_HOME/bin" ]; then
  PATH="$KELP_HOME/bin:$PATH"
fi
export EDITOR=vi
"""
LEFT = "alias tides=ls\nexport EDITOR=vi\n"


@pytest.fixture
def crowded(desk: Desk) -> Desk:
    for file, text in (("old-kelp/bin/kelp", OLD), ("bin/kelp", OLD), ("bin/tide", "#!/bin/sh\n")):
        desk.write(text, file).chmod(0o755)
    for name in (".bashrc", ".zshrc"):
        desk.write(RC + 'PATH="$PATH:$HOME/bin"\n', name)
    return desk


def test_a_report_names_each_with_its_line(crowded: Desk) -> None:
    crowded.wants('[conflicts]\npolicy = "report"\n')
    seen = " ".join(crowded.well("preview").out.split())
    assert "kelp: ~/old-kelp/bin/kelp (the folder ~/old-kelp), by ~/.bashrc:4 is shadowed and stays" in seen
    assert "kelp: ~/bin/kelp" in seen
    assert "Take away" not in seen
    assert crowded.well("provision", "--json").json["proof"]["ok"], "they are outranked"
    assert crowded.shell("bash", "kelp --version", "-i").strip() == "kelp 4.2.1"


def test_removing_takes_install_and_lines_and_undo_brings_them_back(crowded: Desk) -> None:
    crowded.wants('[conflicts]\npolicy = "remove"\n')
    before = likeness(crowded.home, STATE)
    assert '-export KELP_HOME="$HOME/old-kelp"' in crowded.well("preview").out
    crowded.well("provision")
    assert not (crowded.home / "old-kelp").exists()
    assert not (crowded.home / "bin/kelp").exists()
    assert (crowded.home / "bin/tide").exists(), "the folder is for all kinds of commands"
    for name in (".bashrc", ".zshrc"):
        text = (crowded.home / name).read_text()
        own = "".join(line for line in text.splitlines(keepends=True) if "zesty-anchor" not in line)
        assert own == LEFT + 'PATH="$PATH:$HOME/bin"\n'
    assert crowded.well("provision", "--json").json["changes"] == []
    kept = crowded.well("attic", "--json").json["kept"]
    assert {Path(each["was"]).name for each in kept} == {"old-kelp", "kelp"}
    crowded.well("undo")
    assert likeness(crowded.home, STATE) == before


def test_a_file_that_a_startup_file_reads_is_cleaned_as_well(crowded: Desk) -> None:
    """As people keep lines apart: .bashrc reads one file, and that another; one more in fish."""
    crowded.write("alias tides=ls\n[ -r ~/.shell/all.sh ] && . ~/.shell/all.sh\n", ".bashrc")
    crowded.write('for f in one; do . "$HOME/.shell/path.sh"; done\nexport A=1\n', ".shell/all.sh")
    crowded.write('# mine\nexport PATH="$HOME/old-kelp/bin:$PATH"\nexport B=1\n', ".shell/path.sh")
    crowded.write("set -gx C 1\nfish_add_path ~/old-kelp/bin\n", ".config/fish/config.fish")
    crowded.wants('[[conflicts.remove]]\npath = "~/old-kelp"\n[shells]\nuse = ["bash", "zsh", "fish"]\n')
    before = likeness(crowded.home, STATE)
    crowded.well("provision")
    assert (crowded.home / ".shell/path.sh").read_text() == "# mine\nexport B=1\n"
    assert (crowded.home / ".config/fish/config.fish").read_text() == "set -gx C 1\n"
    crowded.well("undo")
    assert likeness(crowded.home, STATE) == before


@pytest.mark.parametrize(("run", "stays"), [("kelp --version | grep never", True), ("false", False)])
def test_the_old_one_stays_where_a_check_fails_that_is_about_it(crowded: Desk, run: str, stays: bool) -> None:
    crowded.wants(f'[conflicts]\npolicy = "remove"\n[[checks]]\nname = "never"\nrun = "{run}"\n')
    answer = crowded.run("provision")
    assert answer.code == 1 and ("the old one stays, because 'never' failed in" in answer.out) == stays, (
        answer.out
    )
    assert (crowded.home / "old-kelp/bin/kelp").exists() == stays
    assert ("KELP_HOME" in (crowded.home / ".bashrc").read_text()) == stays


def test_a_folder_that_is_more_than_the_install_stays(desk: Desk) -> None:
    """Of a person's folder under version control, with things of all kinds, only the command's file goes."""
    for name, text in (
        ("bin/kelp", OLD),
        ("bin/backup", OLD),
        (".git/HEAD", "ref: x\n"),
        ("vimrc", "set nu\n"),
    ):
        desk.write(text, f"dotfiles/{name}").chmod(0o755)
    desk.write('PATH="$HOME/dotfiles/bin:$PATH"\n', ".bashrc")
    desk.write("[core]\n\tpager = ~/dotfiles/bin/kelp\n", ".gitconfig")
    desk.wants('[conflicts]\npolicy = "remove"\n')
    before = likeness(desk.home, STATE)
    seen = " ".join(desk.well("preview").out.split())
    assert (
        "only ~/dotfiles/bin/kelp is removed. ~/dotfiles stays, since it is under version control (.git) (it has 4"
        " files" in seen
    )
    assert 'to remove all of it: [[conflicts.remove]] path = "~/dotfiles"' in seen
    assert "~/.gitconfig:2 still speaks of what goes, and is not changed" in seen
    desk.well("provision")
    assert not (desk.home / "dotfiles/bin/kelp").exists()
    assert (desk.home / "dotfiles/bin/backup").exists()
    assert (desk.home / ".bashrc").read_text().startswith('PATH="$HOME/dotfiles/bin:$PATH"\n')
    desk.well("undo")
    assert likeness(desk.home, STATE) == before


@pytest.mark.parametrize(
    "line",
    [
        'export KELP_HOME=~/old-kelp\nrm -rf "$KELP_HOME/tmp"\n',
        'export KELP_HOME=~/old-kelp\nkelpdir() { rm -rf "$KELP_HOME"/*; }\n',
    ],
)
def test_a_line_that_another_one_reads_stays_and_nothing_is_run_without_it(desk: Desk, line: str) -> None:
    desk.write(OLD, "old-kelp/bin/kelp").chmod(0o755)
    keep = desk.write("high water\n", "tmp/tides")
    desk.write(line, ".bashrc")
    desk.wants('[[conflicts.remove]]\npath = "~/old-kelp"\n')
    told = " ".join(desk.well("preview").out.split())
    assert "~/.bashrc:1 mentions what is removed, and stays, since ~/.bashrc:2 reads KELP_HOME" in told
    desk.well("provision")
    assert (desk.home / ".bashrc").read_text().startswith(line)
    assert keep.exists()


def test_what_is_no_install_is_refused_by_name(desk: Desk) -> None:
    for path in ("~", "~/", "/usr", "/usr/local/bin", "~/.local/bin", "/", "/home", "~/x/.."):
        desk.wants(f'[[conflicts.remove]]\npath = "{path}"\n')
        refused = desk.run("preview")
        assert (refused.code, "is no install" in refused.err, "workstation.toml:" in refused.err) == (
            2,
            True,
            True,
        ), path
    desk.write("", "desk/x")
    desk.wants('[[conflicts.remove]]\npath = "~/desk"\n')
    desk.manifest.rename(desk.home / "desk/workstation.toml")
    refused = desk.run("preview", "-m", "desk/workstation.toml")
    assert (refused.code, "holds the manifest" in refused.err) == (2, True)


def test_an_alias_to_what_goes_is_not_said_to_stay(crowded: Desk) -> None:
    crowded.write(RC + "alias kelp=~/old-kelp/bin/kelp\n", ".bashrc")
    crowded.wants('[conflicts]\npolicy = "remove"\n')
    assert crowded.well("provision", "--json").json["notices"] == []
    crowded.well("undo")
    crowded.write(RC + "alias kelp='echo other'\n", ".bashrc")
    assert "the alias kelp, by ~/.bashrc:7 shadows it and stays; delete that line" in " ".join(
        crowded.well("preview").out.split()
    )


def test_a_line_that_hides_the_new_one_goes_on_trial(crowded: Desk) -> None:
    """An alias to the old install would keep the new one from ever answering; where it does not help, it is
    put back.
    """
    text = RC + "alias kelp=~/old-kelp/bin/kelp\n"
    crowded.write(text, ".bashrc")
    checks = '[[checks]]\nname = "never"\nrun = "false"\n'
    crowded.wants('[[conflicts.remove]]\npath = "~/old-kelp"\n' + checks)
    assert crowded.run("provision").code == 1
    assert "alias kelp=" in (crowded.home / ".bashrc").read_text()
    crowded.wants('[[conflicts.remove]]\npath = "~/old-kelp"\n')
    before = likeness(crowded.home, STATE)
    done = crowded.well("provision", "--json").json
    assert done["proof"]["ok"]
    assert done["notices"] == []
    assert not (crowded.home / "old-kelp").exists()
    assert "alias kelp" not in (crowded.home / ".bashrc").read_text()
    assert crowded.shell("bash", "kelp --version", "-i").strip() == "kelp 4.2.1"
    crowded.well("undo")
    assert likeness(crowded.home, STATE) == before


@pytest.mark.parametrize("missing", ["oar", "kelp"])
def test_another_failure_holds_back_only_what_could_be_missed(crowded: Desk, missing: str) -> None:
    """The old kelp goes although another runtime could not be had; but not where it is the new kelp that is
    lacking.
    """
    (crowded.home / "feed").mkdir()
    (crowded.home / f"feed/{missing}-4.2.1.tar.gz").write_bytes(b"no archive")
    broken = f'[feeds.other]\nkind = "folder"\nurl = "{crowded.home}/feed"\n'
    runtimes = '[runtimes.kelp]\nwant = "4.2.1"\nfeed = "harbour"\n'
    if missing == "kelp":
        runtimes = runtimes.replace("harbour", "other")
    else:
        broken += '[recipes.oar]\ncommands = ["oar"]\n[runtimes.oar]\nwant = "4.2.1"\nfeed = "other"\n'
    crowded.wants('[[conflicts.remove]]\npath = "~/old-kelp"\n' + broken, runtimes)
    text = crowded.manifest.read_text().replace("want = ", 'unpinned = "accepted"\nwant = ')
    crowded.write(text)
    assert crowded.run("provision").code == 1
    assert (crowded.home / "old-kelp").exists() == (missing == "kelp")


def test_a_check_of_another_runtime_does_not_keep_the_old_one(crowded: Desk) -> None:
    """A removal waits for the commands that what goes gave."""
    (crowded.home / "feed").mkdir()
    (crowded.home / "feed/tidy-1.0.tar.gz").write_bytes(packed_runtime("tidy", "1.0"))
    tidy = (
        f'[feeds.other]\nkind = "folder"\nurl = "{crowded.home}/feed"\n[recipes.tidy]\ncommands = ["tidy"]\n'
        '[[checks]]\nname = "never"\nrun = "tidy | grep never"\n'
        '[runtimes.tidy]\nwant = "1.0"\nfeed = "other"\nunpinned = "accepted"\n'
    )
    kelp = '[runtimes.kelp]\nwant = "lts"\nfeed = "harbour"\n'
    crowded.wants('[[conflicts.remove]]\npath = "~/old-kelp"\n' + tidy, kelp)
    answer = crowded.run("provision")
    assert answer.code == 1 and "never" in answer.out, answer.out
    assert not (crowded.home / "old-kelp").exists()
    assert "KELP_HOME" not in (crowded.home / ".bashrc").read_text()


def test_a_person_is_asked_about_each(crowded: Desk) -> None:
    crowded.wants('[conflicts]\npolicy = "ask"\n')
    refused = crowded.run("provision", "--yes")
    assert refused.code == 5
    assert 'answer: [conflicts] policy = "remove", or "outrank"' in refused.err
    environment = {"HOME": str(crowded.home), "PATH": login_path(), "LANG": "C.UTF-8", "TERM": "dumb"}
    child = pexpect.spawn(
        str(PROGRAM), ["provision"], cwd=crowded.home, env=environment, timeout=60, encoding="utf-8"
    )  # type: ignore[arg-type]
    for _ in range(2):
        asked = child.expect(
            [r"old-kelp \([^)]*\) once the[^:]*\? \[y/N\]", r"bin/kelp once the[^:]*\? \[y/N\]"]
        )
        child.sendline("y" if asked == 0 else "n")
    child.expect_exact("verified in")
    child.expect(pexpect.EOF)
    child.close()
    assert child.exitstatus == 0
    assert not (crowded.home / "old-kelp").exists()
    assert (crowded.home / "bin/kelp").exists()


def test_a_stale_variable_goes_by_its_name(crowded: Desk) -> None:
    crowded.wants('[[conflicts.remove]]\nvariable = "KELP_HOME"\n')
    crowded.well("provision")
    assert "KELP_HOME" not in (crowded.home / ".bashrc").read_text()
    assert (crowded.home / "old-kelp").exists()
    crowded.well("undo")
    assert (crowded.home / ".bashrc").read_text() == RC + 'PATH="$PATH:$HOME/bin"\n'


def test_the_attic_is_emptied_after_a_yes(crowded: Desk) -> None:
    crowded.wants('[[conflicts.remove]]\npath = "~/old-kelp"\n')
    crowded.well("provision")
    assert "~/old-kelp" in crowded.well("attic").out
    assert crowded.run("attic", "empty").code == 5
    assert "deleted" in crowded.well("attic", "empty", "--yes").out
    assert crowded.well("attic").out == "The attic is empty.\n"
    taken = crowded.well("undo")
    assert "~/old-kelp is not restored: it was deleted from the attic" in taken.out
    assert "KELP_HOME" in (crowded.home / ".bashrc").read_text()


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("[[conflicts.remove]]\n", "names nothing"),
        ('[[conflicts.remove]]\npath = "~/a"\npackage = "b"\n', "names path and package"),
        ('[conflicts]\npolicy = "delete"\n', '"remove" is expected'),
    ],
)
def test_what_the_manifest_gets_wrong(desk: Desk, text: str, said: str) -> None:
    desk.wants(text)
    refused = desk.run("preview")
    assert refused.code == 2
    assert said in refused.err


@pytest.mark.needs("fish")
def test_what_fish_knows_of_an_old_install_goes_from_all_its_places_and_comes_back(desk: Desk) -> None:
    desk.write(OLD, "old-kelp/bin/kelp").chmod(0o755)
    environment = {"HOME": str(desk.home), "PATH": login_path()}
    typed = "fish_add_path ~/old-kelp/bin ~/bin; set -Ux KELP_HOME ~/old-kelp"
    (desk.home / "bin").mkdir()
    subprocess.run([SHELLS["fish"], "-c", typed], env=environment, check=True)
    shutil.rmtree(desk.home / ".local", ignore_errors=True)
    inside = "if status is-interactive\n  set -gx TIDE high\n{}end\n"
    config = desk.write(inside.format("  set -gx PATH ~/old-kelp/bin $PATH\n"), ".config/fish/config.fish")
    own = desk.write(
        "set -gx PATH $PATH ~/old-kelp/sbin\nset -gx QUAY north\n", ".config/fish/conf.d/quay.fish"
    )
    wrapper = desk.write(
        "function kelp\n  ~/old-kelp/bin/kelp $argv\nend\n", ".config/fish/functions/kelp.fish"
    )
    variables = desk.home / ".config/fish/fish_variables"
    desk.wants('[[conflicts.remove]]\npath = "~/old-kelp"\n[shells]\nuse = ["fish"]\n')
    passing = (*STATE, ".local/share/fish", ".cache/fish")
    before = likeness(desk.home, passing)
    traced = desk.well("trace", "kelp").out
    assert "~/.config/fish/functions/kelp.fish:1" in traced
    assert "fish_variables" in desk.well("trace", "$KELP_HOME").out
    preview = desk.well("preview").out
    assert "functions/kelp.fish:1" in preview, "a function is shown for a decision"
    hidden = desk.run("provision")
    assert hidden.code == 1, "the function hides the new one in fish"
    assert "kelp is a function of the shell" in hidden.out
    assert (desk.home / "old-kelp").is_dir(), "nothing goes before the new one answers"
    desk.well("undo")
    wrapper.unlink()
    before.pop(str(wrapper.relative_to(desk.home)))
    desk.well("provision")
    assert config.read_text() == inside.format("")
    assert own.read_text() == "set -gx QUAY north\n"
    assert "old\\x2dkelp" not in variables.read_text()
    told = desk.shell(
        "fish", "kelp --version; echo $TIDE $QUAY $fish_user_paths; set -q KELP_HOME; or echo none", "-i"
    )
    assert told.split("\n")[:3] == ["kelp 4.2.1", f"high north {desk.home}/bin", "none"]
    desk.well("undo")
    assert likeness(desk.home, passing) == before


@pytest.mark.needs("tcsh")
def test_an_alias_of_tcsh_hides_the_new_one_and_is_named(desk: Desk) -> None:
    desk.write("alias kelp ~/mine/kelp\n", ".tcshrc")
    desk.wants('[shells]\nuse = ["tcsh"]\n')
    answer = desk.run("provision", "--json")
    assert answer.code == 1
    failed = [c for r in answer.json["proof"]["shells"] for c in r["checks"] if not c["ok"]]
    assert {c["name"] for c in failed} == {"kelp is found"}


QUERY = """Name: pager
Link: /usr/bin/pager
Slaves:
 pager.1.gz /usr/share/man/man1/pager.1.gz
Status: manual
Best: /bin/less
Value: /bin/more

Alternative: /bin/less
Priority: 77
Slaves:
 pager.1.gz /usr/share/man/man1/less.1.gz

Alternative: /bin/more
Priority: 50
"""


def test_an_alternative_is_restored_from_what_it_was() -> None:
    install = ("update-alternatives", "--install", "/usr/bin/pager", "pager")
    assert restored(QUERY) == [
        (*install, "/bin/less", "77", "--slave", "/usr/share/man/man1/pager.1.gz", "pager.1.gz",
        "/usr/share/man/man1/less.1.gz"),
        (*install, "/bin/more", "50"),
        ("update-alternatives", "--set", "pager", "/bin/more"),
    ]  # fmt: skip


needs_root = pytest.mark.skipif(
    not is_root() or shutil.which("apt-get") is None,
    reason="removing a package of the system needs root and apt: not run",
)


@needs_root
@pytest.mark.system
def test_a_runtime_of_the_system_is_outranked_or_goes_and_comes_back(
    desk: Desk, make_feed: Callable[..., str]
) -> None:
    """Debian's own lua5.4, which answers to ``lua`` through the alternatives system; the manifest owns that
    command.
    """
    apt = ["apt-get", "install", "-y", "-qq", "lua5.4"]
    subprocess.run(apt, capture_output=True, check=True)
    subprocess.run(["apt-mark", "auto", "lua5.4"], capture_output=True, check=True)
    chosen = Path("/etc/alternatives/lua-interpreter").resolve()
    content = pack("lua", {"bin/lua": (b"#!/bin/sh\necho Lua 9.0\n", 0o755)}, "tar.gz")
    file = {"platform": "any", "url": "lua.tgz", "sha256": hashlib.sha256(content).hexdigest()}
    listed = {
        "format": "zesty-anchor-index/1",
        "runtime": "lua",
        "releases": [{"version": "9.0", "files": [file]}],
    }
    url = make_feed({"lua.tgz": content, "lua.json": json.dumps(listed).encode()})
    recipe = (
        '[recipes.lua]\ncommands = ["lua"]\n[recipes.lua.version]\nrun = "lua -v"\nexpect = "Lua {version}"\n'
    )
    runtime = recipe + '[runtimes.lua]\nwant = "9"\n'
    try:
        desk.wants('[conflicts]\npolicy = "report"\n[shells]\nuse = "all"\n', runtime, url)
        assert "of Debian package lua5.4" in desk.well("trace", "lua").out
        done = desk.well("provision", "--json").json
        assert done["proof"]["ok"], "the manifest's version wins in all shells"
        assert [notice for notice in done["notices"] if "lua5.4" in notice]
        desk.wants('[conflicts]\npolicy = "remove"\n[shells]\nuse = "all"\n', runtime, url)
        assert "apt-get purge" in desk.well("preview").out
        desk.well("provision")
        assert not chosen.exists()
        assert desk.well("provision", "--json").json["changes"] == []
        desk.well("undo")
        assert Path("/etc/alternatives/lua-interpreter").resolve() == chosen
        assert chosen.exists()
        marked = subprocess.run(
            ["apt-mark", "showauto", "lua5.4"], capture_output=True, text=True, check=True
        )
        assert marked.stdout == "lua5.4\n", "it comes back as it was: there because something needs it"
        desk.well("undo")
        desk.wants('[[conflicts.remove]]\nalternative = "lua-interpreter"\n', runtime, url)
        desk.well("provision")
        assert shutil.which("lua", path=login_path()) is None
        desk.well("undo")
        assert Path("/etc/alternatives/lua-interpreter").resolve() == chosen
        desk.wants('[[conflicts.remove]]\npackage = "dpkg"\n', runtime, url)
        refused = desk.run("preview")
        assert refused.code == 1
        assert "the system needs it" in refused.err
    finally:
        subprocess.run(["apt-get", "purge", "-y", "-qq", "lua5.4"], capture_output=True, check=False)


def test_folders_inside_one_another_go_once(crowded: Desk) -> None:
    """The same install by several names, of which the outermost goes, and the link to it."""
    (crowded.home / "kelp-link").symlink_to("old-kelp")
    paths = ("~/old-kelp", "~/old-kelp/bin", "~//old-kelp//bin", "~/kelp-link/bin", "~/kelp-link/")
    crowded.wants("".join(f'[[conflicts.remove]]\npath = "{path}"\n' for path in paths))
    before = likeness(crowded.home, STATE)
    done = crowded.well("provision")
    assert "removed:" in done.out and "failed" not in done.out
    assert not (crowded.home / "old-kelp").exists() and not (crowded.home / "kelp-link").is_symlink()
    assert crowded.well("provision", "--json").json["changes"] == []
    crowded.well("undo")
    assert likeness(crowded.home, STATE) == before


def test_an_install_with_several_folders_of_commands_is_one_decision(desk: Desk) -> None:
    for name in ("bin/kelp", "bin/kelp-keeper", "shims/kelp", "shims/kelp-pack", "versions/3.1/bin/kelp"):
        desk.write(OLD, f".kelp-keeper/{name}").chmod(0o755)
    lines = 'export PATH="$HOME/.kelp-keeper/bin:$PATH"\nexport PATH="$HOME/.kelp-keeper/shims:$PATH"\n'
    desk.write(lines, ".bashrc")
    desk.wants('[conflicts]\npolicy = "ask"\n')
    before = likeness(desk.home, STATE)
    (asked,) = desk.well("preview", "--json").json["questions"]
    assert "remove ~/.kelp-keeper (5 files, " in asked["text"]
    desk.wants('[conflicts]\npolicy = "remove"\n')
    desk.well("provision")
    assert not (desk.home / ".kelp-keeper").exists()
    assert "kelp-keeper" not in (desk.home / ".bashrc").read_text()
    desk.well("undo")
    desk.wants('[conflicts]\npolicy = "ask"\n')
    assert likeness(desk.home, STATE) == before


def test_what_a_prompt_still_runs_stays_and_is_named(crowded: Desk) -> None:
    with (crowded.home / ".bashrc").open("a") as file:
        file.write("PS1='$(~/old-kelp/bin/kelp where) $ '\n")
    crowded.wants('[[conflicts.remove]]\npath = "~/old-kelp"\n')
    seen = " ".join(crowded.well("provision").out.split())
    assert "~/old-kelp is not removed: in bash (interactive) variable PS1 runs a program of it" in seen
    assert (crowded.home / "old-kelp/bin/kelp").exists()
    rc = crowded.home / ".bashrc"
    rc.write_text("".join(row for row in rc.read_text().splitlines(keepends=True) if "PS1" not in row))
    crowded.well("provision")
    assert not (crowded.home / "old-kelp").exists(), "once the line is gone, the next run removes it"
