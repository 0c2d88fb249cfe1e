"""What is made of a new shell's answers. Pure."""

from __future__ import annotations

import fnmatch
import os
import re
from collections.abc import Mapping, Sequence

import msgspec

from zesty_anchor.manifest.check import Check
from zesty_anchor.proof.advice import advice
from zesty_anchor.proof.checks import ENVIRONMENT
from zesty_anchor.proof.question import Question
from zesty_anchor.proof.result import CheckResult
from zesty_anchor.shells.fresh import LARGEST, NO_ANSWER, Answer

_LONGEST = 400
_WORKS = {"started": "it starts", "fetched": "it fetches a package"}
_NOT_STARTED = "the shell took no command: a startup file waits, or ended it"


def judge_all(
    asked: Sequence[Question], answers: Mapping[str, Answer], started: bool
) -> tuple[CheckResult, ...]:
    """Compare all answers of one shell; they come by the command lines that they answer."""
    given = environment_in(answers[ENVIRONMENT].output) if ENVIRONMENT in answers else {}
    return tuple(
        msgspec.structs.replace(
            judge(question, answers.get(question.run, NO_ANSWER), started, given), about=question.about
        )
        for question in asked
    )


def judge(question: Question, answer: Answer, started: bool, given: Mapping[bytes, bytes]) -> CheckResult:
    """Compare an answer with what is expected; ``given`` are the variables of the shell's environment."""
    if not started:
        return CheckResult(question.name, False, _expected(question), _NOT_STARTED)
    ended = _why_ended(question, answer)
    if ended:
        return CheckResult(question.name, False, _expected(question), ended)
    if question.check is not None:
        return of_check(question.check, answer)
    ok, observed = _compared(question, answer, given)
    if not ok and answer.status != 0:
        observed = f"{observed} (exit status {answer.status})".strip()
    cause, fix = (None, "") if ok else advice(answer.text)
    return CheckResult(question.name, ok, _expected(question), observed or "(nothing)", cause, fix)


def _compared(question: Question, answer: Answer, given: Mapping[bytes, bytes]) -> tuple[bool, str]:
    """Whether it is so, and what was seen."""
    well, text = answer.status == 0, answer.text
    if question.how == "variable":
        value = given.get(os.fsencode(question.name[1:]))
        seen = "not set" if value is None else value.decode("utf-8", "replace")[:_LONGEST]
        return well and value == question.expected.encode("utf-8", "surrogateescape"), seen or "empty"
    if question.how == "once":
        wrong = _not_once(question.expected.split(":"), os.fsdecode(given.get(b"PATH", b"")).split(":"))
        return well and not wrong, wrong or "each once"
    if question.how == "absolute":
        wrong = _relative(os.fsdecode(given.get(b"PATH", b"/")).split(":"))
        return well and not wrong, wrong or "all absolute"
    if question.how == "outside":
        elsewhere = not any(text.startswith(f"{folder}/") for folder in question.expected.split("\0"))
        return well and text.startswith("/") and elsewhere, text[:_LONGEST]
    if question.how == "place":
        text = _unquoted(text)
        ok = well and text in question.expected.split("\0")
        named = not ok and re.fullmatch(r"[\w.+-]+", text)
        return ok, "a function or an alias of the shell" if named else text[:_LONGEST]
    if question.how in _WORKS:
        return well, _WORKS[question.how] if well else _error_row(text)
    return well and fnmatch.fnmatchcase(text, question.expected), text[:_LONGEST]


def _error_row(text: str) -> str:
    """The row that names the error, else the end of the text."""
    rows = [row.strip() for row in text.splitlines() if row.strip()]
    return next((row for row in rows if re.match(r"\w*(?:Error|Exception)\b.*:", row)), text[-_LONGEST:])


def of_check(check: Check, answer: Answer) -> CheckResult:
    """A command line of the manifest's: its exit status, what it printed, and its errors."""
    output = answer.output.decode("utf-8", "replace").removesuffix("\n").removesuffix("\r")
    errors = answer.errors.decode("utf-8", "replace").strip("\r\n")
    parts: list[tuple[bool, str, str]] = []
    """Whether each part is so, what was expected, and what was seen."""
    status = check.status or 0
    exited = answer.status == status
    if not exited or status:
        parts.append((exited, f"exit status {status}", f"exit status {answer.status}"))
    if check.match is not None or check.expect is not None or not exited:
        parts.append((says(check, output), expectation(check), output[:_LONGEST]))
    if check.error is not None:
        parts.append(
            (fnmatch.fnmatchcase(errors, check.error), f"as errors: {check.error}", f"as errors: {errors}")
        )
    elif not exited and errors:
        parts.append((True, "", f"as errors: {errors[:_LONGEST]}"))
    ok = all(fits for fits, _, _ in parts)
    cause, fix = (None, "") if ok else advice(errors or output)
    expected = "; ".join(part for _, part, _ in parts if part) or "exit status 0"
    observed = "; ".join(part for _, _, part in parts if part) or output[:_LONGEST] or "(nothing)"
    return CheckResult(check.name, ok, expected, observed, cause, fix)


def says(check: Check, text: str) -> bool:
    """Whether a text is what a check expects."""
    if check.match is not None:
        return re.search(check.match, text) is not None
    return check.expect is None or fnmatch.fnmatchcase(text, check.expect)


def expectation(check: Check) -> str:
    """What a check expects, in words where the pattern could be misread."""
    if check.match is not None:
        return f"a match of {check.match}"
    pattern = check.expect if check.expect is not None else "*"
    letters = re.search(r"\[(?!!?\])[^]]+\]", pattern)
    if letters is not None:
        return f"{pattern} ({letters[0]} matches one letter there; for the sign itself write [[])"
    return pattern or "(nothing)"


def _expected(question: Question) -> str:
    if question.check is not None:
        return expectation(question.check)
    if question.how == "place":
        return " or ".join(question.expected.split("\0"))
    if question.how == "once":
        return "each of our folders once"
    if question.how == "absolute":
        return "only absolute entries"
    if question.how == "outside":
        return "a file of the system, outside your home"
    if question.how in _WORKS:
        return _WORKS[question.how]
    return question.expected or ("empty" if question.how == "variable" else "(nothing)")


def _why_ended(question: Question, answer: Answer) -> str:
    if answer.status is not None:
        return ""
    so_far = f"; so far: {answer.text[:_LONGEST]!r}" if answer.text else ""
    if answer.ended == "output":
        return f"it printed more than {LARGEST // 1_000_000} MB, and was ended"
    if answer.ended == "time":
        within = f"{question.check.seconds} s" if question.check is not None else "the time allowed"
        return f"it did not end within {within}, and was ended{so_far}"
    return f"the shell ended before it answered{so_far}"


def environment_in(output: bytes) -> dict[bytes, bytes]:
    """The variables in what ``env -0`` printed (env(1)). Pure."""
    return {
        name: value for name, sign, value in (each.partition(b"=") for each in output.split(b"\0")) if sign
    }


_ESCAPED = {"n": "\n", "t": "\t", "r": "\r"}


def _unquoted(text: str) -> str:
    """A path as it is: ksh's ``command -v`` quotes one that has blanks or the like."""
    if text.startswith("$'"):
        return re.sub(r"\\(.)", lambda found: _ESCAPED.get(found[1], found[1]), text[2:-1])
    return text[1:-1].replace("'\\''", "'") if text.startswith("'") else text


def _relative(path: Sequence[str]) -> str:
    """Return in words the entries of a PATH that mean the current folder, or a folder in it; empty for
    none.
    """
    wrong = [entry for entry in path if not entry.startswith("/")]
    return "; ".join(
        dict.fromkeys(f"a relative entry, {entry}" if entry else "an empty entry" for entry in wrong)
    )


def _not_once(expected: Sequence[str], path: Sequence[str]) -> str:
    """What is wrong with a PATH, in words; empty where it holds each folder once."""
    counts = {folder: path.count(folder) for folder in expected}
    wrong = [
        f"{folder} {'is missing' if n == 0 else f'is there {n} times'}"
        for folder, n in counts.items()
        if n != 1
    ]
    return "; ".join(wrong)
