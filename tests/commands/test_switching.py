"""Choosing versions, in real shells with a person's own things in them."""

from __future__ import annotations

import re
import subprocess
from pathlib import Path

import pytest

from tests.commands.conftest import GUARD
from tests.commands.test_contexts import FOLLOWING, environment, interactive
from tests.conftest import PROGRAM, PROGRAMS, Answer, Desk
from zesty_anchor.demo.home import likeness

pytestmark = pytest.mark.needs("bash", "zsh", "fish", "ksh", "mksh")
KORN = ("bash", "zsh", "ksh", "mksh")


def versions(text: str) -> list[str]:
    return re.findall(r"^(?:\S*[#%>] )*kelp (\d\S+)$", text, re.MULTILINE)


@pytest.mark.parametrize("shell", FOLLOWING)
def test_entering_and_leaving_folders(settled: Desk, shell: str) -> None:
    settled.write("# inner\n4.1\n", "project/deep/.kelp-version")
    lines = [
        "kelp --version",  # default
        "cd project; kelp --version",
        "cd deep; kelp --version",
        "cd ..; kelp --version",
        "cd /; kelp --version",
        f"cd {settled.home}/project/deep; cd {settled.home}; kelp --version",
        "mkdir gone; echo 4.1 >gone/.kelp-version; cd gone; kelp --version; rm -r ../gone",
        "kelp --version; cd ..; kelp --version",
        "mkdir -p fresh; cd fresh; kelp --version",
        "echo 3.6 >.kelp-version",
        "kelp --version",  # seen at the prompt
        "sleep 0.05; echo 4.1 >.kelp-version",
        "kelp --version",
        "rm .kelp-version",
        "kelp --version; cd ..; rm -r fresh",
    ]
    if shell in ("bash", "zsh", "fish"):
        lines += ["pushd project >/dev/null; kelp --version", "popd >/dev/null; kelp --version"]
    # fish shows no prompt where it reads no terminal; the event is the same.
    between = "\nemit fish_prompt\n" if shell == "fish" else "\n"
    seen = versions(interactive(settled, shell, between.join(lines), {}))
    (settled.home / "project/deep/.kelp-version").unlink()
    one, two, three = "4.2.1", "3.6.2", "4.1.0"
    walk = [one, two, three, two, one, one, three]
    # In a folder that has vanished nothing can be said; back in the home it is the default.
    assert seen[:7] == walk
    assert seen[8:13] == [one, one, two, three, one]
    if shell in ("bash", "zsh", "fish"):
        assert seen[13:] == [two, one]


@pytest.mark.needs("strace")
@pytest.mark.parametrize("shell", FOLLOWING)
def test_our_files_are_read_once_however_often_a_folder_is_left(settled: Desk, shell: str) -> None:
    """To read the second one again costs more than all the rest of a change of folders."""
    trace = settled.home.parent / "trace"
    rounds = "; ".join(["cd project; cd .."] * 5)
    subprocess.run(
        ["strace", "-f", "-qq", "-e", "trace=openat", "-o", trace, PROGRAMS[shell], "-i", "-c", rounds],
        cwd=settled.home, env=environment(settled), stdin=subprocess.DEVNULL, capture_output=True, check=True,
    )  # fmt: skip
    opened = re.findall(r'zesty-anchor/shell/([\w.]+)", \S+\) = \d', trace.read_text())
    assert opened.count(f"follow.{shell}") == 1, opened
    assert opened.count(f"environment.{shell}") <= 2, "zsh reads it in .zshenv, and again at its end"


@pytest.mark.parametrize("shell", FOLLOWING)
def test_what_a_folder_came_to_is_not_taken_for_what_it_is_now(settled: Desk, shell: str) -> None:
    """Shells keep what the last pin came to: each change of it, and each other file, must still count."""
    settled.write("3.6\n", "known/.kelp-version")
    (settled.home / "known/deep").mkdir()
    steps = [
        ("cd known; kelp --version", "3.6.2"),
        ("cd ..; kelp --version", "4.2.1"),
        ("cd known; kelp --version; echo home=$KELP_AT=", "3.6.2"),
        ("cd deep; kelp --version", "3.6.2"),
        ("cd ../..; kelp --version; echo home=$KELP_AT=", "4.2.1"),
        ("sleep 0.05; echo 4.1 >known/.kelp-version; cd known; kelp --version; cd ..", "4.1.0"),
        ("cd known; kelp --version; cd ..", "4.1.0"),
        (
            (
                "touch -d '2026-01-01 00:00' known/.kelp-version; echo 3.6 >renamed; touch -r"
                " known/.kelp-version renamed"
            ),
            None,
        ),
        ("mv renamed known/.kelp-version; touch -d '2025-01-01 00:00' known/.kelp-version", None),
        ("cd known; kelp --version; cd ..", "3.6.2"),
        (
            (
                "printf '[runtimes.kelp]\\nwant = \"4.1\"\\n' >known/workstation.toml; cd known; kelp"
                " --version; cd .."
            ),
            "4.1.0",
        ),
        ("rm known/workstation.toml; cd known; kelp --version; cd ..", "3.6.2"),
        ("cd known", None),
        ("za switch kelp 4.1; kelp --version", "4.1.0"),
        ("cd ..; cd known; kelp --version", "4.1.0"),
        ("za switch kelp --forget; kelp --version", "3.6.2"),
        ("cd ..; rm known/.kelp-version; cd known; kelp --version; cd ..", "4.2.1"),
        ("echo 4.1 >known/.kelp-version; cd known; kelp --version; cd ..", "4.1.0"),
        ("kelp --version; rm -r known", "4.2.1"),
    ]
    between = "\nemit fish_prompt\n" if shell == "fish" else "\n"
    shown = interactive(settled, shell, between.join(line for line, _ in steps), {})
    assert versions(shown) == [version for _, version in steps if version], shown
    assert re.findall(r"home=\S*/kelp/(\S+)=", shown) == ["3.6.2", "4.2.1"]


@pytest.mark.parametrize("shell", [*FOLLOWING, "tcsh"])
def test_a_session_lasts_until_it_is_forgotten(settled: Desk, shell: str) -> None:
    lines = (
        "za switch kelp 4.1\nkelp --version\ncd project\nkelp --version\nza switch kelp --forget\nkelp"
        " --version\nza switch kelp"
    )
    shown = interactive(settled, shell, lines, {})
    assert versions(shown) == ["4.1.0", "4.1.0", "3.6.2"]
    assert "kelp 3.6.2 is active here: project, by ~/project/.kelp-version:1" in shown
    assert "kelp 5.0.0" not in interactive(settled, shell, "za switch kelp 5\nkelp --version", {})


def test_a_session_is_refused_where_no_shell_could_keep_it(settled: Desk) -> None:
    answer = settled.run("switch", "kelp", "4.1", "--session")
    assert answer.code == 2 and "environment." in answer.err
    assert settled.run("switch", "kelp", "4.1").code == 2
    assert "did you mean 'kelp'" in settled.run("switch", "kepl", "4.1", "--project").err


def within(desk: Desk, folder: str, *words: str, **more: str) -> Answer:
    done = subprocess.run(
        [str(PROGRAM), *words], cwd=desk.home / folder, env=environment(desk, **more), capture_output=True,
        text=True,
        stdin=subprocess.DEVNULL, timeout=60, check=False,
    )  # fmt: skip
    return Answer(done.returncode, done.stdout, done.stderr)


def test_a_project_is_pinned_where_it_is_pinned_already(settled: Desk) -> None:
    folder = settled.home / "other/sub"
    folder.mkdir(parents=True)
    assert "written" in within(settled, "other", "switch", "kelp", "4.1", "--project").out
    assert (folder.parent / ".kelp-version").read_text() == "4.1\n"
    (folder.parent / ".kelp-version").write_bytes(b"# why: caf\xe9\r\n 4.1  # until spring\r\n")
    assert within(settled, "other/sub", "switch", "kelp", "3.6", "--project").code == 0
    assert (folder.parent / ".kelp-version").read_bytes() == b"# why: caf\xe9\r\n 3.6  # until spring\r\n"
    settled.write('# ours\n[runtimes]\nkelp = { want = "4.1" } # x\n', "other/sub/workstation.toml")
    assert within(settled, "other/sub", "switch", "kelp", "4.2", "--project").code == 0
    assert (folder / "workstation.toml").read_text() == '# ours\n[runtimes]\nkelp = { want = "4.2" } # x\n'
    listed = within(settled, "other/sub", "list", "--json").json["runtimes"][0]
    assert listed["active"] == {
        "version": "4.2.1",
        "scope": "project",
        "decided_by": "~/other/sub/workstation.toml:3",
    }
    assert within(settled, "other/sub", "locate", "kelp").out.strip() == str(settled.shelf / "kelp/4.2.1")
    assert within(settled, "other", "switch", "kelp", "--project", "--forget").code == 0
    assert not (folder.parent / ".kelp-version").exists()
    assert "names" not in within(settled, "other", "switch", "kelp", "--project", "--forget").err


def test_one_command_with_chosen_versions(settled: Desk) -> None:
    answer = within(settled, "project", "with", "kelp=4.1", "--", "kelp-env")
    assert answer.out == "4.1.0|north quay, $5 a day|4.1.0\n"
    assert within(settled, "project", "with", "kelp=4.1", "sh", "-c", "kelp --version; exit 7").code == 7
    for words, code in (
        (["kelp=4.1"], 2),
        (["kelp=5", "--", "true"], 1),
        (["kelp=^4", "--", "true"], 2),
        (["kelp=4.1", "--", "no-such"], 127),
    ):
        assert within(settled, ".", "with", *words).code == code


@pytest.mark.sees_system
def test_trace_says_who_answers_and_what_decided(settled: Desk) -> None:
    traced = within(settled, "project", "trace", "kelp", "--json").json
    kinds = {(a["kind"], a["owner"]): (a["wins_in"], a["hidden_in"]) for a in traced["answers"]}
    assert kinds["file", "zesty-anchor (kelp 4.2.1)"][0][:2] == ["bash interactive", "zsh interactive"]
    assert "zsh not interactive" in kinds["launcher", "zesty-anchor"][0]
    assert traced["decided"]["version"] == "3.6.2"
    assert within(settled, ".", "trace", "no-such-command").code == 1
    answer = within(settled, ".", "trace", "$GAUGE").out
    assert "by the manifest" in answer


@pytest.mark.parametrize("shell", FOLLOWING)
def test_a_pin_that_is_not_installed_is_told_once(settled: Desk, shell: str) -> None:
    settled.write("5.0\n", "missing/.kelp-version")
    (settled.home / "missing/sub").mkdir(exist_ok=True)
    words = [PROGRAMS[shell], "-i"]
    lines = "cd missing\nkelp --version\ncd sub\ncd ..\ncd /\ncd -\nkelp --version\nexit\n"
    done = subprocess.run(
        words,
        cwd=settled.home,
        env=environment(settled),
        input=lines,
        capture_output=True,
        text=True,
        timeout=60,
        check=False,
    )
    told = (
        "~/missing/.kelp-version:1 wants kelp 5.0, which is not installed; install it with: zesty-anchor"
        " provision"
    )
    assert done.stderr.count(told) == 1
    assert versions(done.stdout) == ["4.2.1", "4.2.1"]


def test_a_project_brings_its_versions_by_a_provisioning(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    desk.write('title = "Soundings"\n[runtimes.kelp]\nwant = "5"\n', "project/workstation.toml")
    assert "kelp 5.0.0" in within(desk, "project", "preview").out
    assert "1 change done" in within(desk, "project", "provision").out
    assert "active here: project" in within(desk, "project", "switch", "kelp").out
    assert within(desk, "project", "provision", "--json").json["changed"] == 0
    assert versions(interactive(desk, "bash", "cd project\nkelp --version", {})) == ["5.0.0"]
    refused = within(desk, "project", "remove", "kelp", "4.2.1")
    assert refused.code == 1, "the machine's manifest wants it"
    assert within(desk, ".", "remove", "kelp", "5.0.0").code == 5, "a project pins it"
    assert within(desk, ".", "remove", "kelp", "5.0.0", "--yes").code == 0
    assert versions(interactive(desk, "bash", "cd project\nkelp --version", {})) == ["4.2.1"]


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_an_open_shell_brings_no_trace_back(desk: Desk, shell: str) -> None:
    desk.wants(f'[shells]\nuse = ["{shell}"]\n')
    (desk.home / ".config/fish").mkdir(parents=True)
    quiet = {"HISTFILE": "/dev/null", "fish_history": ""}
    interactive(desk, shell, "", quiet)  # what the shell makes for itself is there before
    before = likeness(desk.home)
    desk.well("provision")
    (desk.home / "project").mkdir()
    lines = (
        "echo 5 >project/.kelp-version; cd project; za dismantle --yes; cd ..; cd project; cd ..; rm -r"
        " project"
    )
    interactive(desk, shell, lines, quiet)
    assert likeness(desk.home) == before


def test_missing_may_be_installed_on_entering(desk: Desk) -> None:
    import pexpect

    desk.wants('[shells]\nuse = ["bash"]\nmissing = "install"\n')
    desk.well("provision")
    desk.write("3.6\n", "project/.kelp-version")
    shell = pexpect.spawn(
        PROGRAMS["bash"],
        ["-i"],
        cwd=str(desk.home),
        env=environment(desk, PS1="> "),
        timeout=60,
        encoding="utf-8",
    )
    shell.sendline("cd project && kelp --version")
    shell.expect(r"\nkelp 3\.6\.2")
    shell.sendline("exit")
    shell.wait()


def test_the_default_is_changed_in_the_manifest_and_the_machine_follows(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "lts"  # the desk\'s choice\n')
    desk.well("provision")
    shown = interactive(desk, "bash", "za switch kelp 3.6 --default >/dev/null\nkelp --version", {})
    assert versions(shown) == ["3.6.2"], "the function reads the new file in this very shell"
    assert 'want = "3.6"  # the desk\'s choice' in desk.manifest.read_text()
    before = desk.manifest.read_text()
    assert desk.run("switch", "kelp", "99", "--default").code == 2
    assert desk.manifest.read_text() == before


def test_an_open_shell_that_is_behind_is_told(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    stamp = desk.shell("bash", 'printf %s "$ZESTY_ANCHOR_LOADED"', "-i")
    desk.environment["ZESTY_ANCHOR_LOADED"] = stamp
    assert "before the last provisioning" not in desk.well("list").err
    desk.wants('[shells]\nuse = ["bash"]\n[variables]\nNEW = "1"\n')
    desk.well("provision")
    assert "before the last provisioning" in desk.well("list").err
    assert "environment.bash" in desk.well("list").err
    assert "before" not in desk.run("list", "--json").err


PERSONAL = {
    "set -eu": "set -eu",
    "IFS": "IFS=xk:",
    "cd is an alias": "alias cd='cd -P'",
    "a prompt of one's own": """PROMPT_COMMAND='mine=$?'; precmd() { mine=$?; }""",
    "no glob": "set -f",
}


@pytest.mark.parametrize("shell", KORN)
@pytest.mark.parametrize("name", PERSONAL)
def test_a_persons_own_things_are_kept(settled: Desk, shell: str, name: str) -> None:
    file = settled.home / f".local/share/zesty-anchor/shell/environment.{shell}"
    again = f". {file}; . {file}; (. {file})"
    lines = [
        PERSONAL[name],
        again,
        "cd project; kelp --version",
        "cd ..; kelp --version",
        "sh -c 'exit 3' || :",
        "false || echo status=$?",
    ]
    if name == "a prompt of one's own" and shell in ("bash", "zsh"):
        lines += ["sh -c 'exit 5'", "echo mine=$mine"]
    lines += ['echo "IFS=$IFS|"', "echo flags=$-"]
    shown = interactive(settled, shell, "\n".join(lines), {})
    assert versions(shown) == ["3.6.2", "4.2.1"], shown
    assert "status=1" in shown
    if name == "a prompt of one's own" and shell in ("bash", "zsh"):
        assert "mine=5" in shown
    if name == "IFS":
        assert "IFS=xk:|" in shown
    flags = shown.split("flags=")[1].split("\n")[0]
    assert ("f" in flags) == (name == "no glob") or shell == "zsh"
    assert name != "set -eu" or {"e", "u"} <= set(flags)


@pytest.mark.parametrize(
    "options",
    [
        "warn_create_global no_unset",
        "warn_nested_var",
        "ksh_arrays sh_word_split glob_subst",
        "extended_glob",
        "csh_junkie_quotes",
    ],
)
def test_zsh_follows_with_other_options(settled: Desk, options: str) -> None:
    file = settled.home / ".zshrc"
    before = file.read_bytes()
    try:
        file.write_bytes(f"setopt {options}\n".encode() + before)
        lines = (
            "cd project\nkelp --version\ncd ..\nkelp --version\ncd project\nkelp --version\nza switch kelp"
            " 4.1\nkelp --version"
        )
        shown = interactive(settled, "zsh", lines, {})
    finally:
        file.write_bytes(before)
    assert versions(shown) == ["3.6.2", "4.2.1", "3.6.2", "4.1.0"], shown
    assert not re.search(r"za_|created globally|enclosing scope|not set", shown), shown


ALIASED = (
    "set",
    "export",
    "unset",
    "eval",
    "typeset",
    "read",
    "printf",
    "print",
    "source",
    "builtin",
    "command",
    "emulate",
)


@pytest.mark.parametrize("shell", [*KORN, "fish"])
def test_aliases_of_builtins_do_not_count_in_our_files(settled: Desk, shell: str) -> None:
    """A person may call anything by any name: our own lines mean the builtins (POSIX.1-2017, XCU 2.3.1)."""
    if shell == "fish":
        own = "".join(f"function {n}; builtin echo aliased {n}; end\n" for n in ("echo", "export"))
        file = settled.write(own, ".config/fish/conf.d/00-mine.fish")
        before = None
    else:
        file = settled.home / f".{shell}rc"
        before = file.read_bytes()
        own = "".join(f"alias {n}='echo aliased {n};'\n" for n in ALIASED)
        # The guard at the top of .bashrc would hide our line.
        file.write_bytes(own.encode() + before.replace(GUARD.encode(), b""))
    try:
        lines = [
            "cd project",
            "kelp --version",
            "cd ..",
            "kelp --version",
            "za switch kelp 4.1",
            "kelp --version",
        ]
        shown = interactive(settled, shell, "\n".join(lines), {})
    finally:
        if before is None:
            file.unlink()
        else:
            file.write_bytes(before)
    assert versions(shown) == ["3.6.2", "4.2.1", "4.1.0"], shown
    assert "aliased" not in shown, shown


@pytest.mark.needs("fish")
@pytest.mark.parametrize("older", [False, True])
def test_fish_follows_without_its_builtin_path(desk: Desk, older: bool) -> None:
    """fish has it since 3.5, and a function of that name may be a person's own."""
    desk.wants('[shells]\nuse = ["fish"]\n', '[runtimes.kelp]\nwant = "lts"\nalso = ["3.6", "4.1"]\n')
    desk.well("provision")
    desk.write("3.6\n", "project/.kelp-version")
    desk.write("4.1\n", "project/deep/er/.kelp-version")
    if older:
        for name in (".config/fish/conf.d/zesty-anchor.fish", ".local/share/zesty-anchor/shell/follow.fish"):
            text = (desk.home / name).read_text()
            assert text.count("if builtin -q path") == 1
            (desk.home / name).write_text(text.replace("if builtin -q path", "if false"))
    lines = ["function path; echo mine; end"] if not older else []
    for folder in ("~/project", "~", "~/project/deep", "er", "/", "~/project/deep/er"):
        lines.append(f"cd {folder}; kelp --version")
    lines.append("za switch kelp 3.6; kelp --version")
    seen = versions(interactive(desk, "fish", "\nemit fish_prompt\n".join(lines), {}))
    assert seen == ["3.6.2", "4.2.1", "3.6.2", "4.1.0", "4.2.1", "4.1.0", "3.6.2"]


@pytest.mark.needs("fish")
@pytest.mark.parametrize("value", ["a", "", ":/"])
def test_fish_follows_with_an_ifs_of_the_persons_own(settled: Desk, value: str) -> None:
    file = settled.write(f"set -g IFS '{value}'\n", ".config/fish/conf.d/00-mine.fish")
    try:
        shown = interactive(settled, "fish", "cd project\nkelp --version\ncd ..\nkelp --version", {})
    finally:
        file.unlink()
    assert versions(shown) == ["3.6.2", "4.2.1"], shown


@pytest.mark.parametrize("shell", ["fish", *KORN])
@pytest.mark.needs("strace")
def test_no_process_is_started(settled: Desk, shell: str, tmp_path: Path) -> None:
    """At start, at a prompt, on entering a folder whose pins have not changed: builtins alone (by
    strace(1)).
    """
    interactive(settled, shell, "cd project\ncd ..", {})  # the pins are resolved once
    home, log = settled.home, tmp_path / "log"
    words = [
        "strace",
        "-f",
        "-qq",
        "-o",
        str(log),
        "-e",
        "trace=execve,fork,vfork,clone,clone3",
        PROGRAMS[shell],
        "-i",
    ]
    subprocess.run(
        words, cwd=home, env=environment(settled, fish_greeting=""),
        input="cd project\ncd ..\ncd project\n:\nexit\n",
        capture_output=True, text=True, timeout=60, check=False,
    )  # fmt: skip
    bare = tmp_path / "bare"
    bare.mkdir()
    (bare / ".zshrc").touch()  # else zsh starts a program that asks an ordinary user for settings
    with_it = _processes(log)
    subprocess.run(
        words, cwd=home, env=environment(settled, HOME=str(bare), fish_greeting=""),
        input="cd project\ncd ..\ncd project\n:\nexit\n", capture_output=True, text=True, timeout=60,
        check=False,
    )  # fmt: skip
    assert with_it == _processes(log)


def _processes(log: Path) -> int:
    """New processes; threads, which share everything, are none (clone(2), CLONE_THREAD)."""
    lines = log.read_text().splitlines()
    return sum(
        bool(re.search(r"\b(fork|vfork|clone3?|execve)\(", line))
        and "CLONE_THREAD" not in line
        and "resumed" not in line
        for line in lines
    )


def test_a_default_that_does_not_answer_is_taken_back_whole(desk: Desk) -> None:
    """A check that only the old version passes: manifest, shells and what list says are as they were."""
    check = (
        '[shells]\nuse = ["bash"]\n[[checks]]\nname = "four"\nrun = "kelp --version"\nexpect = "kelp 4.*"\n'
    )
    desk.wants(check, '[runtimes.kelp]\nwant = "lts"\nalso = ["3.6"]\n')
    desk.well("provision")
    before, manifest = desk.likeness(), desk.manifest.read_bytes()
    answer = desk.run("switch", "kelp", "3.6", "--default")
    assert answer.code == 1 and "four" in answer.out
    assert desk.manifest.read_bytes() == manifest
    assert desk.likeness() == before
    assert desk.shell("bash", "kelp --version", "-i").strip() == "kelp 4.2.1"
    effect = desk.well("list", "--json").json["runtimes"][0]["active"]
    assert (effect["version"], effect["scope"]) == ("4.2.1", "default")
    assert desk.well("verify").code == 0


def test_a_default_and_a_pin_are_taken_back_by_undo(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "lts"\nalso = ["3.6"]\n')
    desk.well("provision")
    first, manifest = desk.likeness(), desk.manifest.read_bytes()
    desk.well("switch", "kelp", "3.6", "--default")
    switched = desk.likeness()
    (desk.home / "work").mkdir()
    assert within(desk, "work", "switch", "kelp", "4.2", "--project").code == 0
    assert (desk.home / "work/.kelp-version").exists()
    assert "~/work/.kelp-version" in desk.well("undo").out
    (desk.home / "work").rmdir()
    assert desk.likeness() == switched
    desk.well("undo")
    assert desk.manifest.read_bytes() == manifest and desk.likeness() == first, (
        "manifest and shells go together"
    )
