"""Startup-file fragments of the kinds that people have, with real shells: the trace names the line that
brought something, and what is cut for an old install leaves everything else as it was.
"""

from __future__ import annotations

import os
import subprocess
from pathlib import Path
from typing import NamedTuple

import pytest

from tests.conftest import SHELLS
from zesty_anchor.shells.reading import INTERACTIVE
from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.startup.places import Places
from zesty_anchor.survey.startup.startup_trace import StartupTrace, trace_startup
from zesty_anchor.survey.startup.statement import without
from zesty_anchor.survey.startup.statements import statements_about
from zesty_anchor.survey.startup.step import Place
from zesty_anchor.system.host import login_path
from zesty_anchor.system.locations import locate

HEAD = "alias tides='ls -l'\nexport EDITOR=vi\nquay() { echo north; }\n"
TAIL = 'export LATER="$EDITOR, $SHLVL"\nlater() { :; }\nPATH="$PATH:$HOME/mine"\n'
FILES = {
    "bin/kelp": (
        "#!/bin/sh\ncase ${1-} in init) echo 'export KELP_INIT=1' ;; comp) echo 'kelp_comp() { :; }' ;; *)"
        " echo kelp 3.1 ;; esac\n"
    ),
    "hook.sh": "export KELP_HOOKED=yes\nkelp_hook() { :; }\n",
    "env": 'export KELP_ENV=1\nexport PATH="$HOME/old-kelp/sbin:$PATH"\n',
    "more.sh": '. "$HOME/old-kelp/hook.sh"\n',
    "hooks/a.sh": "kelp_a() { :; }\n",
    "hooks/b.sh": "alias kelp-b='true'\n",
    "sbin/tide": "#!/bin/sh\n",
}


class Fragment(NamedTuple):
    text: str
    left: str | None = ""
    """What is left of it; None: it is shown for a decision, and stays whole."""
    entry: str = ""
    """A folder of the old install that it puts on PATH, and at which of its lines."""
    at: int = 1
    variable: str = ""
    alias: str = ""
    function: str = ""
    file: str = ""
    """The file that the provenance names, below the old install; else the startup file."""
    shells: tuple[str, ...] = ("bash", "zsh")


CORPUS = {
    "plain export": Fragment('export PATH="$HOME/old-kelp/bin:$PATH"\n', entry="bin"),
    "no export": Fragment("PATH=~/old-kelp/bin:$PATH\n", entry="bin"),
    "behind": Fragment("export PATH=$PATH:$HOME/old-kelp/bin\n", entry="bin"),
    "two of the folder": Fragment("PATH=~/old-kelp/bin:~/old-kelp/sbin:$PATH\n", entry="sbin"),
    "braces and a comment": Fragment('export PATH="${HOME}/old-kelp/bin:${PATH}"  # the old kelp\n',
    entry="bin"),
    "only if PATH is set": Fragment('export PATH="$HOME/old-kelp/bin${PATH:+:$PATH}"\n', entry="bin"),
    "assigned, then exported": Fragment("PATH=$HOME/old-kelp/bin:$PATH; export PATH\n", entry="bin"),
    "a continued line": Fragment('export PATH="$HOME/old-kelp/bin:\\\n$PATH"\n', entry="bin", shells=("bash",
    )),
    "a case guard": Fragment(
        'case ":$PATH:" in\n  *":$HOME/old-kelp/bin:"*) ;;\n  *) export PATH="$HOME/old-kelp/bin:$PATH" ;;\nesac\n', entry="bin", at=3,
    ),
    "an if": Fragment('if [ -d "$HOME/old-kelp/bin" ]; then\n  PATH="$HOME/old-kelp/bin:$PATH"\nfi\n',
    entry="bin", at=2),
    "an if on one line": Fragment("if [ -d ~/old-kelp/bin ]; then PATH=~/old-kelp/bin:$PATH; fi\n",
    entry="bin"),
    "double brackets": Fragment('[[ -d ~/old-kelp/bin ]] && export PATH="$HOME/old-kelp/bin:$PATH"\n',
    entry="bin"),
    "not there yet": Fragment(
        '[[ ":$PATH:" != *":$HOME/old-kelp/bin:"* ]] && PATH="$HOME/old-kelp/bin:$PATH"\n', entry="bin"
    ),
    "source if there": Fragment('[ -s "$HOME/old-kelp/hook.sh" ] && . "$HOME/old-kelp/hook.sh"\n',
    variable="KELP_HOOKED", file="hook.sh"),
    "source, without noise": Fragment("source ~/old-kelp/hook.sh 2>/dev/null || true\n", function="kelp_hook",
    file="hook.sh", at=2),
    "an escaped dot": Fragment('[ -s ~/old-kelp/env ] && \\. ~/old-kelp/env\n', entry="sbin", file="env",
    at=2),
    "one that sources another": Fragment(". ~/old-kelp/more.sh\n", variable="KELP_HOOKED", file="hook.sh"),
    "a loop over its hooks": Fragment('for f in ~/old-kelp/hooks/*.sh; do\n  . "$f"\ndone\nunset f\n',
    "unset f\n", function="kelp_a", file="hooks/a.sh"),
    "a guarded loop": Fragment('for f in ~/old-kelp/hooks/*.sh; do [ -r "$f" ] && . "$f"; done\n',
    alias="kelp-b", file="hooks/b.sh"),
    "a home variable": Fragment('export KELP_HOME="$HOME/old-kelp"\n', variable="KELP_HOME"),
    "PATH by the home variable": Fragment('export KELP_HOME=$HOME/old-kelp\nexport PATH="$KELP_HOME/bin:$PATH"\n', entry="bin", at=2),
    "exported apart": Fragment("KELP_HOME=~/old-kelp\nexport KELP_HOME\n", variable="KELP_HOME", at=1),
    "two in one export": Fragment("export KELP_HOME=~/old-kelp KELP_LIB=~/old-kelp/lib\n",
    variable="KELP_LIB"),
    "a default in braces": Fragment('export KELP_HOME="${HOME:-/root}/old-kelp"\n. "${KELP_HOME}/hook.sh"\n',
    variable="KELP_HOME"),
    "eval of what it prints": Fragment('eval "$(~/old-kelp/bin/kelp init bash)"\n', variable="KELP_INIT"),
    "eval, if it is there": Fragment('if [ -x ~/old-kelp/bin/kelp ]; then eval "$("$HOME"/old-kelp/bin/kelp init)"; fi\n', variable="KELP_INIT"),
    "a completion": Fragment("source <(~/old-kelp/bin/kelp comp)\n", function="kelp_comp", file="?"),
    "an alias": Fragment("alias kelp=~/old-kelp/bin/kelp\n", alias="kelp"),
    "an alias with options": Fragment("alias kelp=\"$HOME/old-kelp/bin/kelp --quiet\"\n", alias="kelp"),
    "zsh's path": Fragment('path=(~/old-kelp/bin $path)\n', entry="bin", shells=("zsh",)),
    "zsh's path, added to": Fragment("path+=(~/old-kelp/bin)\n", entry="bin", shells=("zsh",)),
    "zsh's unique path": Fragment("typeset -U path PATH\npath=($HOME/old-kelp/bin $path)\n",
    "typeset -U path PATH\n", entry="bin", at=2, shells=("zsh",)),
    "typeset": Fragment("typeset -x KELP_HOME=~/old-kelp\n", variable="KELP_HOME"),
    "PATH, added to": Fragment("PATH+=:$HOME/old-kelp/bin\n", entry="bin"),
    "an if that does more": Fragment(
        "if [ -d ~/tides ] || true; then\n  export PATH=~/old-kelp/bin:$PATH\n  export TIDE=high\nfi\n",
        "if [ -d ~/tides ] || true; then\n  export TIDE=high\nfi\n", entry="bin", at=2,
    ),
    "a function": Fragment('kelp() {\n  "$HOME/old-kelp/bin/kelp" "$@"\n}\n', None, function="kelp"),
    "other folders too": Fragment('export PATH="$HOME/old-kelp/bin:$HOME/other:$PATH"\n',
    'export PATH="$HOME/other:$PATH"\n', entry="bin"),
    "with another variable": Fragment("export TIDE=high KELP_HOME=~/old-kelp\n", "export TIDE=high\n",
    variable="KELP_HOME"),
    "a heredoc": Fragment("read -r NOTE <<END\nexport PATH=~/old-kelp/bin:$PATH\nEND\n", None,
    variable="NOTE", shells=()),
    "a here-string": Fragment('read -r WORD <<< "$HOME/old-kelp/bin"\n', None),
    "a comment that looks like code": Fragment("# export PATH=~/old-kelp/bin:$PATH\n", None),
    "a text that looks like code": Fragment("NOTE='PATH=~/old-kelp/bin:x'\n", None),
    "another folder": Fragment("export PATH=~/old-kelpie/bin:$PATH\n", None),
    "a call": Fragment("~/old-kelp/bin/kelp >/dev/null\n", None),
    "CRLF": Fragment('export KELP_HOME="$HOME/old-kelp"\r\n', "", shells=()),
    "nothing is left of a block": Fragment("if true; then\n  PATH=~/old-kelp/bin:$PATH\nelse\n  TIDE=low\nfi\n", None, entry="bin", at=2),
    "a part of a block": Fragment(
        "if true; then\n  TIDE=low\n  . ~/old-kelp/hook.sh\nfi\n", "if true; then\n  TIDE=low\nfi\n",
        variable="KELP_HOOKED", file="hook.sh",
    ),
}  # fmt: skip
CASES = [(name, shell) for name, fragment in CORPUS.items() for shell in fragment.shells]


def test_the_corpus_is_large_enough() -> None:
    assert len(CORPUS) >= 40


@pytest.mark.parametrize("name", CORPUS)
def test_what_is_cut(name: str) -> None:
    fragment, home = CORPUS[name], Path("/home/desk")
    content = (HEAD + fragment.text + TAIL).encode()
    found = statements_about(content, Places(home, [home / "old-kelp"]))
    left = fragment.text if fragment.left is None else fragment.left
    assert without(content, found).decode() == HEAD + left + TAIL
    if fragment.left is None and "old-kelp/" in fragment.text and not fragment.text.startswith(("#", "NOTE")):
        assert [statement for statement in found if not statement.serves], "it is shown for a decision"


def started(home: Path, shell: str) -> StartupTrace:
    machine = looked_at(home)
    installed = machine.shell(shell)
    assert installed
    return trace_startup(installed, INTERACTIVE, machine)


def looked_at(home: Path) -> Machine:
    environment = {"HOME": str(home), "PATH": login_path()}
    return Machine(locate(environment), environment)


@pytest.mark.needs("bash", "zsh")
@pytest.mark.parametrize(("name", "shell"), CASES)
def test_the_line_is_named_and_the_rest_stays_as_it_was(name: str, shell: str, tmp_path: Path) -> None:
    fragment, old = CORPUS[name], tmp_path / "old-kelp"
    for file, text in FILES.items():
        (old / file).parent.mkdir(parents=True, exist_ok=True)
        (old / file).write_text(text)
        (old / file).chmod(0o755)
    rc = tmp_path / f".{shell}rc"
    rc.write_text(HEAD + fragment.text + TAIL)
    before = started(tmp_path, shell)
    assert not before.cut_off
    _names_the_line(fragment, before, rc, old)

    content = rc.read_bytes()
    cut = without(content, statements_about(content, Places(tmp_path, [old])))
    rc.write_bytes(cut)
    assert subprocess.run([SHELLS[shell], "-n", str(rc)], capture_output=True, check=False).returncode == 0
    old.rename(tmp_path / "attic")
    after = started(tmp_path, shell)
    assert _rest(after, old) == _rest(before, old)


def _names_the_line(fragment: Fragment, trace: StartupTrace, rc: Path, old: Path) -> None:
    line = fragment.at if fragment.file else HEAD.count("\n") + fragment.at
    place = Place(str(old / fragment.file if fragment.file else rc), line)
    if fragment.entry:
        assert trace.of_path_entry(str(old / fragment.entry)) == place
    if fragment.variable:
        assert trace.of_variable(fragment.variable) == place
    if fragment.alias:
        assert trace.of_alias(fragment.alias) == place
    if fragment.function and fragment.file != "?":
        told = trace.functions[fragment.function]
        assert told is not None
        assert (told.file, told.line or place.line) == (place.file, place.line)


def _rest(trace: StartupTrace, old: Path) -> dict[str, object]:
    """What a shell has, without what the old install brought. What cannot be cut still speaks of it."""
    gone = str(old)
    path = [entry for entry in trace.path.split(":") if not entry.startswith(gone)]
    variables = {
        name: value
        for name, value in trace.variables.items()
        if not name.startswith("KELP")
        and name not in ("PATH", "_", "BASH_XTRACEFD", "PS4")
        and gone not in value
    }
    functions = {name for name in trace.functions if not name.startswith("kelp")}
    aliases = {name: value for name, value in trace.aliases.items() if not name.startswith("kelp")}
    return {"path": path, "variables": variables, "functions": functions, "aliases": aliases}


@pytest.mark.needs("bash", "zsh", "ksh", "mksh")
@pytest.mark.parametrize("shell", ["bash", "zsh", "ksh", "mksh"])
def test_a_file_that_waits_or_ends_the_shell_is_cut_off_and_named(shell: str, tmp_path: Path) -> None:
    rc = tmp_path / f".{shell}rc"
    machine = looked_at(tmp_path)
    installed = machine.shell(shell)
    assert installed
    for text, said in (
        ("x=1\nread answer\n", "did not come to an end"),
        ("x=1\nexit 3\n", "ended it before"),
    ):
        rc.write_text(text)
        trace = trace_startup(installed, INTERACTIVE, machine, seconds=1.5)
        assert said in trace.cut_off
        if shell != "mksh":
            assert f"{machine.locations.shown(rc)}:2" in trace.cut_off
    assert rc.read_text() == text
    assert os.listdir(tmp_path) == [rc.name]
