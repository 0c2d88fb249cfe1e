"""Tab behind our own commands, in real shells at a terminal; and the table that it is answered from."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

import click
import pexpect
import pytest

from tests.conftest import HELD_BACK, PROGRAMS, Desk
from zesty_anchor.commands import main
from zesty_anchor.shells.known import SHELLS as KNOWN
from zesty_anchor.system.own_commands import COMMANDS, VALUES

SHELLS = [pytest.param(name, marks=pytest.mark.needs(name)) for name in ("bash", "zsh", "fish")]
READY = {
    "bash": "bind 'set show-all-if-ambiguous on'; bind 'set enable-bracketed-paste off'; PS1='ti''de> '",
    "zsh": (
        "autoload -Uz compinit; compinit -D; . ~/.zshrc; bindkey '^I' complete-word; setopt"
        " no_list_ambiguous; PS1='ti''de> '"
    ),
    "fish": "function fish_prompt; echo -n 'ti''de> '; end",
}

SYSTEM_S = Path("/usr/share/bash-completion/bash_completion")
"""The package bash-completion, of Debian and others."""


def test_the_table_says_what_the_commands_are() -> None:
    """Names, options, choices, and how many arguments."""
    context = click.Context(main)
    seen: dict[str, str] = {}
    for name, own in COMMANDS.items():
        command = main.get_command(context, name)
        assert command is not None
        options = [p for p in command.params if isinstance(p, click.Option)]
        assert sorted(own.options) == sorted([o for p in options for o in p.opts] + ["-h", "--help"]), name
        arguments = [p for p in command.params if isinstance(p, click.Argument)]
        assert len(own.arguments) == len(arguments), name
        for option in options:
            if not option.is_flag:
                kind = "|".join(option.type.choices) if isinstance(option.type, click.Choice) else None
                kind = "file" if isinstance(option.type, click.Path) else kind
                kind = "shell" if kind == "|".join(KNOWN) else kind
                for word in option.opts:
                    assert VALUES[word] == (kind or VALUES[word]), word
                    seen[word] = VALUES[word]
                    assert (VALUES[word] in ("word", "runtime")) == (kind is None)
    assert seen == VALUES


class Tab:
    """A shell at a terminal, in a folder with a file of the person's own."""

    def __init__(self, desk: Desk, shell: str, before: tuple[str, ...] = ()) -> None:
        environment = {"HOME": str(desk.home), "PATH": "/usr/bin:/bin", "TERM": "xterm", "LANG": "C.UTF-8"}
        words = [*before, PROGRAMS[shell], "-i"]
        # fish would read all manual pages, beside the test, where it finds none of what it makes of them.
        (desk.home / ".local/share/fish/generated_completions").mkdir(parents=True, exist_ok=True)
        self.child: Any = pexpect.spawn(
            words[0], words[1:], env=environment, cwd=str(desk.home), encoding="utf-8", dimensions=(50, 160)
        )
        self.child.delaybeforesend = None
        self.said(READY[shell])

    def said(self, keys: str) -> str:
        """What comes of these keys, then of Enter: all of it, since a shell takes keys in their order."""
        self.child.send(f"{keys}; echo do''ne\r")
        self.child.expect(r"[\r\n](\x1b\[J)?done", timeout=30)
        shown: str = self.child.before
        self.child.expect("tide> ", timeout=30)
        return re.sub(r"\x1b\[[?>=0-9;]*[A-Za-z]|\x1b\(.|\x1b[=>78]|\x1b\][^\x07]*\x07|\r", "", shown)

    def offers(self, words: str) -> set[str]:
        """The words that a first and a second Tab bring. Control-U then takes the line away."""
        return set(re.split(r"[\s()]+", self.said(f"{words}\t\t\x15true")))


@pytest.mark.parametrize("shell", SHELLS)
def test_tab_offers_what_could_stand_there(settled: Desk, shell: str) -> None:
    (settled.home / "soundings.toml").touch()
    tab = Tab(settled, shell)
    for words, expected, not_so in (
        ("za l", {"list", "locate", "lock"}, {"survey"}),
        ("za switch kelp ", {"4.2.1", "3.6.2", "lts"}, {"auto"}),
        ("za with kelp=", {"4.2.1", "3.6.2"}, {"survey"}),
        ("za verify --colour ", {"auto", "always", "never"}, {"bash"}),
        ("za switch kelp 4.2.1 --", {"--forget", "--json"}, {"--junit"}),
    ):
        got = tab.offers(words)
        missing = {each for each in expected if not any(each in word for word in got)}
        assert not missing, (words, got)
        assert not not_so & got, words
    for words, ends in (
        ("za switch ke", "lp"),
        ("za remove kelp 4.1", ".0"),
        ("za with kelp=3", ".6.2"),
        ("za verify -m ~/soun", "dings.toml"),
        ("za verify --manifest soun", "dings.toml"),
        ("za with kelp=4.2.1 -- cat soun", "dings.toml"),
    ):
        assert any(ends in each for each in tab.offers(words)), words
    tab.child.close(force=True)


@pytest.mark.needs("bash", "git")
@pytest.mark.parametrize("first", [True, False])
def test_tab_beside_the_system_s_completion_for_bash(settled: Desk, first: bool) -> None:
    """Before our line, as Debian's .bashrc has it, and after it: ours answers, and behind ``--`` the
    command's own does.
    """
    if not SYSTEM_S.exists():
        (pytest.skip if str(SYSTEM_S) in HELD_BACK else pytest.fail)(f"{SYSTEM_S} is not installed")
    file, line = settled.home / ".bashrc", f". {SYSTEM_S}\n"
    before = file.read_text()
    file.write_text(line + before if first else before + line)
    (settled.home / "soundings.toml").touch()
    try:
        tab = Tab(settled, "bash")
        for words, ends in (
            ("za switch ke", "lp"),
            ("za with kelp=3", ".6.2"),
            ("za verify -m ~/soun", "dings.toml"),
            ("za with kelp=4.2.1 -- git check", "out"),
            ("za with kelp=4.2.1 -- cat soun", "dings.toml"),
            ("za lis", "t"),
        ):
            assert any(ends in each for each in tab.offers(words)), words
        assert {"list", "locate", "lock"} <= tab.offers("za l")
        tab.child.close(force=True)
    finally:
        file.write_text(before)  # others use this home after us


@pytest.mark.parametrize("shell", SHELLS)
@pytest.mark.needs("strace")
def test_tab_starts_no_program(settled: Desk, shell: str, tmp_path: Path) -> None:
    """strace(1) sees every execve: ours, least of all, is not among them."""
    log = tmp_path / "log"
    tab = Tab(
        settled,
        shell,
        (PROGRAMS["strace"], "-f", "--seccomp-bpf", "-qq", "-o", str(log), "-e", "trace=execve"),
    )
    tab.said("true")
    begun = log.read_text().count("execve(")
    assert begun >= 1
    for words in ("za sw", "za switch ", "za switch kelp 4", "za with kelp=", "za verify --colour "):
        tab.offers(words)
    assert log.read_text().count("execve(") == begun
    tab.child.close(force=True)


@pytest.mark.parametrize("shell", SHELLS)
def test_without_its_file_tab_offers_nothing_and_the_shell_goes_on(settled: Desk, shell: str) -> None:
    file = settled.home / f".local/share/zesty-anchor/shell/complete.{shell}"
    before = file.read_text()
    file.write_text("")
    try:
        tab = Tab(settled, shell)
        assert not any("switch" in each for each in tab.offers("za swi"))
        assert "still here" in tab.said("echo still he''re")
        tab.child.close(force=True)
    finally:
        file.write_text(before)


@pytest.mark.needs("tcsh")
def test_tcsh_knows_our_commands_and_runtimes(settled: Desk) -> None:
    words = [PROGRAMS["tcsh"], "-i"]
    environment = {"HOME": str(settled.home), "PATH": "/usr/bin:/bin", "TERM": "xterm"}
    child: Any = pexpect.spawn(words[0], words[1:], env=environment, cwd=str(settled.home), encoding="utf-8")
    child.sendline("complete za; echo rea''dy")
    child.expect("n/switch/[^\r\n]*kelp", timeout=30)
    child.close(force=True)
