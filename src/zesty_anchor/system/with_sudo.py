"""How a person here runs a command with the superuser's rights."""

from __future__ import annotations

import os

from zesty_anchor.system.trusted import trusted_program


def with_sudo(command: str) -> str:
    """The command line with sudo(8) or doas(1) in front, where one of them is installed; as it is for root;
    else with "as root:" in front.
    """
    way = way_to_root()
    return command if os.geteuid() == 0 else f"{way} {command}" if way else f"as root: {command}"


def way_to_root() -> str:
    """The program that gives those rights here; empty where there is none."""
    return next((way for way in ("sudo", "doas") if trusted_program(way)), "")
