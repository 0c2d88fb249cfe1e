"""Fragments of startup files as people have them, with real shells: what must go, what must stay, and what
must be told.

In fragments/SHELL.txt: ``@`` a file, ``-`` a line that goes, ``=`` one that stays, ``!`` one that stays and
is told, ``~`` one of which a word goes, and ``>`` what is left of that.
"""

from __future__ import annotations

import re
import tempfile
from pathlib import Path
from typing import NamedTuple

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from zesty_anchor.demo.home import likeness
from zesty_anchor.shells.sealed import World, in_copy
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.cutting import spoken_of
from zesty_anchor.survey.startup.start_state import StartState, contexts_of, start_state
from zesty_anchor.survey.startup.statement import without
from zesty_anchor.system.host import login_path
from zesty_anchor.system.locations import locate

OLD = {
    "old-kelp/bin/kelp": (
        "#!/bin/sh\ncase ${1-} in init) echo 'export KELP_INIT=1' ;; csh) echo 'setenv KELP_INIT 1' ;; comp)"
        " echo 'kelp_comp() { :; }' ;; where) echo ~/old-kelp/lib ;; *) echo kelp 3.1 ;; esac\n"
    ),
    "old-kelp/hook.sh": "export KELP_HOOKED=yes\n",
    "old-kelp/hook.csh": "setenv KELP_HOOKED yes\n",
    "old-kelp/hooks/a.sh": "kelp_a() { :; }\n",
    "old-kelp/hooks/a.fish": "set -gx KELP_A 1\n",
    "old-kelp/hooks/a.csh": "setenv KELP_A 1\n",
    "mine/tide": "#!/bin/sh\n",
}


class Fragment(NamedTuple):
    shell: str
    name: str
    before: dict[str, str]
    after: dict[str, str]
    told: set[tuple[str, int]]


def fragments() -> list[Fragment]:
    found = []
    for path in sorted(Path(__file__).parent.glob("fragments/*.txt")):
        for text in re.split(r"\n\n(?=# )", path.read_text().strip("\n")):
            found.append(_fragment(path.stem, text))
    return found


def _fragment(shell: str, text: str) -> Fragment:
    head, *rows = text.splitlines()
    fragment = Fragment(shell, head.removeprefix("# "), {}, {}, set())
    file, line = "", 0
    for row in rows:
        mark, words = row[0], row[2:]
        if mark == "@":
            file, line = words, 0
            fragment.before[file] = fragment.after[file] = ""
            continue
        if mark != ">":
            fragment.before[file] += words + "\n"
            line += 1
        if mark in "=!>":
            fragment.after[file] += words + "\n"
        if mark == "!":
            fragment.told.add((file, line))
    return fragment


FRAGMENTS = fragments()


def home_of(fragment: Fragment, home: Path) -> dict[str, str]:
    """Make the home. Returns what the files hold in the end, without the old install."""
    for file, text in {**OLD, **fragment.before}.items():
        path = home / file
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text.replace("HOME/", f"{home}/") if path.name == "fish_variables" else text)
        path.chmod(0o755 if "/bin/" in file else 0o644)
    (home / "link-to-kelp").symlink_to("old-kelp")
    return {
        file: text.replace("HOME/", f"{home}/") if file.endswith("fish_variables") else text
        for file, text in fragment.after.items()
    }


CRLF = {
    "bash": (".bashrc", 'export KELP_HOME="$HOME/old-kelp"\r\nexport PATH="$KELP_HOME/bin:$PATH"\r\n'),
    "zsh": (".zshrc", 'export PATH="$HOME/old-kelp/bin:$PATH"\r\n. ~/old-kelp/hook.sh\r\n'),
    "fish": (".config/fish/config.fish", "set -gx KELP_HOME ~/old-kelp\r\nfish_add_path ~/old-kelp/bin\r\n"),
    "tcsh": (".tcshrc", "setenv KELP_HOME ~/old-kelp\r\nset path = (~/old-kelp/bin $path)\r\n"),
}


@pytest.mark.needs("bash", "zsh", "fish", "tcsh")
@pytest.mark.parametrize("shell", CRLF)
def test_lines_with_crlf_go_like_others(shell: str, tmp_path: Path) -> None:
    file, own = CRLF[shell]
    home_of(Fragment(shell, "", {file: ""}, {}, set()), tmp_path)
    (tmp_path / file).write_bytes(f"# tides\r\n{own}# later\r\n".encode())
    environment = {"HOME": str(tmp_path), "PATH": login_path()}
    machine = Machine(locate(environment), environment)
    machine.__dict__["shells"] = tuple(each for each in machine.shells if each.name == shell)
    (spoken,) = spoken_of([tmp_path / "old-kelp"], [], machine)
    assert without(spoken.file.content or b"", spoken.statements) == b"# tides\r\n# later\r\n", (
        spoken.statements
    )


def test_the_corpus_is_large_enough() -> None:
    assert len(FRAGMENTS) >= 220


@pytest.mark.needs("bash", "zsh", "fish", "ksh", "tcsh")
@pytest.mark.parametrize("fragment", FRAGMENTS, ids=lambda each: f"{each.shell}: {each.name}")
def test_what_goes_what_stays_and_what_is_told(fragment: Fragment, tmp_path: Path) -> None:
    after = home_of(fragment, tmp_path)
    before = likeness(tmp_path, ())
    environment = {"HOME": str(tmp_path), "PATH": login_path()}
    machine = Machine(locate(environment), environment)
    machine.__dict__["shells"] = tuple(shell for shell in machine.shells if shell.name == fragment.shell)
    spoken = {each.file.path: each for each in spoken_of([tmp_path / "old-kelp"], [], machine)}
    assert likeness(tmp_path, ()) == before, "a look changes nothing"
    left = {file: (tmp_path / file).read_bytes().decode() for file in after}
    told = set()
    for path, each in spoken.items():
        file = str(path.relative_to(tmp_path))
        left[file] = without(path.read_bytes(), each.statements).decode()
        told |= {(file, s.line) for s in each.statements if not s.serves}
    why = [(s.line, s.serves, s.text, s.why) for each in spoken.values() for s in each.statements]
    assert left == after, why
    assert {file for file, _ in told} == {file for file, _ in fragment.told}, why
    missing = {(file, line) for file, line in fragment.told if (file, line) not in told}
    assert not {place for place in missing if not _told_by_its_block(place, told, fragment)}, why


def _told_by_its_block(place: tuple[str, int], told: set[tuple[str, int]], fragment: Fragment) -> bool:
    """Whether a line is shown with the statement around it, which begins above."""
    return any(file == place[0] and line < place[1] and (file, line) in fragment.told for file, line in told)


OWN = {
    "bash": (
        'export PATH="$HOME/old-kelp/bin:$PATH"\n', "PATH=$PATH:~/old-kelp/sbin\n",
        "export KELP_HOME=~/old-kelp\n",
        ". ~/old-kelp/hook.sh\n", "[ -d ~/old-kelp ] && PATH=~/old-kelp/bin:$PATH\n",
        "alias k=~/old-kelp/bin/kelp\n",
        'eval "$(~/old-kelp/bin/kelp init)"\n',
        "if [ -d ~/old-kelp/bin ]; then\n  PATH=~/old-kelp/bin:$PATH\nfi\n",
        "for f in ~/old-kelp/hooks/*.sh; do . $f; done\n",
        "eval 'PATH=~/old-kelp/bin:$PATH'\n", ': "${KELP_LIB:=$HOME/old-kelp/lib}"\n',
        "d=~/old-kelp/bin; PATH=$d:$PATH\n",
    ),
    "tcsh": (
        "setenv KELP_HOME ~/old-kelp\n", "set path = (~/old-kelp/bin $path)\n", "alias k ~/old-kelp/bin/kelp\n",
        "if (-d ~/old-kelp) setenv KELP_LIB ~/old-kelp/lib\n", "source ~/old-kelp/hook.csh\n",
        "if (-d ~/old-kelp/bin) then\n  set path = (~/old-kelp/bin $path)\nendif\n",
    ),
    "fish": (
        "fish_add_path ~/old-kelp/bin\n", "set -gx KELP_HOME ~/old-kelp\n",
        "set -gx PATH ~/old-kelp/bin $PATH\n",
        "test -d ~/old-kelp; and fish_add_path ~/old-kelp/bin\n", "alias k ~/old-kelp/bin/kelp\n",
    ),
}  # fmt: skip
OWN["ksh"] = OWN["bash"]
OWN["zsh"] = (*OWN["bash"], "path=(~/old-kelp/bin $path)\n", "path+=(~/old-kelp/bin)\n")
OTHER = {
    "bash": (
        "alias tides='ls -l'\n", "export TIDE=high\n", 'PATH="$HOME/mine:$PATH"\n',
        "quay() { echo north; }\n",
        "set -o noclobber\n", 'LATER="$TIDE, $EDITOR"\n', "# PATH=~/old-kelp/bin\n",
        "PATH=$PATH:~/old-kelpie\n",
        'case ":$PATH:" in *:/opt/tide:*) ;; *) PATH=$PATH:/opt/tide ;; esac\n', "umask 027\n",
    ),
    "fish": (
        "alias tides 'ls -l'\n", "set -gx TIDE high\n", "fish_add_path ~/mine\n",
        "function quay; echo north; end\n",
        "set -g LATER $TIDE\n", "if status is-login\n  set -gx LOGGED in\nend\n",
    ),
}  # fmt: skip
OTHER["ksh"] = OTHER["bash"]
OTHER["tcsh"] = (
    "alias tides 'ls -l'\n", "setenv TIDE high\n", "set path = (~/mine $path)\n", "set later = $?TIDE\n", "umask 027\n",
    "if ($?TIDE) then\n  setenv LOGGED in\nendif\n", "set d = ~/mine\n",
)  # fmt: skip
OTHER["zsh"] = (
    *OTHER["bash"],
    "up() { cd .. }\n",
    "typeset -U path\n",
    "files=(*.none(N))\n",
    "setopt autocd\n",
)
RC = {
    "bash": ".bashrc",
    "zsh": ".zshrc",
    "ksh": ".kshrc",
    "tcsh": ".tcshrc",
    "fish": ".config/fish/config.fish",
}


@pytest.mark.needs("bash", "zsh", "ksh", "tcsh", "fish")
@pytest.mark.parametrize("shell", RC)
@settings(max_examples=12, deadline=None, suppress_health_check=list(HealthCheck))
@given(data=st.data())
def test_the_shell_after_is_the_shell_before_without_the_install(shell: str, data: st.DataObject) -> None:
    lines = data.draw(st.lists(st.sampled_from(OWN[shell] + OTHER[shell]), min_size=1, max_size=9))
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder)
        home_of(Fragment(shell, "", {RC[shell]: "".join(lines)}, {}, set()), home)
        environment = {"HOME": folder, "PATH": login_path()}
        machine = Machine(locate(environment), environment)
        machine.__dict__["shells"] = tuple(each for each in machine.shells if each.name == shell)
        cut = {each.file.path: without(each.file.content or b"", each.statements)
               for each in spoken_of([home / "old-kelp"], [], machine)}  # fmt: skip
        never = {home / RC[shell]: "".join(line for line in lines if line in OTHER[shell]).encode()}

        def started(home: Path) -> list[StartState]:
            return [
                start_state(machine.shells[0], context, machine, home)
                for context in contexts_of(machine.shells[0])
            ]

        after, _ = in_copy(World(home, cut, (home / "old-kelp",)), started)
        plain, _ = in_copy(World(home, never, (home / "old-kelp",)), started)
        for one, other in zip(after, plain, strict=True):
            assert not one.cut_off
            differing = {
                key for key in {**one.facts, **other.facts} if one.facts.get(key) != other.facts.get(key)
            }
            assert differing - {"status"} == set(), (
                lines,
                [(one.facts.get(k), other.facts.get(k)) for k in differing],
            )
