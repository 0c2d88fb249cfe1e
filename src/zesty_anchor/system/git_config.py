"""git's own configuration of a user, by git itself (git-config(1), "FILES")."""

from __future__ import annotations

import subprocess
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

from zesty_anchor.system.git import run_git
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.room import room

_SECONDS = 20


def user_file(home: Path, config: Path) -> Path:
    """The file that ``--global`` means: ~/.gitconfig, or the XDG one where only that is there."""
    own, other = home / ".gitconfig", config / "git/config"
    return other if other.is_file() and not own.is_file() else own


def value(content: bytes | None, name: str, environ: Mapping[str, str]) -> str | None:
    """A value in such a file; None where it is not set. Raises ``Problem`` where git is missing or cannot
    read it.
    """
    with _written(content) as file:
        answer = _git(file, environ, "--get", name)
    return answer.stdout.removesuffix("\n") if answer.returncode == 0 else None


def with_values(content: bytes | None, values: Mapping[str, str], environ: Mapping[str, str]) -> bytes:
    """The file's content with these values set; all else in it stays. Raises ``Problem`` as ``value``
    does.
    """
    with _written(content) as file:
        for name, text in values.items():
            answer = _git(file, environ, "--replace-all", name, text)
            if answer.returncode != 0:
                raise Problem(
                    f"git cannot set {name}: {answer.stderr.strip()}", advice="fix its configuration file"
                )
        return file.read_bytes()


@contextmanager
def _written(content: bytes | None) -> Iterator[Path]:
    with room("git") as folder:
        file = folder / "config"
        file.write_bytes(content or b"")
        yield file


def _git(file: Path, environ: Mapping[str, str], *words: str) -> subprocess.CompletedProcess[str]:
    answer = run_git(
        ["config", "--file", str(file), *words], environ, where="git's configuration", seconds=_SECONDS
    )
    if answer.returncode not in (0, 1):
        raise Problem(
            f"git cannot read its configuration: {answer.stderr.strip().replace(str(file), 'the file')}",
            advice="fix that line; nothing was changed",
        )
    return answer
