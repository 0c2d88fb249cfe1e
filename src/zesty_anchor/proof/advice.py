"""What an answer itself tells of its cause. Pure."""

from __future__ import annotations

import re

from zesty_anchor.proof.result import Cause

_LIBRARY = re.compile(
    r"(?P<file>(?P<name>lib[\w+.-]*?)\.so(?:\.(?P<number>\d[\d.]*))?): cannot open shared object file"
)
_LIBC = re.compile(r"version `(GLIBC_[\d.]+)' not found")


def advice(observed: str) -> tuple[Cause | None, str]:
    """The cause, and what fixes it; nothing where the answer does not tell."""
    library = _LIBRARY.search(observed)
    if library is not None:
        package = debian_package(library["name"], library["number"] or "")
        cause = Cause(f"{library['file']} is missing", file=library["file"], package=package)
        return cause, f"install the package that has it (Debian: {package}), in [prerequisites] packages"
    libc = _LIBC.search(observed)
    if libc is not None:
        return Cause(f"it was made for a newer system ({libc[1]})"), "want an older version, or another feed"
    return None, ""


def debian_package(name: str, number: str) -> str:
    """What Debian calls the package of a shared library (Debian Policy, 8.1: its name, with a hyphen where
    that ends in a digit, then the number of its interface). Pure.
    """
    first = number.partition(".")[0]
    joint = "-" if name[-1:].isdigit() and first else ""
    return f"{name}{joint}{first}".lower().replace("_", "-")
