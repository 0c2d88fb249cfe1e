"""What goes wrong, said so that a person can act on it."""

from __future__ import annotations


class Problem(Exception):
    """An error that a person reads: what happened, where, and the next thing to do.

    ``code`` is the exit code that a command ends with (see docs/how-it-works.md).
    """

    code = 1

    def __init__(self, what: str, *, where: str = "", advice: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.where = where
        self.advice = advice

    def __str__(self) -> str:
        return self.what if not self.where else f"{self.what} ({self.where})"


class UsageProblem(Problem):
    """The manifest, or the way a command was called, is wrong."""

    code = 2


class NotThere(Problem):
    """The command that was to run, or the version that it needs, is not there (POSIX.1-2024, Shell Command
    Language, 2.8.2, "Exit Status for Commands").
    """

    code = 127


class Problems(UsageProblem):
    """Several things wrong with one manifest, told together."""

    def __init__(self, each: list[UsageProblem]) -> None:
        super().__init__(each[0].what, where=each[0].where, advice=each[0].advice)
        self.each = each
