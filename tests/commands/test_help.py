"""The help: every command is in a group, has three examples, and each example is a command line that
works.
"""

from __future__ import annotations

import ast
import re
import shlex
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click
import pytest
import tomlkit

from tests.commands.conftest import BOTH
from tests.conftest import PROGRAM, Desk
from zesty_anchor.commands import main
from zesty_anchor.commands.examples import EXAMPLES
from zesty_anchor.manifest.read import parse_manifest
from zesty_anchor.system.exit_status import EXIT_STATUS
from zesty_anchor.system.own_commands import COMMANDS
from zesty_anchor.system.problem import Problems, UsageProblem

ROOT = Path(__file__).parents[2]
SHOWN = [what for rows in EXAMPLES.values() for what, _ in rows]


def words_of(example: str) -> list[str]:
    return shlex.split(example.partition(" | ")[0])[1:]


def test_every_command_has_three_examples() -> None:
    assert set(EXAMPLES) == set(COMMANDS)
    assert {name for name, rows in EXAMPLES.items() if len(rows) != 3} == set()
    assert len(set(SHOWN)) == len(SHOWN)


@pytest.mark.parametrize("example", SHOWN)
def test_the_examples_are_understood(example: str) -> None:
    name, *words = words_of(example)
    whole = click.Context(main, info_name="zesty-anchor")
    command = main.get_command(whole, name)
    assert command is not None
    context = command.make_context(name, words, whole)
    assert not context.args or name in ("with", "schema"), context.args


def test_an_example_with_a_wrong_option_would_be_noticed() -> None:
    whole = click.Context(main, info_name="zesty-anchor")
    command = main.get_command(whole, "undo")
    assert command is not None
    with pytest.raises(click.NoSuchOption):
        command.make_context("undo", ["--rum", "1"], whole)


@pytest.mark.needs("bash", "zsh")
@pytest.mark.sees_system
def test_the_examples_do_what_they_say(desk: Desk) -> None:
    desk.wants('[shells]\nuse = ["bash", "zsh"]\n[variables]\nGAUGE = "north quay"\n', BOTH)
    desk.well("provision")
    elsewhere = ("coral", "desk/workstation.toml", "make")
    left_out = [
        "demo",
        "rehearse",
        "identity",
        "timing",
        "report",
        "dismantle",
        "remove",
        "draft",
        "undo",
        "attic",
        "lock",
        "mirror",
        "across",
    ]
    folder = desk.home / "soundings"
    folder.mkdir()
    desk.write('[variables]\nDEPTH = "12"\n', "soundings/workstation.toml")
    ran = 0
    for name in (each for each in COMMANDS if each not in left_out):
        for what, _ in EXAMPLES[name]:
            words = words_of(what)
            if what.startswith("za "):  # a function of the shells
                path = f"PATH={PROGRAM.parent}:$PATH; {what}; kelp --version"
                assert desk.shell("bash", path, "-i").strip() == "kelp 3.6.2"
            elif not any(part in word for word in words for part in elsewhere):
                answer = desk.run(*words, cwd=folder)
                assert answer.code == 0, f"{what}: {answer.out}{answer.err}"
                ran += 1
    assert ran > 25


def test_the_help_has_groups_and_ends_with_examples(desk: Desk) -> None:
    whole = desk.well("--help").out
    for group in ("Look:", "Make:", "Use:", "Undo:"):
        assert f"\n{group}\n" in whole
    for name in COMMANDS:
        assert f"\n  {name} " in whole
        shown = desk.well(name, "--help").out
        assert "\nExamples:\n" in shown
        assert EXAMPLES[name][0][0] in shown


def test_the_exit_statuses_of_errors_are_documented() -> None:
    from zesty_anchor.system.problem import Problem

    def every(kind: type[Problem]) -> set[int]:
        return {kind.code, *(code for each in kind.__subclasses__() for code in every(each))}

    assert every(Problem) <= set(EXIT_STATUS)


def test_the_pages_of_the_documentation_come_with_the_program(desk: Desk) -> None:
    listed = desk.well("docs", "--json").json["pages"]
    names = {page["name"] for page in listed}
    assert names == {file.stem for file in (ROOT / "docs").glob("*.md")}
    assert desk.well("docs", "manifest").out == (ROOT / "docs/manifest.md").read_text()
    wrong = desk.run("docs", "manifesto")
    assert wrong.code == 2 and "did you mean 'manifest'?" in wrong.err
    assert f"To read one: {'zesty-anchor docs manifest'}" in desk.well("docs").out


def test_each_page_that_a_message_names_is_there(desk: Desk) -> None:
    source = "".join(file.read_text() for file in (ROOT / "src/zesty_anchor").rglob("*.py"))
    named = set(re.findall(r"zesty-anchor docs ([a-z-]+)", source)) - {"tutorial"}
    assert {"keys", "manifest", "recipes", "feeds"} <= named
    for name in named:
        assert desk.well("docs", name).out.startswith("# ")
    printed = re.sub(r'""".*?"""', "", source, flags=re.DOTALL)
    assert not re.findall(r"docs/[a-z-]+\.md", printed), "a file that nobody has"


NO_COMMANDS = {
    "block",
    "did",
    "has",
    "is",
    "itself",
    "launcher",
    "line",
    "looks",
    "may",
    "never",
    "on",
    "runs",
    "sets",
    "wrote",
    "za",
}
"""Words that follow the program's name in a sentence, and what only our shells call."""


def without_docstrings(source: str) -> str:
    """The source without every text that is a statement by itself."""
    lines = source.splitlines()
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            lines[node.lineno - 1 : node.end_lineno] = [""] * (node.end_lineno - node.lineno + 1)
    return "\n".join(lines)


def advised() -> set[tuple[str, str]]:
    """Every command line of ours in a text of the source or of a page: the command, and the rest of it."""
    found: set[tuple[str, str]] = set()
    for file in (
        *(ROOT / "src/zesty_anchor").rglob("*.py"),
        *(ROOT / "docs").glob("*.md"),
        ROOT / "README.md",
    ):
        text = file.read_text()
        if file.suffix == ".py":  # texts that go on in the next line of the source
            text = re.sub(r'"\s*\n\s*f?"', "", without_docstrings(text))
        found |= set(re.findall(r"\b(?:zesty-anchor|za) ([a-z][a-z-]*)((?: +--?[a-z][a-z-]*)*)", text))
    return found


def test_each_command_that_is_advised_is_there_with_its_options() -> None:
    words = {word for word, _ in advised()}
    assert len(words & set(COMMANDS)) > 25
    sentences = words - set(COMMANDS)
    assert sentences <= NO_COMMANDS, (
        f"no command of ours, and no sentence about us: {sentences - NO_COMMANDS}"
    )
    for command, options in advised():
        for option in options.split() if command in COMMANDS else ():
            assert option in (*COMMANDS[command].options, "--help"), f"zesty-anchor {command} has no {option}"


FRAGMENT = re.compile(
    r"(\[\[?[a-z][a-z.-]*\]\]?)\s+([a-z][a-z-]*) = "
    r'("[^"]*"|\[[^\]]*\]|\{[^}]*\}|true|false|\d+|@)'
)
BASE = """
[feeds.harbour]
kind = "index"
url = "http://127.0.0.1:1/"
[recipes.kelp]
commands = ["kelp"]
[runtimes.kelp]
want = "lts"
"""
NEEDED = {"checks": {"run": "kelp"}, "managers": {"want": "1"}, "feeds": {"kind": "index"}, "sources": {"url": "http://127.0.0.1:1/", "key": "key.asc"}, "runtimes": {"want": "1"}}  # fmt: skip
"""What a table of that name cannot do without, so that what is advised is its only addition."""


def texts() -> Iterator[str]:
    """Every text of the source; what stands in it for a value is an @."""
    for file in (ROOT / "src/zesty_anchor").rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text())) if file.name != "examples.py" else ():
            if isinstance(node, ast.JoinedStr):
                yield "".join(str(v.value) if isinstance(v, ast.Constant) else "@" for v in node.values)
            elif isinstance(node, ast.Constant) and isinstance(node.value, str):
                yield node.value


def fragments() -> set[tuple[str, str, str]]:
    """Every line of a manifest in a text of the source: its table, its key, and its value. What stands there
    for a value is a kelp.
    """
    found: set[tuple[str, str, str]] = set()
    for text in texts():
        found |= set(FRAGMENT.findall(text.replace('"@"', '"kelp"').replace("@]", "kelp]")))
    return {each for each in found if each[0] not in ("[kelp]", "[[feeds]]")}  # the latter is a recipe's


def understood(table: str, key: str, value: str) -> str:
    """What reading a manifest with this line says, once it is in a table that lacks nothing else."""
    given = value if value != "@" else '["git"]'
    part = tomllib.loads(f"{table}\n{key} = {given}\n")
    whole: dict[str, Any] = tomllib.loads(BASE)
    at, steps = whole, table.strip("[]").split(".")
    for step in steps[:-1]:
        at, part = at.setdefault(step, {}), part[step]
    group = next((name for name in (steps[-1], *reversed(steps[:-1])) if name in NEEDED), "")
    last = part[steps[-1]]
    for each in last if isinstance(last, list) else [last]:
        for name, needed in NEEDED.get(group, {}).items():
            if not (name == "run" and {"file", "port", "url"} & each.keys()):
                each.setdefault(name, needed)
    at[steps[-1]] = {**at.get(steps[-1], {}), **last} if isinstance(last, dict) else last
    try:
        parse_manifest(tomlkit.dumps(whole), Path("workstation.toml"), lambda name: {})
    except (UsageProblem, Problems) as problem:
        return str(problem)
    return ""


def test_each_line_of_a_manifest_that_is_advised_can_be_written() -> None:
    lines = fragments()
    assert len(lines) > 25
    for line in lines:
        said = understood(*line)
        if any(filled in "".join(line[::2]) for filled in ("kelp", "@")):  # a value that nobody would write
            assert "is not known" not in said, (line, said)
        else:
            assert said == "", (line, said)
    assert "is not known" in understood("[runtimes.kelp]", "wont", '"lts"'), "one would be noticed"
    assert understood("[support]", "ended", '"never"')


VALUES = {
    "--only": "kelp", "--platform": "linux-x86_64", "--upgrade": "kelp", "--script": "kelp", "--trust": "workstation.toml",
    "-m": "workstation.toml", "--older": "90d", "--report": "rehearsal.html", "--seconds": "1", "--shell": "bash",
    "--run": "1", "--keep": "kept",
}  # fmt: skip
MEANT = {"NAME": "kelp", "VERSION": "4.2.1", "RUN": "1", "N": "1", "LINE": "4", "FILE": "workstation.toml"}
SLOW = ("demo", "timing")
"""Their own tests run them."""
LAST = ("remove", "undo", "dismantle")
"""What takes something away comes after all that looks."""


def advised_lines() -> set[tuple[str, ...]]:
    """Every command line of ours in a text of the source, as far as its words are options or stand for
    something, with words that mean something in a home with a kelp.
    """
    found: set[tuple[str, ...]] = set()
    for text in texts():
        for command, rest in re.findall(r"\bzesty-anchor ([a-z][a-z-]*)((?: +[^\s\"'`,;:()…]+)*)", text):
            words = [command] if command in COMMANDS else []
            for word in rest.split() if words else ():
                if word == "@":
                    taken = [each for each in words[1:] if not each.startswith("-")]
                    word = VALUES.get(words[-1], "4.2.1" if taken else "kelp")
                known = (*MEANT, "kelp", "4.2.1", "1", VALUES.get(words[-1]))
                if not word.startswith("-") and word not in known and not re.fullmatch(r"\d[\d.]*", word):
                    break
                words += [MEANT.get(word, word)]
            if words and words[-1] in VALUES:
                words.append(VALUES[words[-1]])
            if words:
                found.add(tuple(words))
    return found


def test_each_command_that_is_advised_runs(desk: Desk) -> None:
    """None is refused for how it is written, and none fails in a way that nobody expected."""
    desk.wants('[shells]\nuse = ["bash"]\n', '[runtimes.kelp]\nwant = "4.2.1"\nalso = ["3.6.2"]\n')
    desk.well("provision")
    lines = advised_lines()
    assert len(lines) > 50
    ran = 0
    for line in sorted(lines, key=lambda each: (LAST.index(each[0]) if each[0] in LAST else -1, each)):
        if (
            line[0] in SLOW or "--choose" in line
        ):  # a chooser has its terminal in tests/commands/test_choosing.py
            continue
        done = desk.run(*line)
        if line[1:] == () and "Missing argument" in done.err:
            continue  # a sentence that names the command
        ran += 1
        assert done.code in (0, 3, 5, 6) or "next:" in done.err, (line, done)
        assert "Usage:" not in done.err.splitlines()[:1] and "unexpected" not in done.err, (line, done)
    assert ran > 40
