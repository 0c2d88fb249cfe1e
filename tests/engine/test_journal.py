"""Journals that older versions of this program wrote are still read, record by record."""

from __future__ import annotations

import msgspec
import pytest

from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.engine.journal import Entry
from zesty_anchor.engine.undo import needs_privilege, record_of
from zesty_anchor.system.problem import Problem

FILE = {"path": "/h/.bashrc", "name": "~/.bashrc", "mode": 420, "before": "/a/1", "after": None, "made": []}
TOUCHED = {"path": "/h/.gitconfig", "name": "~/.gitconfig", "mode": 420, "before": "/a/2", "after": "/a/3"}
MANAGED = {
    "manager": "bollard", "folder": "/s/kelp/4", "there": "", "home": "/h/.bollard", "before": [],
    "replaced": {},
    "made": [], "startup": ["/h/.bashrc"],
}  # fmt: skip
OLD = {
    "startup-file": FILE,
    "generated-file": FILE,
    "setting": FILE,
    "identity": FILE,
    "conflict-lines": FILE,
    "system-variables": {**FILE, "privileged": True},
    "version": {"folder": "/s/kelp/4", "staged": "/st/kelp-4", "kept": [], "made": ["/s/kelp"]},
    "launchers": {"folder": "/b", "before": {"kelp": "#!/bin/sh\n"}},
    "conflict": {"folder": "/h/old", "kept": "/a/001-folder/old", "name": "~/old"},
    "retired-manager": {"folder": "/h/old", "kept": "/a/001-folder/old", "name": "~/old"},
    "removed-version": {"folder": "/s/kelp/4", "kept": "/a/001-folder/4", "name": "kelp 4"},
    "package": {"privileged": True, "families": ["debian"], "asked": ["gcc"], "before": ["libc6"],
    "brought": ["gcc"]},
    "package-removal": {"privileged": True, "families": ["debian"], "versions": {"kelp": "1"},
    "settings": {"/etc/k": "/a/k"}},
    "alternative": {"privileged": True, "name": "lua", "query": "Name: lua\n"},
    "alternative-choice": {"privileged": True, "name": "kelp", "value": "/opt/kelp/bin/kelp"},
    "extra": {"folder": "/s/kelp/4", "extra": "tidy@1", "brought": ["bin/tidy"]},
    "ssh-key": {"file": "/h/.ssh/id_ed25519", "made": [], "digests": ["0", "1"]},
    "managed-version": {**MANAGED, "located": "/h/.bollard/kelp/4", "receipt": True, "came": ["a%20b"],
    "touched": [TOUCHED]},
    "installer-script": {
        "manager": "bollard", "folder": "/h/.bollard", "shelf": "/s/bollard/1",
        "aside": "/a/manager-bollard/.bollard",
        "keeps": ["kept"], "older": [], "home": "", "made": [], "startup": [], "seen": "/a/seen-000",
    },
    "manager-default": {
        "runtime": "kelp", "manager": "bollard", "folder": "/s/bollard/1", "before": "",
        "choose": "bollard use {version}",
        "bins": ["/s/bollard/1/bin"], "variables": {}, "home": "/h/.bollard", "came": [],
    },
}  # fmt: skip


def holds(now: object, old: object) -> bool:
    """Whether all that was said is said still; a newer program may say more."""
    if isinstance(old, dict) and isinstance(now, dict):
        return all(key in now and holds(now[key], value) for key, value in old.items())
    if isinstance(old, list) and isinstance(now, list):
        return len(now) == len(old) and all(map(holds, now, old))
    return now == old


@pytest.mark.parametrize("kind", OLD)
def test_an_old_record_is_read_and_keeps_all_that_it_says(kind: str) -> None:
    old = OLD[kind]
    entry = Entry(1, 1, kind, "x", "y", msgspec.json.encode(old), "done")
    record = record_of(KINDS, entry)
    assert holds(msgspec.to_builtins(record), old)
    assert needs_privilege(KINDS, [entry]) is bool(old.get("privileged"))
    again = Entry(1, 1, kind, "x", "y", msgspec.json.encode(record), "done")
    assert record_of(KINDS, again) == record


def test_what_stands_in_the_attic_is_told_by_records_alone() -> None:
    def kept(kind: str) -> dict[str, str]:
        return record_of(
            KINDS, Entry(1, 1, kind, "x", "y", msgspec.json.encode(OLD[kind]), "done")
        ).in_attic()

    assert kept("conflict") == {"/h/old": "/a/001-folder/old"}
    assert kept("installer-script") == {"/h/.bollard": "/a/manager-bollard/.bollard"}
    assert kept("startup-file") == {}, "what undo needs for lines is not a thing that a person threw away"


_LATER = {"choice", "package-source", "repair", "crontab", "system-launcher", "trust-store"}


def test_every_kind_has_an_old_record_here() -> None:
    assert KINDS.keys() - OLD.keys() == _LATER, "which came later"


def test_a_kind_of_a_newer_program_is_named() -> None:
    with pytest.raises(Problem, match="not known here: sails") as caught:
        record_of(KINDS, Entry(1, 1, "sails", "x", "hoist", b"{}", "done"))
    assert "newer" in caught.value.advice
