"""What fresh shells answered."""

from __future__ import annotations

import msgspec


class CheckResult(msgspec.Struct, frozen=True):
    """One check in one shell. ``advice`` is what to do next about one that failed, where that is known."""

    name: str
    ok: bool
    expected: str
    observed: str
    advice: str = ""


class ShellResult(msgspec.Struct, frozen=True):
    """All checks of one shell in one context. ``startup_ms`` is the time until it took its first command."""

    shell: str
    context: str
    ok: bool
    startup_ms: float
    checks: tuple[CheckResult, ...]


class Proof(msgspec.Struct, frozen=True):
    """The whole."""

    ok: bool
    shells: tuple[ShellResult, ...]

    @property
    def failures(self) -> list[tuple[ShellResult, CheckResult]]:
        """Every check that failed, with its shell."""
        return [(shell, check) for shell in self.shells for check in shell.checks if not check.ok]
