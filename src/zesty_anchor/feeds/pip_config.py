"""What pip's own configuration says (pip documentation, "Configuration")."""

from __future__ import annotations

import configparser
import os
import re
import subprocess
import sys
from collections.abc import Mapping
from pathlib import Path

from zesty_anchor.system.host import find_program


def files(environ: Mapping[str, str], home: Path) -> list[Path]:
    """The files that pip reads, the user's before the global ones."""
    config = Path(environ.get("XDG_CONFIG_HOME") or home / ".config")
    found = [Path(environ["PIP_CONFIG_FILE"])] if environ.get("PIP_CONFIG_FILE") else []
    return [
        *found,
        config / "pip/pip.conf",
        home / ".pip/pip.conf",
        Path("/etc/xdg/pip/pip.conf"),
        Path("/etc/pip.conf"),
    ]


def setting(key: str, environ: Mapping[str, str], home: Path) -> str:
    """A key's value: of the environment, then of the files; empty where none has it."""
    given = environ.get(f"PIP_{key.replace('-', '_').upper()}")
    return given or next((found for file in files(environ, home) if (found := _in(file, key))), "")


def _in(file: Path, key: str) -> str:
    parser = configparser.RawConfigParser()
    try:
        parser.read_string(file.read_text("utf-8", "replace"))
    except (OSError, configparser.Error):
        return ""
    return next((parser[s][key] for s in ("install", "global") if parser.has_option(s, key)), "")


def ask_pip(environ: Mapping[str, str]) -> str:
    """The index that a pip on PATH, or the one beside this program, takes by default: it stands in its
    help.
    """
    pip = find_program("pip3", environ) or find_program("pip", environ)
    for words in ([pip] if pip else [], [sys.executable, "-m", "pip"]):
        if not words:
            continue
        try:
            answer = subprocess.run(
                [*words, "install", "--help"], capture_output=True, text=True, timeout=30, check=False,
                env={**environ, "COLUMNS": "400"}, cwd=os.sep, stdin=subprocess.DEVNULL,
            )  # fmt: skip
        except (OSError, subprocess.TimeoutExpired):
            continue
        found = re.search(r"--index-url.*?\(default\s+(\S+?)\)", answer.stdout, re.DOTALL)
        if found:
            return found[1]
    return ""
