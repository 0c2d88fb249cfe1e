"""A runtime that reads certificate authorities from a file in its own folder gets those of the manifest."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.conftest import Desk
from zesty_anchor.demo.wares import pack

RECIPE = """
[recipes.kelp.trust-store]
files = ["lib/authorities", "share/authorities"]
run = 'test "$(kelp --version)" = "kelp 4.2.1" && { echo made of; cat "$AUTHORITIES"; } >"$STORE"'
"""


@pytest.fixture
def desk_with_lib(desk: Desk, offer: Callable[..., str]) -> Desk:
    program = b"#!/bin/sh\necho kelp 4.2.1\n"
    files = {"bin/kelp": (program, 0o755), "share/authorities": (b"its own\n", 0o644)}
    desk.url = offer(pack("kelp-4.2.1", files, "tar.gz"))
    return desk


def wants(desk: Desk, file: str = "quay.pem", more: str = RECIPE) -> None:
    desk.wants(f'[shells]\nuse = ["bash"]\n{more}' + (f'[trust]\nfile = "{file}"\n' if file else ""))


def test_it_is_made_made_anew_and_put_back(desk_with_lib: Desk) -> None:
    desk = desk_with_lib
    store = desk.shelf / "kelp/4.2.1/share/authorities"
    desk.write("quay\n", "quay.pem")
    wants(desk, "")
    desk.well("provision")
    assert store.read_text() == "its own\n"
    before = desk.likeness()
    wants(desk)
    manifest = desk.likeness()["workstation.toml"]
    assert "certificate authorities of kelp 4.2.1" in desk.well("preview").out
    done = desk.well("provision")
    assert store.read_text() == "made of\nquay\n", done.err
    assert "Nothing to do" in desk.well("preview").out, "it is the version's own file by now, not damage"
    assert desk.well("verify", "--deep").code == 0
    desk.write("quay and pier\n", "quay.pem")
    desk.well("provision")
    assert store.read_text() == "made of\nquay and pier\n"
    desk.well("undo")
    assert store.read_text() == "made of\nquay\n"
    desk.well("undo")
    assert store.read_text() == "its own\n"
    after = desk.likeness()
    assert {**after, "quay.pem": before["quay.pem"]} == {**before, "workstation.toml": manifest}


def test_a_link_comes_back_as_one(desk: Desk, offer: Callable[..., str]) -> None:
    files = {"bin/kelp": (b"#!/bin/sh\necho kelp 4.2.1\n", 0o755), "lib/tide": (b"", 0o644)}
    desk.url = offer(pack("kelp-4.2.1", files, "tar.gz"))
    wants(desk, "", "")
    desk.well("provision")
    store, system = desk.shelf / "kelp/4.2.1/lib/authorities", desk.write("the system's\n", "system")
    store.symlink_to(system)
    desk.write("quay\n", "quay.pem")
    wants(desk)
    desk.well("provision")
    assert not store.is_symlink() and store.read_text() == "made of\nquay\n"
    assert system.read_text() == "the system's\n"
    desk.well("undo")
    assert store.readlink() == system


def test_with_the_version_itself_and_what_somebody_changed(desk_with_lib: Desk) -> None:
    desk = desk_with_lib
    store = desk.shelf / "kelp/4.2.1/share/authorities"
    before = desk.likeness()
    desk.write("quay\n", "quay.pem")
    wants(desk)
    desk.well("provision")
    assert store.read_text() == "made of\nquay\n"
    store.write_text("mine\n")
    assert "authorities" in desk.run("verify").out
    told = desk.well("undo").out
    kept = [path for path in Path(desk.home / ".local/state").rglob("authorities") if path.is_file()]
    assert "mine\n" in [path.read_text() for path in kept], told
    likeness = desk.likeness()
    assert {n: likeness[n] for n in likeness if n not in ("workstation.toml", "quay.pem")} == before


def test_one_without_any_gets_those_that_count_here(desk: Desk, offer: Callable[..., str]) -> None:
    files = {"bin/kelp": (b"#!/bin/sh\necho kelp 4.2.1\n", 0o755), "lib/tide": (b"", 0o644)}
    desk.url = offer(pack("kelp-4.2.1", files, "tar.gz"))
    known = desk.write("known here\n", "known.pem")
    desk.environment["SSL_CERT_FILE"] = str(known)
    wants(desk, "")
    desk.well("provision")
    assert (desk.shelf / "kelp/4.2.1/lib/authorities").read_text() == "made of\nknown here\n"
    assert "Nothing to do" in desk.well("preview").out
    assert os.listdir(desk.home / ".local/share/zesty-anchor/staging") == []


@pytest.mark.parametrize(
    ("recipe", "said"),
    [
        (RECIPE.replace("&& {", "&& exit 3; {"), "ended with 3"),
        (RECIPE.replace('>"$STORE"', ">/dev/null"), "made no file"),
        (RECIPE.replace("share/", "other/"), "has no folder for lib/authorities or other/authorities"),
    ],
)
def test_what_fails_leaves_the_file(desk_with_lib: Desk, recipe: str, said: str) -> None:
    desk = desk_with_lib
    desk.write("quay\n", "quay.pem")
    wants(desk, more=recipe)
    answer = desk.run("provision")
    assert answer.code == 1 and said in answer.out + answer.err, answer.out + answer.err
    store = desk.shelf / "kelp/4.2.1/share/authorities"
    assert not store.exists() or store.read_text() == "its own\n"
