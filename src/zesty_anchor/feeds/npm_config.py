"""What npm's own configuration says (npm documentation, "npm-config" and "npmrc")."""

from __future__ import annotations

import os
import re
import subprocess
from collections.abc import Mapping
from pathlib import Path

from zesty_anchor.system.host import absolute, answering, find_program


def files(environ: Mapping[str, str], home: Path) -> list[Path]:
    """The files that npm reads, the user's before the global ones."""
    found = [
        Path(environ.get("NPM_CONFIG_USERCONFIG") or environ.get("npm_config_userconfig") or home / ".npmrc")
    ]
    return found + [
        Path(f) for f in (environ.get("NPM_CONFIG_GLOBALCONFIG"), "/etc/npmrc", "/usr/etc/npmrc") if f
    ]


def setting(key: str, environ: Mapping[str, str], home: Path) -> str:
    """A key's value: of the environment, then of the files; empty where none has it. ``${NAME}`` is replaced
    in it.
    """
    variable = f"npm_config_{key.replace('-', '_')}"
    for name, value in environ.items():
        if name.lower() == variable and value:
            return value
    return next((found for file in files(environ, home) if (found := _in(file, key, environ))), "")


def _in(file: Path, key: str, environ: Mapping[str, str]) -> str:
    try:
        text = file.read_text("utf-8", "replace")
    except OSError:
        return ""
    for line in text.splitlines():
        name, sign, value = line.partition("=")
        if sign and name.strip() == key:
            bare = value.strip().strip("\"'")
            return re.sub(r"\$\{(\w+)\}", lambda m: environ.get(m[1], m[0]), bare)
    return ""


def ask_npm(environ: Mapping[str, str]) -> str:
    """The registry that an npm on PATH knows; empty where there is none. It leaves no log in the person's
    home (npm documentation, "config", logs-max).
    """
    npm = find_program("npm", environ) or next(
        iter(answering("npm", absolute(environ.get("PATH", "")))), None
    )
    if npm is None:
        return ""
    try:
        answer = subprocess.run(
            [npm, "config", "get", "registry"],
            capture_output=True,
            text=True,
            timeout=20,
            env={**environ, "npm_config_logs_max": "0"},
            cwd=os.sep,
            check=False,
        )
    except (OSError, subprocess.TimeoutExpired):
        return ""
    words = answer.stdout.split()
    return words[-1] if answer.returncode == 0 and words and words[-1].startswith("http") else ""
