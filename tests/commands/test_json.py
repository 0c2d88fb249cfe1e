"""Each document that ``--json`` prints has the shape that its type says, and its schema is to be had."""

from __future__ import annotations

import json
from typing import Any

import msgspec
import pytest

from tests.conftest import Desk
from zesty_anchor.show.shapes import DOCUMENTS

USES = {
    "list, without a manifest": (("list",), 0),
    "draft FILE": (("draft", "new.toml"), 0),
    "preview": (("preview",), 0),
    "provision": (("provision",), 0),
    "status": (("status",), 0),
    "survey": (("survey",), 0),
    "verify": (("verify",), 0),
    "list": (("list",), 0),
    "list RUNTIME": (("list", "kelp"), 0),
    "list --newer": (("list", "--newer"), 0),
    "export": (("export",), 0),
    "projects": (("projects",), 0),
    "docs": (("docs",), 0),
    "docs NAME": (("docs", "keys"), 0),
    "prune": (("prune", "--list"), 0),
    "locate RUNTIME": (("locate", "kelp"), 0),
    "trace NAME": (("trace", "kelp"), 0),
    "explain NAME": (("explain", "kelp"), 0),
    "switch RUNTIME": (("switch", "kelp"), 0),
    "lock": (("lock",), 0),
    "lock --digest": (("lock", "--digest"), 0),
    "mirror": (("mirror", "mirror"), 0),
    "mirror --check": (("mirror", "mirror", "--check"), 0),
    "mirror --prune": (("mirror", "mirror", "--prune"), 0),
    "across": (("across", "gone.invalid", "status"), 1),
    "upgrade": (("upgrade", "--yes"), 0),
    "switch RUNTIME WANT --default": (("switch", "kelp", "3.6", "--default"), 0),
    "rehearse": (("rehearse",), 0),
    "report": (("report",), 0),
    "history": (("history",), 0),
    "history RUN": (("history", "1"), 0),
    "timing": (("timing", "--seconds", "1", "--shell", "bash"), 0),
    "undo --list": (("undo", "--list"), 0),
    "remove RUNTIME VERSION": (("remove", "kelp", "4.2.1"), 0),
    "attic": (("attic",), 0),
    "any, with an error": (("locate", "klep"), 1),
    "undo": (("undo",), 0),
    "attic empty": (("attic", "empty", "--yes"), 0),
    "dismantle": (("dismantle", "--yes"), 0),
}


def has_shape(document: Any, kind: Any) -> None:
    """Nothing lacks, nothing is more than the type says, and each value is of its kind."""
    read = msgspec.convert(document, kind, strict=True)
    assert json.loads(msgspec.json.encode(read)) == document


@pytest.mark.needs("bash", "zsh")
def test_every_document_has_the_shape_of_its_type(desk: Desk) -> None:
    for use, (words, code) in USES.items():
        if use == "preview":
            desk.wants('[path]\nfirst = ["~/bin"]\n', '[runtimes.kelp]\nwant = "4.2.1"\nalso = ["3.6.2"]\n')
        if use == "remove RUNTIME VERSION":
            desk.wants("", '[runtimes.kelp]\nwant = "3.6"\n')
            desk.well("provision")
        answer = desk.run(*words, "--json")
        assert answer.code == code, f"{use}: {answer.out}{answer.err}"
        has_shape(answer.json, DOCUMENTS[use])
    assert set(DOCUMENTS) - set(USES) == {"identity", "lock --base"}, (
        "these need a key: tests/commands/test_identity.py, test_signed_bases.py"
    )


def test_the_schema_of_each_document_is_to_be_had(desk: Desk) -> None:
    for use in ("verify", "list --newer", "history RUN"):
        found = json.loads(desk.well("schema", *use.split()).out)
        assert found["title"] == use and "$defs" in found and found["$ref"].startswith("#/$defs/")
    answer = desk.run("schema", "nothing")
    assert answer.code == 2 and "verify" in answer.err
    with pytest.raises(msgspec.ValidationError):
        has_shape({"kept": [{"was": 1}]}, DOCUMENTS["attic"])
