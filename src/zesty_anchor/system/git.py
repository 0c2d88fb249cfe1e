"""git, started in one way: from nowhere, by no configuration, and with the one protocol that an address
names.
"""

from __future__ import annotations

import re
import subprocess
from collections.abc import Mapping, Sequence

from zesty_anchor.system.host import program_path
from zesty_anchor.system.problem import Problem, UsageProblem

_NEUTRAL = {
    "GIT_CONFIG_NOSYSTEM": "1", "GIT_CONFIG_SYSTEM": "/dev/null", "GIT_CONFIG_GLOBAL": "/dev/null",
    "GIT_TERMINAL_PROMPT": "0", "GIT_ASKPASS": "true", "GIT_SSH_COMMAND": "ssh -oBatchMode=yes",
    "GIT_CEILING_DIRECTORIES": "/",
    "LC_ALL": "C",
}  # fmt: skip
"""No configuration but what is given in words (git(1), "Environment Variables"): such may name programs to
run.
"""
_OPTIONS = (
    "-c", "core.hooksPath=/dev/null", "-c", "core.fsmonitor=false", "-c", "submodule.recurse=false",
    "-c", "fetch.recurseSubmodules=false", "-c", "advice.detachedHead=false", "-c",
    "protocol.ext.allow=never",
)  # fmt: skip
_SCHEME = re.compile(r"\A(https?|ssh|git|file)://[^\s-]")
_OVER_SSH = re.compile(r"\A(?:[\w.+-]+@)?\w[\w.-]*:(?!:)[^\s-]")
"""The short form of an address of ssh (git-clone(1), "GIT URLS")."""


def protocol_of(address: str, where: str = "") -> str:
    """The protocol that an address of a repository names. Raises ``UsageProblem`` where it is not one that
    may be used.
    """
    scheme = _SCHEME.match(address)
    if scheme:
        return scheme[1]
    if address.startswith("/"):
        return "file"
    if _OVER_SSH.match(address) and "::" not in address and "://" not in address:
        return "ssh"
    raise UsageProblem(
        f"{address!r} is no address of a repository",
        where=where,
        advice="write it with https:// or ssh:// in front, or as an absolute path",
    )


def run_git(
    words: Sequence[str], environ: Mapping[str, str], *, where: str, seconds: float, protocol: str = ""
) -> subprocess.CompletedProcess[str]:
    """Run git with these words after its name, and return what it said. It can ask nobody.

    ``environ`` is the environment to start it in, without what it holds for git itself; ``where`` what an
    error is about (an address or a file), ``seconds`` the time that it may take, ``protocol`` the one that it
    may speak. Raises ``Problem`` where git is not installed, or does not end in time.
    """
    answer = run_git_bytes(words, environ, where=where, seconds=seconds, protocol=protocol)
    out, err = (
        part.decode("utf-8", "replace").replace("\r\n", "\n").replace("\r", "\n")
        for part in (answer.stdout, answer.stderr)
    )
    return subprocess.CompletedProcess(answer.args, answer.returncode, out, err)


def run_git_bytes(
    words: Sequence[str], environ: Mapping[str, str], *, where: str, seconds: float, protocol: str = ""
) -> subprocess.CompletedProcess[bytes]:
    """The same with what it said as bytes: a commit has an encoding of its own, and its signature is over
    bytes.
    """
    own = {name: value for name, value in environ.items() if not name.startswith("GIT_")}
    command = next((word for word in words if not word.startswith(("-", "/")) and "=" not in word), "")
    try:
        return subprocess.run(
            ["git", *_OPTIONS, *words], stdin=subprocess.DEVNULL, capture_output=True, check=False,
            timeout=seconds, env={**own, "PATH": program_path(environ), **_NEUTRAL,
            "GIT_ALLOW_PROTOCOL": protocol or "none"}, cwd="/",
        )  # fmt: skip
    except FileNotFoundError:
        raise Problem(
            "git is not installed", where=where, advice='add it: [prerequisites] packages = ["git"]'
        ) from None
    except subprocess.TimeoutExpired:
        raise Problem(
            f"git {command}".strip() + f" did not end within {seconds:.0f} s",
            where=where,
            advice="check the network and the address, then try again",
        ) from None
