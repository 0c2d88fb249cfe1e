"""What can be completed: runtimes and versions, from the manifest and the shelf; no feed is asked."""

from __future__ import annotations

import os
from pathlib import Path
from typing import TYPE_CHECKING

import click

from zesty_anchor.engine.reporter import Silent
from zesty_anchor.system.problem import Problem

if TYPE_CHECKING:
    from zesty_anchor.operations.workstation import Workstation


def _workstation() -> Workstation | None:
    """The workstation here; None where there is no manifest that can be read: then nothing is completed."""
    from zesty_anchor.operations.workstation import Workstation

    workstation = Workstation(os.environ, Silent(), offline=True)
    try:
        workstation.load(None, Path.cwd())
    except Problem:
        return None
    return workstation


def runtimes(context: click.Context, parameter: click.Parameter, incomplete: str) -> list[str]:
    """The runtimes of the manifest."""
    workstation = _workstation()
    return [name for name in workstation.manifest.tools if name.startswith(incomplete)] if workstation else []


def installed(context: click.Context, parameter: click.Parameter, incomplete: str) -> list[str]:
    """The versions on the shelf of the runtime before, and the words that stand for one."""
    return _versions(str(context.params.get("runtime")), incomplete)


def pairs(context: click.Context, parameter: click.Parameter, incomplete: str) -> list[str]:
    """``NAME=`` first, then that runtime's versions."""
    name, sign, version = incomplete.partition("=")
    if not sign:
        return [f"{found}=" for found in runtimes(context, parameter, incomplete)]
    return [f"{name}={found}" for found in _versions(name, version)]


def _versions(runtime: str, incomplete: str) -> list[str]:
    from zesty_anchor.manifest.version import Version

    workstation = _workstation()
    if workstation is None:
        return []
    here = sorted((v for r, v in workstation.shelf().shelf if r == runtime), key=Version, reverse=True)
    return [word for word in (*here, "lts", "latest", "system") if word.startswith(incomplete)]
