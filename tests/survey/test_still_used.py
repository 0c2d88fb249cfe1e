"""An old install that a prompt or a start still uses stays, and what uses it is named."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.survey.test_taking_away import OLD
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.cutting import removable
from zesty_anchor.system.host import login_path
from zesty_anchor.system.locations import locate


def looked_at(home: Path, shell: str, file: str, text: str) -> tuple[tuple[Path, ...], str]:
    """The folders that can go, and what is told of the one that cannot."""
    for name, content in {**OLD, "old-coral/bin/coral": "#!/bin/sh\n", file: text}.items():
        path = home / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(content)
        path.chmod(0o755)
    environment = {"HOME": str(home), "PATH": login_path()}
    machine = Machine(locate(environment), environment)
    machine.__dict__["shells"] = tuple(each for each in machine.shells if each.name == shell)
    going, kept = removable([home / "old-kelp", home / "old-coral"], (), machine)
    return tuple(path.relative_to(home) for path in going), " ".join(kept.get(home / "old-kelp", ()))


USED = {
    "bash's prompt": ("bash", ".bashrc", "PS1='$(~/old-kelp/bin/kelp where) $ '\n", "variable PS1"),
    "bash's prompt, by a variable": (
        "bash", ".bashrc", "export KELP_HOME=~/old-kelp\nPS1='$($KELP_HOME/bin/kelp where) $ '\n", "variable PS1",
    ),
    "beside a command of theirs": (
        "bash", ".bashrc", "tides() { :; }\nPROMPT_COMMAND='tides; ~/old-kelp/bin/kelp where >/dev/null'\n",
        "PROMPT_COMMAND",
    ),
    "zsh's right prompt": ("zsh", ".zshrc", "setopt prompt_subst\nRPS1='$(~/old-kelp/bin/kelp where)'\n", "RPS1"),
    "zsh's hook": ("zsh", ".zshrc", "precmd() { ~/old-kelp/bin/kelp where >/dev/null }\n", "function precmd"),
    "fish's prompt": (
        "fish", ".config/fish/config.fish", "function fish_prompt; ~/old-kelp/bin/kelp where; end\n",
        "function fish_prompt",
    ),
    "tcsh's alias": ("tcsh", ".tcshrc", "alias precmd 'ls ~/mine >& /dev/null; ~/old-kelp/bin/kelp'\n", "precmd"),
    "a call at each start": ("bash", ".bashrc", "~/old-kelp/bin/kelp >/dev/null\n", "would be printed at each start"),
}  # fmt: skip


@pytest.mark.needs("bash", "zsh", "fish", "tcsh")
@pytest.mark.parametrize("name", USED)
def test_what_is_still_used_stays_and_the_other_goes(name: str, tmp_path: Path) -> None:
    shell, file, text, told = USED[name]
    going, why = looked_at(tmp_path, shell, file, text)
    assert going == (Path("old-coral"),)
    assert told in why, why


@pytest.mark.needs("bash", "zsh")
@pytest.mark.parametrize(
    ("shell", "file", "text"),
    [
        ("bash", ".bashrc", "PS1='kelp $ '\nPATH=~/old-kelp/bin:$PATH\n"),
        ("bash", ".bashrc", "old() { ~/old-kelp/bin/kelp; }\n"),
        ("zsh", ".zshrc", '[ -x ~/old-kelp/bin/kelp ] && eval "$(~/old-kelp/bin/kelp init)"\n'),
        ("zsh", ".zshrc", "precmd() { tides=1 }\n# ~/old-kelp\n"),
    ],
)
def test_what_nothing_uses_goes(shell: str, file: str, text: str, tmp_path: Path) -> None:
    going, why = looked_at(tmp_path, shell, file, text)
    assert going == (Path("old-kelp"), Path("old-coral")), why
