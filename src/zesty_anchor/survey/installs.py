"""Whether a folder is one program's install and nothing else: only then it may go as a whole."""

from __future__ import annotations

import os
import stat
from collections.abc import Collection, Iterable, Iterator
from pathlib import Path

import msgspec

from zesty_anchor.shells.environment import MANIFEST_NAME

_HISTORIES = frozenset((".git", ".hg", ".svn", ".bzr", "CVS", ".jj", "_darcs", ".fslckout"))
_LAYOUT = frozenset(
    ("bin", "sbin", "lib", "lib32", "lib64", "libexec", "share", "include", "man", "doc", "docs", "etc",
    "conf", "legal",
     "jmods", "src", "pkg", "api", "test", "misc", "licenses", "examples", "samples", "demo", "plugins",
     "modules", "ext",
     "shims", "versions", "extensions", "libs", "tools", "completions", "hooks", "cache", "var", "tmp")
)  # fmt: skip
"""Names of the folders that programs are made of (hier(7), and what archives of runtimes hold)."""
_PAPERS = ("readme", "license", "licence", "copying", "copyright", "changelog", "changes", "news", "authors",
"notice", "install",
           "contributing", "version", "release", "patents", "security", "manifest", "thirdparty",
           "third-party")  # fmt: skip
_OF_PROGRAMS = frozenset(
    ("lib", "lib32", "lib64", "libexec", "share", "include", "bin", "sbin", "cache", "var", "tmp", "src",
     "shims", "versions")
)  # fmt: skip
"""What a program may write in itself, long after it was installed."""
_LATER_SECONDS = 3600.0
_MOST = 50_000
_COMMANDS = ("bin", "sbin", ".")


class Held(msgspec.Struct, frozen=True):
    """What is in a folder: how many files of how many bytes, what stands at its top beside the commands, and
    why it is more than an install (``more``; empty: it is one).
    """

    files: int
    size: int
    beside: tuple[str, ...]
    more: str

    def told(self) -> str:
        """For a person, in a few words."""
        some = ", ".join(self.beside[:4]) + (", …" if len(self.beside) > 4 else "")
        amount = f"{self.size / 1e6:.1f} MB" if self.size >= 1e5 else f"{self.size / 1e3:.1f} kB"
        return f"{self.files} {'file' if self.files == 1 else 'files'}, {amount}" + (
            f": {some}" if some else ""
        )


def held(folder: Path, commands: Collection[str], names: Iterable[str], kept: Collection[Path]) -> Held:
    """Look at a folder that holds some of the ``commands`` of a runtime. ``names`` are words that its name
    would show, ``kept`` are files that lie elsewhere, or stand for something else: startup files, link
    targets, the manifest.
    """
    top = sorted(os.listdir(folder))
    beside = tuple(name for name in top if name not in ("bin", "sbin") and name not in commands)
    files, size, latest = 0, 0, ""
    began = _installed(folder, commands)
    more = _no_install(folder, top, commands, tuple(names), kept)
    for path, state in _entries(folder):
        files, size = files + 1, size + state.st_size
        inner = path.relative_to(folder).parts
        if path.name == MANIFEST_NAME and not more:
            more = f"it holds a manifest, {'/'.join(inner)}"
        if (
            not more
            and not latest
            and inner[0] not in _OF_PROGRAMS
            and state.st_mtime > began + _LATER_SECONDS
        ):
            latest = "/".join(inner)
        if files > _MOST:
            break
    if not more and latest:
        more = f"{latest} in it is newer than the program"
    return Held(files, size, beside, more)


def _entries(folder: Path) -> Iterator[tuple[Path, os.stat_result]]:
    for place, _, names in os.walk(folder):
        for name in names:
            path = Path(place, name)
            try:
                yield path, path.lstat()
            except OSError:
                continue


def _installed(folder: Path, commands: Iterable[str]) -> float:
    """When the newest of its commands was put there."""
    times = [
        (folder / part / name).lstat()
        for part in _COMMANDS
        for name in commands
        if os.path.lexists(folder / part / name)
    ]
    return max((max(state.st_mtime, state.st_ctime) for state in times), default=0.0)


def _no_install(
    folder: Path, top: list[str], commands: Collection[str], names: tuple[str, ...], kept: Collection[Path]
) -> str:
    """What shows that it is more than an install, or that nothing shows that it is one."""
    if os.path.ismount(folder):
        return "something is mounted there"
    histories = [name for name in top if name in _HISTORIES]
    inner = [
        f"{name}/{each}"
        for name in top
        if (folder / name).is_dir()
        for each in _HISTORIES
        if (folder / name / each).exists()
    ]
    if histories or inner:
        return f"it is under version control ({(histories or inner)[0]})"
    real = Path(os.path.realpath(folder))
    used = next((path for path in kept if Path(os.path.realpath(path)).is_relative_to(real)), None)
    if used is not None:
        return f"{used} is in it, or leads there"
    strange = [name for name in top if not _is_of_programs(name, commands, folder)]
    if strange:
        return f"it holds {strange[0]}"
    others = sorted(set(os.listdir(folder / "bin")) - set(commands)) if (folder / "bin").is_dir() else []
    parts = {name for name in top if (folder / name).is_dir()} & (_LAYOUT - {"bin", "sbin"})
    if any(name.lower() in str(folder.name).lower() for name in names if name):
        return ""
    if len(parts) >= 2:
        return ""
    return (
        "nothing shows that it is one program's:"
        f" {('bin/' + others[0]) if others else 'its name says nothing of it'}"
    )


def _is_of_programs(name: str, commands: Collection[str], folder: Path) -> bool:
    path = folder / name
    if stat.S_ISDIR(path.lstat().st_mode):
        return name.lower() in _LAYOUT
    bare = name.lower()
    scripts = (".sh", ".bash", ".zsh", ".fish", ".csh")
    return (
        name in commands
        or bare.startswith(_PAPERS)
        or bare in ("env", "hook", "init", ".version", ".lock", ".ds_store")
        or (bare.endswith(scripts) and not bare.startswith("."))
    )
