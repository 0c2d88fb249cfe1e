"""Homes as people have them: a first provisioning ends well in each, what was broken before is told and stays
as it was.
"""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.commands.test_fix import fix
from tests.conftest import PROGRAMS, Desk, processes_of
from zesty_anchor.demo.home import likeness

STATE = (".local", ".cache", "workstation.toml")
SKELETON = {file.name: file.read_text() for file in Path("/etc/skel").iterdir() if file.is_file()}
"""What useradd(8) gives to a new user here."""
RECOMMENDED = Path("/etc/zsh/newuser.zshrc.recommended")
CD = 'cd() { builtin cd "$@" && ls; }\n'
NOISY = "already so before this run: 'it prints nothing' failed in"
STARTS = "already so before this run: 'it starts' failed in"
HOMES: dict[str, tuple[tuple[str, ...], dict[str, str], str]] = {
    "the system's skeleton": (("bash", "sh"), SKELETON, ""),
    "mksh with the system's own cd": (("mksh",), {".mkshrc": ". /etc/mkshrc\n"}, ""),
    "a cd that lists, in bash": (("bash",), {".bashrc": CD}, ""),
    "a cd that lists, in zsh": (("zsh",), {".zshrc": CD}, ""),
    "a cd that lists, in ksh": (("ksh",), {".kshrc": CD.replace("builtin", "command")}, ""),
    "a cd that lists, in mksh": (("mksh",), {".mkshrc": CD}, ""),
    "a cd that lists, in fish": (
        ("fish",),
        {".config/fish/functions/cd.fish": "function cd\n  builtin cd $argv; and ls\nend\n"},
        "",
    ),
    "an alias of cd": (
        ("bash", "zsh"),
        {".bashrc": "alias cd='cd -P'\n", ".zshrc": "alias cd='cd -P'\n"},
        "",
    ),
    "a greeting at login": (
        ("bash", "zsh"),
        {".profile": "echo high water at six\n", ".zprofile": "echo low\n"},
        NOISY,
    ),
    "a greeting with the time": (("bash",), {".profile": "date +%s\n"}, NOISY),
    "a command that is not there": (
        ("bash",),
        {".bashrc": "no-such-tide-table --today\n"},
        "'no error message' failed in",
    ),
    "a relative entry on PATH": (
        ("bash",),
        {".bashrc": "PATH=$PATH:bin\n"},
        "'every PATH entry is absolute' failed in",
    ),
    "an exit in the file of scripts": (("zsh",), {".zshenv": "[[ -o interactive ]] || exit 0\n"}, STARTS),
    "a shell that ends itself": (("bash", "zsh"), {".zshrc": "exit 3\n"}, STARTS),
    "a shell inside": (("bash",), {".bashrc": '[ -n "$IN" ] || IN=1 bash -ic true\n'}, ""),
    "test overridden": (
        ("bash", "zsh"),
        {".bashrc": "test() { return 1; }\n", ".zshrc": "test() { return 1 }\n"},
        "",
    ),
    "strict options": (
        ("bash", "zsh"),
        {".bashrc": "set -u\nshopt -s nullglob\n", ".zshrc": "setopt no_unset ksh_arrays sh_word_split\n"},
        "",
    ),
    "PATH set anew at the end": (
        ("bash", "zsh"),
        {".bashrc": "PATH=/usr/bin:/bin\n", ".zshrc": "path=(/usr/bin /bin)\n"},
        "",
    ),
    "an interactive guard": (
        ("bash",),
        {".bashrc": "case $- in *i*) ;; *) return ;; esac\nalias ll='ls -l'\n"},
        "",
    ),
    "no startup file": (("bash", "zsh", "fish", "ksh", "mksh", "tcsh", "sh"), {}, ""),
    "a prompt that works": (("bash",), {".bashrc": "PROMPT_COMMAND='tide=$(date)'\nPS1='$tide> '\n"}, ""),
    "a large framework": (
        ("zsh",),
        {
            ".zshrc": "".join(
                f"tide_{n}() {{ local a=$1; print -r -- \"$a\" }}\nalias t{n}='tide_{n} {n}'\n"
                for n in range(1_500)
            )
        },
        "",
    ),
    "the skeleton, and zsh as its package recommends": (
        ("zsh", "bash"),
        {**SKELETON, ".zshrc": RECOMMENDED.read_text() if RECOMMENDED.exists() else ""},
        "",
    ),
    "the skeleton, in ksh": (("ksh",), SKELETON, ""),
    "the skeleton, in mksh": (("mksh",), SKELETON, ""),
    "the skeleton, in fish and tcsh": (("fish", "tcsh"), SKELETON, ""),
    "a folder of parts": (
        ("bash", "zsh"),
        {
            ".bashrc": 'for part in ~/.parts/*.sh; do . "$part"; done\nunset part\n',
            ".zshrc": "for part in ~/.parts/*.sh(N); do . $part; done\n",
            **{f".parts/{n:02}.sh": f"tide_{n}() {{ echo {n}; }}\nexport TIDE_{n}={n}\n" for n in range(40)},
        },
        "",
    ),
    "functions that are loaded when they are called": (
        ("zsh",),
        {
            ".zshrc": "fpath=(~/.functions $fpath)\nautoload -Uz tide compinit\ncompinit -u\ntide\n",
            ".functions/tide": "typeset -g TIDE=high\n",
        },
        "",
    ),
    "a large framework, in fish": (
        ("fish",),
        {f".config/fish/conf.d/{n:02}.fish": f"function tide_{n}; echo {n}; end\n" for n in range(50)},
        "",
    ),
    "a large framework, in bash": (
        ("bash",),
        {
            ".bashrc": "".join(
                f'tide_{n}() {{ local a=$1; echo "$a"; }}\nalias t{n}=tide_{n}\n' for n in range(1_500)
            )
        },
        "",
    ),
    "builtins overridden": (
        ("bash", "zsh"),
        dict.fromkeys(
            (".bashrc", ".zshrc"),
            'exit() { builtin exit "$@"; }\nexport() { builtin export "$@"; }\necho() { printf "%s\\n" "tide: $*"; }\n',
        ),
        "",
    ),
    "command overridden": (
        ("bash", "zsh"),
        dict.fromkeys((".bashrc", ".zshrc"), 'command() { builtin command "$@"; }\n'),
        "",
    ),
    "aliases of what scripts use": (
        ("bash", "zsh"),
        dict.fromkeys(
            (".bashrc", ".zshrc"),
            "alias ls='ls --color' grep='grep --color=always' cat='cat -v' source='. ' printf='printf'\n",
        ),
        "",
    ),
    "zsh in place of bash": (("bash", "zsh"), {".bashrc": "[ -t 1 ] && exec zsh\n"}, ""),
    "zsh in place of a login's bash": (
        ("bash", "zsh"),
        {".profile": "case $- in *i*) exec zsh -l ;; esac\n"},
        "",
    ),
    "fish in place of bash": (("bash", "fish"), {".bashrc": "case $- in *i*) exec fish ;; esac\n"}, ""),
    "a terminal that is handed over": (
        ("bash",),
        {".bashrc": '[ -t 1 ] && [ -z "$TMUX" ] && exec tmux -L tide-homes new-session\n'},
        "",
    ),
    "slow": (("bash", "zsh"), dict.fromkeys((".bashrc", ".zshrc"), "sleep 1.5\n"), ""),
    "a broken line, in bash": (
        ("bash",),
        {".bashrc": "if true; then\n  alias ll='ls -l'\n"},
        "'no error message' failed in",
    ),
    "a broken line, in zsh": (
        ("zsh",),
        {".zshrc": "alias ll='ls -l'\nif true; then\n"},
        "'no error message' failed in",
    ),
    "a broken line, in fish": (
        ("fish",),
        {".config/fish/config.fish": "alias ll 'ls -l'\nif true\n"},
        "'no error message' failed in",
    ),
    "a variable that is not there, in tcsh": (
        ("tcsh",),
        {".tcshrc": "echo $tide\n"},
        "'no error message' failed in",
    ),
    "it ends at the first failure": (("bash",), {".bashrc": "set -e\n"}, ""),
    "it shows what it does": (("bash",), {".bashrc": "set -x\n"}, "failed in"),
    "signals and the end are trapped": (
        ("bash", "zsh"),
        {
            ".bashrc": "trap 'tide=1' DEBUG\ntrap 'echo low water' EXIT\n",
            ".zshrc": "TRAPEXIT() { print low water }\n",
        },
        "",
    ),
    "a path that cd searches": (
        ("bash", "zsh"),
        dict.fromkeys((".bashrc", ".zshrc"), "export CDPATH=.:~:/\n"),
        "",
    ),
    "a word splitter of its own": (
        ("bash", "ksh", "mksh"),
        dict.fromkeys((".bashrc", ".kshrc", ".mkshrc"), "IFS=:\n"),
        "",
    ),
    "nothing is written over": (
        ("bash", "zsh", "ksh"),
        dict.fromkeys((".bashrc", ".zshrc", ".kshrc"), "set -o noclobber\n"),
        "",
    ),
    "a locale that is not there": (
        ("bash",),
        {".profile": "export LC_ALL=xx_XX.UTF-8\n"},
        "'no error message' failed in",
    ),
    "nothing for others": (("bash", "sh"), {".profile": "umask 077\n"}, ""),
    "a login file that reads no other": (
        ("bash",),
        {".bash_profile": "alias tide=true\n", ".profile": "echo never\n", ".bashrc": "alias low=true\n"},
        "",
    ),
    "two files that read each other": (
        ("bash",),
        {
            ".profile": '[ -n "$BASH" ] && . ~/.bashrc\n',
            ".bashrc": '[ -n "$READ" ] || { READ=1; . ~/.profile; }\n',
        },
        "",
    ),
    "a startup file named by ENV": (
        ("sh", "ksh", "mksh"),
        {".profile": 'export ENV="$HOME/.shrc"\n', ".shrc": "alias tide=true\n"},
        "",
    ),
    "a file for scripts that prints": (
        ("bash",),
        {".profile": 'export BASH_ENV="$HOME/.scripts"\n', ".scripts": "echo scripts >&2\n"},
        NOISY,
    ),
    "csh's own file": (
        ("tcsh",),
        {".cshrc": "set path = (~/bin $path)\nalias cd 'cd \\!*; ls'\nset prompt = '%~> '\n"},
        "",
    ),
    "a fish with a prompt and a greeting": (
        ("fish",),
        {
            ".config/fish/config.fish": "abbr -a ll 'ls -l'\nset -gx EDITOR vi\n",
            ".config/fish/functions/fish_greeting.fish": "function fish_greeting; echo high water; end\n",
            ".config/fish/functions/fish_prompt.fish": "function fish_prompt; echo -n (date)'> '; end\n",
        },
        "",
    ),
    "an agent at each start": (
        ("bash",),
        {".bashrc": 'eval "$(ssh-agent)" >/dev/null\n'},
        "",
    ),
    "a job in the background": (
        ("bash", "zsh"),
        dict.fromkeys((".bashrc", ".zshrc"), "sleep 300 &\n"),
        "",
    ),
    "a question": (("bash",), {".bashrc": "case $- in *i*) read -r -p 'quay? ' quay ;; esac\n"}, "failed in"),
    "a screen that is cleared": (("bash",), {".bashrc": "clear\n"}, "failed in"),
    "all is forgotten at the end": (
        ("bash", "zsh"),
        {
            ".bashrc": "unalias -a\nPROMPT_COMMAND=\nunset -f cd\n",
            ".zshrc": "precmd_functions=()\nchpwd_functions=()\n",
        },
        "",
    ),
    "a hook that lists each folder": (
        ("zsh",),
        {".zshrc": "autoload -Uz add-zsh-hook\ntide_ls() { ls }\nadd-zsh-hook chpwd tide_ls\n"},
        "",
    ),
    "folders with blanks and letters on PATH": (
        ("bash", "zsh"),
        {".profile": 'PATH="$HOME/my tools/ö:$PATH"\n', ".zshenv": 'path=("$HOME/my tools/ö" $path)\n'},
        "",
    ),
    "a shell that ends when nobody types": (
        ("bash", "ksh"),
        dict.fromkeys((".profile", ".bashrc", ".kshrc"), '[ -n "$TMOUT" ] || readonly TMOUT=300\n'),
        "",
    ),
    "dotfiles that are links": (
        ("bash", "zsh"),
        {"dotfiles/bashrc": "alias a=b\n", "dotfiles/zshrc": "alias a=b\n"},
        "",
    ),
}


@pytest.mark.parametrize("name", HOMES)
def test_a_first_provisioning_ends_well(desk: Desk, name: str) -> None:
    shells, files, told = HOMES[name]
    shells = tuple(shell for shell in shells if shell == "sh" or shell in PROGRAMS)
    assert shells, f"none of the shells of {name!r} is installed"
    for path, text in files.items():
        desk.write(text, path)
        if path.startswith("dotfiles/"):
            (desk.home / f".{Path(path).name}").symlink_to(path)
    desk.wants(f'[shells]\nuse = {json.dumps(shells)}\n[variables]\nGAUGE = "north quay"\n')
    before = likeness(desk.home, STATE)
    answer = desk.run("provision")
    assert answer.code == 0, answer.out + answer.err
    assert told in answer.out and ("already so before" in answer.out) == bool(told), answer.out
    seen = desk.run("verify")
    assert seen.code == 0, seen.out
    assert ("Failed before provisioning as well" in seen.out) == bool(told)
    desk.well("undo")
    assert likeness(desk.home, STATE) == before
    assert not processes_of(desk.home), "a process was left running"


HANDED_OVER = {
    "at the end": ("bash", {**SKELETON, ".bashrc": SKELETON[".bashrc"] + "[ -t 1 ] && exec zsh\n"}, "zsh"),
    "by itself": ("bash", {".bashrc": "exec zsh\n"}, "zsh"),
    "where it is there": ("bash", {".bashrc": 'command -v fish >/dev/null && exec "$(command -v fish)"\n'}, "fish"),
    "at login": ("bash", {".profile": "case $- in *i*) exec zsh -l ;; esac\n"}, "zsh"),
    "a shell inside": ("bash", {".bashrc": "if [ -z \"$IN\" ]; then\n  IN=1 mksh\nfi\n"}, "mksh"),
    "from tcsh": ("tcsh", {".tcshrc": "if ($?prompt) exec zsh\n"}, "zsh"),
}  # fmt: skip


@pytest.mark.needs("bash", "zsh", "fish", "tcsh", "mksh")
@pytest.mark.parametrize("home", HANDED_OVER)
def test_a_shell_that_takes_the_terminal_is_set_up_by_itself(desk: Desk, home: str) -> None:
    login, files, other = HANDED_OVER[home]
    for path, text in files.items():
        desk.write(text, path)
    desk.wants('[shells]\n[variables]\nGAUGE = "north quay"\n')
    before = likeness(desk.home, STATE)
    answer = desk.run("provision")
    assert answer.code == 0, answer.out + answer.err
    seen = desk.run("verify", "--json")
    assert seen.code == 0
    assert {login, other} <= {each["shell"] for each in seen.json["shells"]}
    desk.well("undo")
    assert likeness(desk.home, STATE) == before
    assert not processes_of(desk.home), "a process was left running"


@pytest.mark.needs("bash", "zsh")
def test_a_shell_that_takes_the_terminal_and_is_left_out_is_the_cause(desk: Desk) -> None:
    desk.write(f"{SKELETON['.bashrc']}[ -t 1 ] && exec zsh\n", ".bashrc")
    desk.wants('[shells]\nuse = ["bash"]\n[variables]\nGAUGE = "north quay"\n')
    answer = desk.run("provision")
    advice = 'write [shells] use = ["bash", "zsh"] in the manifest'
    assert answer.code == 1, answer.out
    line = (desk.home / ".bashrc").read_text().partition("[ -t 1 ] && exec zsh")[0].count("\n") + 1
    assert f"~/.bashrc:{line} hands the terminal over to zsh, which [shells] use leaves out" in answer.out
    assert advice in answer.out and "--fix" not in answer.out, "nothing of it is an edit of a startup file"
    assert f"hands its terminal over to zsh, at ~/.bashrc:{line}" in desk.run("trace", "GAUGE").out
    assert "hands" not in desk.well("survey").out, "it is no problem by itself"
    desk.wants('[shells]\nuse = ["bash", "zsh"]\n[variables]\nGAUGE = "north quay"\n')
    desk.well("provision")
    assert desk.run("verify").code == 0


@pytest.mark.needs("bash", "zsh")
def test_a_shell_that_is_started_for_a_command_over_ssh_too_is_told_with_its_line(desk: Desk) -> None:
    desk.write("alias ll='ls -l'\nexec zsh\n", ".bashrc")
    desk.wants('[shells]\n[variables]\nGAUGE = "north quay"\n')
    told = desk.well("provision").out
    assert "'it starts' failed in bash" in told and "a startup file ended it before its first command" in told
    assert "it ends the shell: exec zsh" in desk.well("verify").out
    status, shown = fix(desk, "y")
    assert status == 0 and "Write `[ -t 1 ] &&` at the beginning of ~/.bashrc:3?" in shown, shown
    assert "before provisioning" not in desk.well("verify").out


@pytest.mark.needs("bash", "zsh")
def test_what_fails_in_the_shell_that_took_the_terminal_has_its_cause_there(desk: Desk) -> None:
    desk.write("[ -t 1 ] && exec zsh\n", ".bashrc")
    desk.wants('[shells]\nuse = ["bash", "zsh"]\n[variables]\nGAUGE = "north quay"\n')
    desk.well("provision")
    file = desk.home / ".zshrc"
    file.write_text(file.read_text() + "export GAUGE=south\n")
    seen = desk.run("verify", "--json")
    causes = {
        (each["shell"], check["cause"]["file"])
        for each in seen.json["shells"]
        for check in each["checks"]
        if not check["ok"]
    }
    assert seen.code == 4 and causes == {("bash", "~/.zshrc"), ("zsh", "~/.zshrc")}


def test_what_breaks_later_was_not_so_before(desk: Desk) -> None:
    desk.write("echo high water at six\n", ".profile")
    desk.wants('[shells]\nuse = ["bash"]\n')
    desk.well("provision")
    assert desk.run("verify").code == 0
    profile = desk.home / ".profile"
    profile.write_text(profile.read_text() + "echo low water at noon\n")
    assert desk.run("verify").code == 4
    desk.wants('[shells]\nuse = ["bash"]\n[variables]\nGAUGE = "north"\n')
    assert desk.run("provision").code == 0, "it is not about this run"
    assert desk.run("verify").code == 4, "and it was not so before the first one"


def test_a_pin_in_the_home_is_named_and_is_no_failure(desk: Desk) -> None:
    """It decides in the home; what the manifest says by default is checked where no pin decides."""
    desk.wants('[shells]\nuse = ["bash", "zsh"]\n')
    desk.well("provision")
    asked = desk.run("switch", "kelp", "3.6.2", "--project", "--install")
    assert (
        asked.code == 5
        and "this folder is your home" in asked.err
        and not (desk.home / ".kelp-version").exists()
    )
    desk.well("switch", "kelp", "3.6.2", "--project", "--install", "--yes")
    seen = desk.run("verify")
    assert seen.code == 0, seen.out
    assert "~/.kelp-version:1 pins kelp 3.6.2 for your home" in seen.err
    chosen = desk.well("switch", "kelp", "4.1", "--default")
    assert "the default is not active there" in chosen.out and 'want = "4.1"' in desk.manifest.read_text()


def test_what_fails_for_another_runtime_does_not_undo_a_switch(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n[[checks]]\nname = "never"\nrun = "false"\n')
    assert desk.run("provision").code == 1
    chosen = desk.run("switch", "kelp", "3.6", "--default")
    assert chosen.code == 0 and "never" in chosen.out, chosen.out
    assert desk.shell("bash", "kelp --version", "-l").strip() == "kelp 3.6.2"
    profile = desk.home / ".profile"
    profile.write_text(profile.read_text() + "kelp() { echo none; }\n")
    refused = desk.run("switch", "kelp", "4.2", "--default")
    assert (
        refused.code == 1
        and "all of this run was undone, because 'kelp is found' failed in bash" in refused.out
    )
    assert 'want = "3.6"' in desk.manifest.read_text()


def test_the_version_before_stays_wanted_beside_the_new_default(desk: Desk) -> None:
    desk.wants("", '[runtimes.kelp]\nwant = "4.1"   # tried\n')
    desk.well("provision")
    before = desk.manifest.read_text()
    desk.well("switch", "kelp", "3.6", "--default")
    assert (
        'want = "3.6"   # tried' in desk.manifest.read_text()
        and 'also = ["4.1"]' in desk.manifest.read_text()
    )
    desk.well("switch", "kelp", "4.1", "--default")
    assert 'also = ["3.6"]' in desk.manifest.read_text()
    assert "Nothing to do" in desk.well("provision").out
    desk.well("undo")
    desk.well("undo")
    assert desk.manifest.read_text() == before


def test_a_version_that_was_installed_is_not_called_missing_for_a_check_that_fails(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash"]\n[[checks]]\nname = "never"\nrun = "false"\n')
    desk.run("provision")
    desk.write("", "quay/.keep")
    chosen = desk.run("switch", "kelp", "4.1", "--project", "--install", cwd=desk.home / "quay")
    assert chosen.code == 0 and "1 check failed in new shells" in chosen.err, chosen.err
    assert (desk.home / "quay/.kelp-version").read_text() == "4.1\n"
