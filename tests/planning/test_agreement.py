"""What a person agrees to: every key of the model but the free ones, and the differences in words."""

from __future__ import annotations

import hashlib
import types
import typing
from collections.abc import Callable, Iterator
from fnmatch import fnmatchcase
from pathlib import Path
from typing import Any

import msgspec
import pytest

from zesty_anchor.manifest.layers import Elsewhere
from zesty_anchor.manifest.lock import Locked, LockedFile
from zesty_anchor.manifest.model import Manifest, Runtime
from zesty_anchor.manifest.source import Layer, Source, of_one
from zesty_anchor.planning.agreement import FREE, agree, check_hands, differences, question, to_agree
from zesty_anchor.planning.base import fetched_base
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.locations import locate
from zesty_anchor.system.problem import Problem, UsageProblem

NAMES = {"runtimes": "lua", "managers": "lua"}
"""The names under which entries of tables are made: for a runtime one with a shipped recipe, whose wants are
free.
"""


def variants(kind: Any, name: str = "", default: Any = None) -> Iterator[tuple[tuple[str, ...], Any]]:
    """Values of a type in which one key alone is not its default, each with the path of that key."""
    origin = typing.get_origin(kind)
    arms = [arm for arm in typing.get_args(kind) if arm not in (type(None), ...)]
    if origin is typing.Annotated:
        yield from variants(arms[0], name, default)
    elif origin in (typing.Union, types.UnionType):
        for arm in arms:
            yield from variants(arm, name, default)
    elif isinstance(kind, type) and issubclass(kind, msgspec.Struct):
        hints = typing.get_type_hints(kind, include_extras=True)
        fields = msgspec.structs.fields(kind)
        needed = {
            each.name: next(variants(hints[each.name], each.name))[1] for each in fields if each.required
        }
        for each in fields:
            for path, value in variants(hints[each.name], each.name, each.default):
                yield (each.encode_name, *path), kind(**{**needed, each.name: value})
    elif origin is dict:
        key = NAMES.get(name, "tide")
        for path, value in variants(arms[1]):
            yield (key, *path), {key: value}
    elif origin is tuple:
        for path, value in variants(arms[0]):
            yield ("*", *path), (value,)
    elif origin is typing.Literal:
        yield (), next(arm for arm in arms if arm != default)
    else:
        yield (
            (),
            not default
            if kind is bool
            else {int: 7, float: 7.5, list: [1], dict: {"a": 1}}.get(kind, "tide"),
        )


KEYS = list(variants(Manifest))


def station(manifest: Manifest, tmp_path: Path, **more: Any) -> Workstation:
    locations = locate({"HOME": str(tmp_path)})
    source = of_one("", tmp_path / "checkout/workstation.toml", {})
    return Workstation({}, locations, tmp_path, source=source, manifest=manifest, **more)


def test_every_key_of_the_model_is_walked() -> None:
    tops = {each.encode_name for each in msgspec.structs.fields(Manifest)}
    assert {path[0] for path, _ in KEYS} == tops
    assert len({path for path, _ in KEYS}) > 120


@pytest.mark.parametrize(("path", "manifest"), KEYS, ids=[".".join(path) for path, _ in KEYS])
def test_a_key_is_asked_about_by_itself(path: tuple[str, ...], manifest: Manifest, tmp_path: Path) -> None:
    asked = question(station(manifest, tmp_path))
    free = any(fnmatchcase(".".join(path) + ".", f"{pattern}.*") for pattern in FREE)
    assert (asked is None) == (free and path[0] != "checks"), "a check has a text to run beside its name"


def test_the_free_keys_are_these() -> None:
    assert FREE == ("title", "checks.*.name", "runtimes.*.want", "runtimes.*.also"), "SECURITY.md says so"


def test_a_want_of_a_recipe_of_the_manifest_is_asked_about(tmp_path: Path) -> None:
    own = msgspec.convert(
        {"recipes": {"kelp": {"commands": ["kelp"]}}, "runtimes": {"kelp": {"want": "4"}}}, Manifest
    )
    assert to_agree(station(own, tmp_path))["runtimes"] == {"kelp": {"want": "4"}}
    plain = msgspec.convert({"runtimes": {"lua": {"want": "5.4", "also": ["5.3"]}}}, Manifest)
    assert to_agree(station(plain, tmp_path)) == {}


def entry(**file: Any) -> Locked:
    whole = {"url": "https://a.test/kelp.tgz", "digest": "sha256:1", "size": 3, **file}
    return Locked("kelp", "4", "4.2.1", "harbour", {"linux-x86_64": LockedFile(**whole)})


@pytest.mark.parametrize(
    ("file", "told"),
    [
        (
            {"url": "https://b.test/kelp.tgz"},
            "kelp 4.2.1 would come from a different host than before (b.test, not a.test)",
        ),
        ({"url": "https://a.test/other.tgz"}, "kelp 4.2.1 would come from a different address than before"),
        ({"digest": "sha256:2"}, "kelp 4.2.1 would have a different digest than before"),
        (
            {"url": "file:///tmp/kelp.tgz"},
            "kelp 4.2.1 would come from a different host than before (file:, not a.test)",
        ),
        ({"signature": "https://a.test/kelp.sig"}, "the signature of kelp 4.2.1 is different"),
    ],
)
def test_what_differs_in_a_lock_is_told_in_words(file: dict[str, Any], told: str, tmp_path: Path) -> None:
    before, now = (
        to_agree(station(Manifest(), tmp_path, lock={("kelp", "4"): each}))
        for each in (entry(), entry(**file))
    )
    assert told in list(differences(before, now))


def test_earlier_texts_stay_agreed_to_and_other_ones_are_told(tmp_path: Path) -> None:
    texts = [msgspec.convert({"variables": {"GAUGE": each}}, Manifest) for each in ("north", "south", "west")]
    agree(station(texts[0], tmp_path))
    agree(station(texts[1], tmp_path))
    assert question(station(texts[0], tmp_path)) is None
    asked = question(station(texts[2], tmp_path))
    assert asked is not None
    assert 'variables.GAUGE was "south" and is now "west"' in asked.text


def test_what_a_program_before_0_2_noted_is_not_enough(tmp_path: Path) -> None:
    there = station(msgspec.convert({"conflicts": {"policy": "remove"}}, Manifest), tmp_path)
    there.locations.state.mkdir(parents=True)
    (there.locations.state / "agreed.json").write_text(f'{{"{there.file}": {{"variables": {{}}}}}}')
    assert question(there) is not None


def test_one_of_your_own_needs_no_question_and_a_link_to_one_elsewhere_does(tmp_path: Path) -> None:
    manifest = Manifest(variables={"GAUGE": "north"})
    source = of_one("", tmp_path / "workstation.toml", {})
    own = msgspec.structs.replace(station(manifest, tmp_path), source=source)
    (tmp_path / "workstation.toml").write_text("")
    assert question(own) is None
    (tmp_path / "workstation.toml").unlink()
    (tmp_path / "checkout").mkdir()
    (tmp_path / "checkout/workstation.toml").write_text("")
    (tmp_path / "workstation.toml").symlink_to("checkout/workstation.toml")
    assert question(own) is not None
    (tmp_path / "other.toml").write_text("")
    (tmp_path / "workstation.toml").unlink()
    (tmp_path / "workstation.toml").symlink_to("other.toml")
    assert question(own) is not None, "who may change where the link leads decides what is read"


def test_a_base_that_is_not_your_own_is_asked_about(tmp_path: Path) -> None:
    own, elsewhere = Layer(tmp_path / "workstation.toml", ""), tmp_path / "team/workstation.toml"
    base = Layer(tmp_path / "base.toml", "")
    for layers, asked in (
        ((own,), False),
        ((base, own), False),
        ((Layer(elsewhere, ""), own), True),
        ((msgspec.structs.replace(base, address="https://desk.example/base.toml"), own), True),
    ):
        here = station(Manifest(variables={"GAUGE": "north"}), tmp_path)
        here = msgspec.structs.replace(here, source=Source(layers))
        assert (question(here) is not None) == asked


def test_a_base_in_other_hands_is_refused(tmp_path: Path) -> None:
    base = tmp_path / "base.toml"
    base.write_text("")
    base.chmod(0o666)
    layers = (Layer(base, ""), Layer(tmp_path / "workstation.toml", ""))
    here = msgspec.structs.replace(station(Manifest(), tmp_path), source=Source(layers))
    with pytest.raises(UsageProblem, match=r"base\.toml is not taken at its word"):
        check_hands(here)


def test_a_base_of_another_digest_is_not_used(tmp_path: Path, make_feed: Callable[..., str]) -> None:
    url = make_feed({"base.toml": b"[variables]\n"}) + "base.toml"
    locations = locate({"HOME": str(tmp_path / "home")})
    own = tmp_path / "workstation.toml"

    def fetch(url: str, digest: str, *, offline: bool = False) -> bytes:
        text, found = fetched_base({}, locations, own, offline=offline)(Elsewhere(url, own, digest))
        assert found == digest
        return text

    digest = f"sha256:{hashlib.sha256(b'[variables]' + bytes([10])).hexdigest()}"
    with pytest.raises(Problem, match="has changed"):
        fetch(url, f"sha256:{'0' * 64}")
    assert fetch(url, digest) == b"[variables]\n"
    assert fetch(url, digest, offline=True) == b"[variables]\n", "it is kept"
    with pytest.raises(Problem, match="--offline"):
        fetch(url, f"sha256:{'0' * 64}", offline=True)


def test_only_the_manifest_that_is_named_is_trusted(tmp_path: Path) -> None:
    here = station(Manifest(variables={"GAUGE": "north"}), tmp_path)
    here.file.parent.mkdir()
    here.file.write_text("")
    assert question(here, tmp_path / "another.toml") is not None
    assert question(here) is not None
    assert question(here, here.file) is None
    assert question(here) is None, "and that is kept"


def test_an_install_of_the_system_is_asked_about_with_its_want(tmp_path: Path) -> None:
    """Where bytes come from is the folder then, and no shipped recipe's feed."""
    linked = Manifest(runtimes={"lua": Runtime(want="5.4", system="/opt/lua")})
    parts = to_agree(station(linked, tmp_path))
    assert parts["runtimes"]["lua"] == {"want": "5.4", "system": "/opt/lua"}
    assert "want" not in str(to_agree(station(Manifest(runtimes={"lua": Runtime(want="5.4")}), tmp_path)))


def test_a_note_in_an_older_form_counts_for_nothing(tmp_path: Path) -> None:
    here = station(Manifest(variables={"GAUGE": "north"}), tmp_path)
    here.file.parent.mkdir()
    here.file.write_text("")
    agree(here)
    assert question(here) is None
    noted = here.locations.state / "agreed.json"
    noted.write_bytes(noted.read_bytes().replace(b'"format":2', b'"format":1'))
    assert question(here) is not None
