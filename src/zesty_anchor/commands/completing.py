"""What can be completed: runtimes and versions."""

from __future__ import annotations

import os
from pathlib import Path
from typing import TYPE_CHECKING

import click

from zesty_anchor.system.problem import Problem

if TYPE_CHECKING:
    from zesty_anchor.planning.workstation import Workstation


def _workstation() -> Workstation | None:
    """The workstation here; None where there is no manifest that can be read: then nothing is completed."""
    from zesty_anchor.planning.workstation import open_workstation, with_manifest_here

    try:
        return with_manifest_here(open_workstation(os.environ, Path.cwd(), offline=True), None)
    except Problem:
        return None


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
    from zesty_anchor.operations.complete import versions

    workstation = _workstation()
    return [word for word in versions(workstation, runtime) if word.startswith(incomplete)] if workstation else []
