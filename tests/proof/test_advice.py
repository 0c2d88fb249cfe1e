"""The next step after an answer that is not the expected one."""

from __future__ import annotations

import pytest

from zesty_anchor.proof.advice import advice, debian_package


@pytest.mark.parametrize(
    ("name", "number", "package"),
    [
        ("libatomic", "1", "libatomic1"),
        ("libssl", "3", "libssl3"),
        ("libfoo2", "1", "libfoo2-1"),
        ("libstdc++", "6", "libstdc++6"),
        ("libX11", "6", "libx11-6"),
        ("libgit2_x", "1.7", "libgit2-x1"),
        ("libjvm", "", "libjvm"),
    ],
)
def test_what_debian_calls_the_package_of_a_library(name: str, number: str, package: str) -> None:
    assert debian_package(name, number) == package


def test_what_is_missing_is_named() -> None:
    said = (
        "kelp: error while loading shared libraries: libatomic.so.1: cannot open shared object file: No such"
        " file"
    )
    cause, fix = advice(said)
    assert cause is not None and (cause.file, cause.package) == ("libatomic.so.1", "libatomic1")
    assert fix == "install the package that has it (Debian: libatomic1), in [prerequisites] packages"
    newer, _ = advice("/lib/libc.so.6: version `GLIBC_2.38' not found (required by kelp)")
    assert newer is not None and "made for a newer system (GLIBC_2.38)" in newer.what
    assert advice("kelp 4.1") == advice("(nothing)") == (None, "")
