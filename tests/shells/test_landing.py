"""A start that hands its terminal over: the shell in which it ends up is asked, and nothing stays running."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from tests.conftest import PROGRAMS, processes_of
from zesty_anchor.shells.fresh import START_SECONDS, Answers, Line, ask
from zesty_anchor.shells.known import SHELLS
from zesty_anchor.shells.reading import INTERACTIVE, LOGIN_INTERACTIVE, Context
from zesty_anchor.system.host import login_path

WHO = "ps -o comm= -p $$; printenv TIDE"


def asked(home: Path, context: Context = INTERACTIVE, shell: str = "bash") -> Answers:
    environment = {
        "HOME": str(home), "USER": "tide", "SHELL": PROGRAMS[shell], "TERM": "xterm-256color",
        "LANG": "C.UTF-8", "PATH": login_path(),
    }  # fmt: skip
    return ask(SHELLS[shell], PROGRAMS[shell], context, environment, [Line(WHO)])


@pytest.mark.needs("bash", "zsh", "fish")
@pytest.mark.parametrize(
    ("files", "landed", "program"),
    [
        ({".bashrc": "export TIDE=high\nexec zsh\n"}, "zsh", "zsh"),
        ({".bashrc": "export TIDE=high\nexec fish\n"}, "fish", "sh"),
        ({".bashrc": "export TIDE=high\nzsh\nexit\n"}, "zsh", "zsh"),
        ({".bashrc": "export TIDE=high\nexec zsh\n", ".zshrc": "exec fish\n"}, "fish", "sh"),
        ({".bashrc": "[ -n \"$TIDE\" ] || { export TIDE=high; exec bash; }\n"}, "bash", "bash"),
        ({".bashrc": "export TIDE=high\nzsh -c 'sleep 1'\n"}, "", "bash"),
    ],
)  # fmt: skip
def test_the_shell_in_which_it_ends_up_answers(
    tmp_path: Path, files: dict[str, str], landed: str, program: str
) -> None:
    (tmp_path / ".zshrc").write_text("")  # else zsh asks about it
    for name, text in files.items():
        (tmp_path / name).write_text(text)
    answers = asked(tmp_path)
    assert answers.answers[0] is not None and answers.answers[0].text.split() == [program, "high"]
    assert answers.landed == landed and not answers.waits
    assert not processes_of(tmp_path)
    assert not any(each.name.endswith("history") for each in tmp_path.iterdir()), "nothing was typed"


@pytest.mark.needs("bash", "zsh", "tmux")
def test_a_login_in_a_terminal_of_its_own(tmp_path: Path) -> None:
    """The program that shows it runs on a server that nobody else uses."""
    (tmp_path / ".profile").write_text('[ -n "$TMUX" ] || { export TIDE=low; exec tmux; }\n')
    (tmp_path / ".bash_profile").write_text(". ~/.profile\nPATH=$PATH:$HOME/bin\n")
    answers = asked(tmp_path, LOGIN_INTERACTIVE)
    assert answers.landed == "bash" and answers.startup_ms is not None
    assert answers.answers[0] is not None and answers.answers[0].text.split() == ["bash", "low"]
    assert not processes_of(tmp_path)


@pytest.mark.needs("bash")
def test_a_question_at_the_start_is_not_waited_for_long(tmp_path: Path) -> None:
    (tmp_path / ".bashrc").write_text("read -r -p 'which quay? ' quay\n")
    answers = asked(tmp_path)
    assert answers.waits and answers.startup_ms is None and START_SECONDS > 5
    assert re.search(rb"which quay\? $", answers.said), answers.said
    assert not processes_of(tmp_path)
