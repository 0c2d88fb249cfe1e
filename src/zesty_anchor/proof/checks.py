"""What is checked in each fresh shell. Pure: from what is wanted to questions, from answers to results."""

from __future__ import annotations

import base64
import fnmatch
import os
import re
from collections.abc import Mapping, Sequence
from pathlib import Path

import msgspec

from zesty_anchor.manifest.model import Identity, KnownHost
from zesty_anchor.manifest.recipe import Program
from zesty_anchor.manifest.wanted import Wanted, WantedVersion
from zesty_anchor.proof.advice import advice
from zesty_anchor.proof.result import CheckResult
from zesty_anchor.shells.fresh import Answer
from zesty_anchor.shells.posix import quote
from zesty_anchor.shells.shell import HIDING
from zesty_anchor.system.locations import Locations
from zesty_anchor.system.ssh import key_file

_LONGEST = 400
_ENVIRONMENT = "command env -0"


class Question(msgspec.Struct, frozen=True):
    """A command line, and what its output must be.

    ``how`` is ``place`` (one of these paths, a line each), ``variable`` (the value that ``env -0`` gives for the name after
    the dollar sign of ``name``, byte for byte), ``glob``, ``once`` (a PATH that holds each of the expected folders once), or
    ``outside`` (a path that is not in that folder). Questions with the same ``run`` share one answer.
    """

    name: str
    run: str
    expected: str
    how: str


def questions(wanted: Wanted, locations: Locations) -> list[Question]:
    """Everything that a fresh shell must answer. Where nothing follows the folder, a command may be its launcher."""
    asked: list[Question] = []
    for version in wanted.versions:
        if version.default:
            commands = (*version.recipe.commands, *(c for extra in version.extras for c in extra.commands))
            asked += [_where(version, command, locations.launchers) for command in dict.fromkeys(commands)]
        asked += _which(version)
    for command in wanted.of_system:
        asked.append(Question(f"the system's {command} answers", f"command -v {command}", str(wanted.shelf), "outside"))
    for name, value in wanted.by_default:
        asked.append(Question(f"${name}", _ENVIRONMENT, value, "variable"))
    for check in wanted.checks:
        run = f"cd {quote(str(wanted.folder))} && {check.run}"
        asked.append(Question(check.name, run, check.expect, "glob"))
    for host in wanted.identity.hosts if wanted.identity else ():
        if host.user and wanted.identity:
            asked.append(
                Question(
                    f"{host.label} takes the key of {host.user}",
                    _login(host, wanted.identity, locations.home),
                    "",
                    "glob",
                )
            )
    folders = tuple(dict.fromkeys((*wanted.path_first, *wanted.default_bins, *wanted.path_last)))
    if folders:
        asked.append(Question("PATH holds our folders once", 'printf %s "$PATH"', ":".join(folders), "once"))
    return asked


def _login(host: KnownHost, identity: Identity, home: Path) -> str:
    """255 is ssh's own status, for no connection or a key that is not taken (ssh(1), "EXIT STATUS")."""
    words = ["-o", "BatchMode=yes", "-o", "StrictHostKeyChecking=yes", "-o", "ConnectTimeout=10", "-p", str(host.port),
             "-o", f"UserKnownHostsFile={home}/.ssh/known_hosts"]  # fmt: skip
    words += ["-i", str(key_file(home, identity.key))] if identity.key else []
    shown = " ".join(map(quote, [*words, f"{host.user}@{host.name}", "exit"]))
    return f'said=$(ssh {shown} 2>&1 </dev/null); if [ $? = 255 ]; then printf "%s\\n" "$said"; exit 1; fi'


def programs(wanted: Wanted) -> list[Question]:
    """The recipes' small programs, for each version: asked in one shell only, since compiling takes its time."""
    return [_program(version, version.recipe.program) for version in wanted.versions if version.recipe.program]


def about(version: WantedVersion) -> list[Question]:
    """The questions whose answers hang on a version alone: which one it is, and whether its small program runs. That its
    commands answer hangs on the shells too, and is asked each time.
    """
    return [*_which(version), *([_program(version, version.recipe.program)] if version.recipe.program else [])]


def _program(version: WantedVersion, program: Program) -> Question:
    """The program runs in a folder and a home of its own, so that caches do not stay in the person's."""
    encoded = program.base64 or base64.b64encode(program.text.encode()).decode()
    path = ":".join(quote(str(b)) for b in version.bins)
    values = " ".join(f"{name}={quote(value)}" for name, value in version.variables)
    run = (
        f'd=$(mktemp -d) && cd "$d" && printf %s {encoded} | base64 -d >{quote(program.file)} && '
        f'export HOME="$d" XDG_CACHE_HOME="$d/.cache" PATH={path}:"$PATH" {values}; {program.run}; '
        's=$?; cd /; chmod -R u+w "$d"; rm -rf "$d"; exit $s'
    )
    return Question(f"{version.runtime} {version.version} runs a program", run, program.expect, "glob")


def _where(version: WantedVersion, command: str, launchers: Path) -> Question:
    folder = next((b for b in version.bins if (b / command).is_file()), None)
    # A function answers with its name alone.
    function = version.recipe.manager is not None and version.recipe.manager.function is not None
    # A launcher is no proof where the version has no such command any more.
    places = f"{folder / command}\n{launchers / command}" if folder else str(version.bins[0] / command)
    places += f"\n{command}" if function else ""
    hidden = f'case " ${{{HIDING}-}} " in *" {command} "*) echo {command} ;; *) command -v {command} ;; esac'
    return Question(f"{command} is found", hidden, places, "place")


def _which(version: WantedVersion) -> list[Question]:
    proof = version.recipe.version
    if proof is None:
        return []
    expected = proof.expected(version.version)
    if version.default:
        return [Question(f"{version.runtime} is {version.version}", proof.run, expected, "glob")]
    path = ":".join(quote(str(b)) for b in version.bins)
    return [
        Question(
            f"{version.runtime} {version.version} answers beside it",
            f"PATH={path}:$PATH; {proof.run}",
            expected,
            "glob",
        )
    ]


def judge(question: Question, answer: Answer, started: bool, given: Mapping[bytes, bytes]) -> CheckResult:
    """Compare an answer with what is expected; ``given`` are the variables of the shell's environment."""
    observed = answer.text[:_LONGEST]
    if not started:
        return CheckResult(
            question.name,
            False,
            question.expected,
            "the shell took no command: a startup file waits or ended it",
        )
    if answer.status is None:
        return CheckResult(
            question.name, False, question.expected, f"no end within the time allowed; so far: {observed!r}"
        )
    if question.how == "variable":
        value = given.get(os.fsencode(question.name[1:]))
        ok = answer.status == 0 and value == question.expected.encode("utf-8", "surrogateescape")
        observed = "not set" if value is None else value.decode("utf-8", "replace")[:_LONGEST]
    elif question.how == "once":
        observed = _not_once(question.expected.split(":"), answer.text.split(":"))
        ok = not observed
    elif question.how == "outside":
        ok = answer.status == 0 and answer.text.startswith("/") and not answer.text.startswith(question.expected + "/")
    elif question.how == "place":
        observed = _unquoted(answer.text)
        ok = observed in question.expected.split("\n")
        if not ok and re.fullmatch(r"[\w.+-]+", observed):
            observed = f"a function or an alias of the shell; its line: zesty-anchor trace {observed}"
    else:
        ok = answer.status == 0 and fnmatch.fnmatchcase(answer.text, question.expected)
    if not ok and answer.status != 0:
        observed = f"{observed} (exit status {answer.status})".strip()
    expected = question.expected.split("\n")[0] if question.how == "place" else question.expected
    then = "" if ok else advice(question.how, question.name, answer.text if question.how == "glob" else observed)
    return CheckResult(question.name, ok, expected or "(nothing)", observed or "(nothing)", then)


def environment_in(output: bytes) -> dict[bytes, bytes]:
    """The variables in what ``env -0`` printed (env(1)). Pure."""
    return {name: value for name, sign, value in (each.partition(b"=") for each in output.split(b"\0")) if sign}


def _unquoted(text: str) -> str:
    """A path as it is: ksh's ``command -v`` quotes one that has blanks or the like."""
    if text.startswith("$'"):
        return re.sub(r"\\(.)", r"\1", text[2:-1])
    return text[1:-1].replace("'\\''", "'") if text.startswith("'") else text


def _not_once(expected: Sequence[str], path: Sequence[str]) -> str:
    """What is wrong with a PATH, in words; empty where it holds each folder once."""
    counts = {folder: path.count(folder) for folder in expected}
    wrong = [
        f"{folder} {'is missing' if n == 0 else f'stands there {n} times'}" for folder, n in counts.items() if n != 1
    ]
    return "; ".join(wrong)


def judge_all(asked: Sequence[Question], answers: Mapping[str, Answer], started: bool) -> tuple[CheckResult, ...]:
    """Compare all answers of one shell; they come by the command lines that they answer."""
    given = environment_in(answers[_ENVIRONMENT].output) if _ENVIRONMENT in answers else {}
    return tuple(judge(question, answers[question.run], started, given) for question in asked)
