"""A Debian package's file, made again from what is installed: for one that came as a file, and that no
archive holds.

dpkg keeps all that a package consists of: its files (dpkg-query(1), ``-L``), its paragraph (``-s``) and its
scripts (``--control-path``); dpkg-deb(1) puts a package together.
"""

from __future__ import annotations

import os
import re
import shlex
import shutil
import subprocess
import tempfile
from collections.abc import Iterable
from pathlib import Path

from zesty_anchor.system.problem import Problem
from zesty_anchor.system.with_sudo import with_sudo

_NOT_CONTROL = re.compile(r"^(Status|Config-Version|Conffiles):.*\n(?: .*\n)*", re.MULTILINE)
"""Fields that dpkg adds to the paragraph of an installed package (deb-control(5) has no such)."""


def deb_file(name: str, folder: Path, path: str) -> Path:
    """Make the file ``NAME.deb`` in a folder, from which ``apt-get install`` brings the package back as it
    is.

    ``path`` is the PATH on which dpkg's tools are found.

    Raises ``Problem`` where a part of it cannot be read or does not belong to root, since the copy would not
    be the same.
    """
    folder.mkdir(parents=True, exist_ok=True)
    target = folder / f"{name}.deb"
    with tempfile.TemporaryDirectory(dir=folder) as room:
        tree = Path(room, "tree")
        try:
            _fill(tree, _asked(path, "dpkg-query", "-L", name).splitlines())
            control = tree / "DEBIAN"
            control.mkdir(0o755)
            (control / "control").write_text(
                _NOT_CONTROL.sub("", _asked(path, "dpkg-query", "-s", name)).strip() + "\n"
            )
            settings = [
                row.split()
                for row in _asked(path, "dpkg-query", "-W", "-f", "${Conffiles}\\n", name).splitlines()
            ]
            listed = [f"{row[0]}\n" for row in settings if row and "obsolete" not in row]
            if listed:
                (control / "conffiles").write_text("".join(listed))
            for script in map(Path, _asked(path, "dpkg-query", "--control-path", name).splitlines()):
                shutil.copy(script, control / script.name.rpartition(".")[2])
            _asked(path, "dpkg-deb", "--root-owner-group", "-Zgzip", "--build", str(tree), str(target))
        except OSError as error:
            raise _no_copy(name, f"{error.filename}: {error.strerror}") from None
        except ValueError as error:
            raise _no_copy(name, str(error)) from None
    return target


def _fill(tree: Path, paths: Iterable[str]) -> None:
    """Put the files of a package into a folder. Lines of dpkg-query that name no path tell of diversions."""
    listed = [path for path in paths if path.startswith("/") and path != "/."]
    above = {os.path.dirname(path) for path in listed}
    tree.mkdir(0o755)
    for path in sorted(listed):
        target, stat = tree / path.lstrip("/"), os.lstat(path)
        if (stat.st_uid, stat.st_gid) != (0, 0):
            raise ValueError(f"{path} does not belong to root")
        if path in above or (os.path.isdir(path) and not os.path.islink(path)):
            # A folder of the package may be a link of the system, as /lib is.
            target.mkdir(parents=True, exist_ok=True)
            target.chmod(os.stat(path).st_mode & 0o7777)
        elif os.path.islink(path):
            target.symlink_to(os.readlink(path))
        else:
            shutil.copy2(path, target)


def _asked(path: str, *words: str) -> str:
    done = subprocess.run(
        words, stdin=subprocess.DEVNULL, capture_output=True, text=True, errors="surrogateescape",
        check=False,
        env={"LC_ALL": "C", "PATH": path}, timeout=120,
    )  # fmt: skip
    if done.returncode != 0:
        raise ValueError(done.stderr.strip() or f"{words[0]} ended with {done.returncode}")
    return done.stdout


def _no_copy(name: str, why: str) -> Problem:
    return Problem(
        f"no archive holds this version of {name}, and no copy of it can be made: {why}",
        advice=(
            "it stays, and the manifest's version comes before it; to remove it all the same: "
            f"{with_sudo(f'apt-get purge {shlex.quote(name)}')}"
        ),
    )
