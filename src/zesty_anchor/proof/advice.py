"""What to do next about an answer that is not the expected one. Pure."""

from __future__ import annotations

import re

_LIBRARY = re.compile(
    r"(?P<file>(?P<name>lib[\w+.-]*?)\.so(?:\.(?P<number>\d[\d.]*))?): cannot open shared object file"
)
_LIBC = re.compile(r"version `(GLIBC_[\d.]+)' not found")


def advice(how: str, name: str, observed: str) -> str:
    """The next step, or nothing. ``how`` and ``name`` are those of the question (``checks.Question``)."""
    library = _LIBRARY.search(observed)
    if library is not None:
        package = debian_package(library["name"], library["number"] or "")
        return f"{library['file']} is missing: install the package that has it (Debian: {package}), in [prerequisites] packages"
    libc = _LIBC.search(observed)
    if libc is not None:
        return f"it was made for a newer system ({libc[1]}): want an older version, or another feed"
    command, found, _ = name.partition(" is found")
    if how == "place" and found and observed.startswith("/"):
        return f"the lines that bring it: zesty-anchor trace {command}"
    return ""


def debian_package(name: str, number: str) -> str:
    """What Debian calls the package of a shared library (Debian Policy, 8.1: its name, with a hyphen where that ends in a
    digit, then the number of its interface). Pure.
    """
    first = number.partition(".")[0]
    joint = "-" if name[-1:].isdigit() and first else ""
    return f"{name}{joint}{first}".lower().replace("_", "-")
