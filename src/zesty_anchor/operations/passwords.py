"""Sudo's passwords for machines: asked once for each group that needs one, and kept in memory alone."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from zesty_anchor.changes.question import Question
from zesty_anchor.engine.questions import PASSWORD, AnswersNeeded, Asker
from zesty_anchor.planning.spread import questions_of

TRIES = 3
"""As sudo does (sudoers(5), "passwd_tries")."""
_NAMED = 6


class Passwords:
    """What was typed, by the machine. The machines of a group have one password, and all that are in no group
    have one: none is sent outside the group that the question names.
    """

    def __init__(self, groups: Mapping[str, Sequence[str]], asker: Asker | None) -> None:
        self._groups, self._asker = groups, asker
        self._of: dict[str, str] = {}

    def of(self, host: str) -> str | None:
        """The password for a machine; None where none was typed."""
        return self._of.get(host)

    def refused(self, host: str) -> None:
        """A machine did not accept it."""
        self._of.pop(host, None)

    def ask(self, hosts: Iterable[str]) -> bool:
        """Ask for the passwords of machines. False where nobody can be asked."""
        if self._asker is None:
            return False
        parts: dict[str, list[str]] = {}
        for host in hosts:
            parts.setdefault(self._group(host), []).append(host)
        for group, names in parts.items():
            named = ", ".join(names[:_NAMED]) + (f" and {len(names) - _NAMED} more" if names[_NAMED:] else "")
            where = f"{group} ({named})" if group else named
            asked = Question(
                PASSWORD,
                f"the password for sudo on {where}",
                "allow sudo without a password there, for the user that ssh logs in as",
                secret=True,
            )
            self._of |= dict.fromkeys(names, self._asker.secret(asked, twice=False))
        return True

    def _group(self, host: str) -> str:
        return next((name for name, hosts in self._groups.items() if name != "all" and host in hosts), "")


def wants_password(code: int, document: Any) -> bool:
    """Whether a command there ended because nothing but sudo's password was missing. Pure."""
    asked = questions_of(document) if code == AnswersNeeded.code else []
    return bool(asked) and all(each.get("kind") == PASSWORD for each in asked)
