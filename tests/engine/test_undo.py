"""Undoing leaves in the attic what stays of use."""

from __future__ import annotations

from pathlib import Path

from zesty_anchor.engine.journal import Journal
from zesty_anchor.engine.undo import take_back_run
from zesty_anchor.files.attic import Attic
from zesty_anchor.system.locations import locate


def test_what_stays_in_the_attic_is_left_there_and_the_rest_goes(tmp_path: Path) -> None:
    here = locate({"HOME": str(tmp_path)})
    with Journal(here) as journal:
        run = journal.begin_run(tmp_path / "workstation.toml")
        folder = here.attic / f"run-{run:05}"
        attic = Attic(folder, lambda was, kept: journal.keep(run, was, kept))
        (tmp_path / "old").mkdir()
        (tmp_path / "old/kelp").write_bytes(b"mine\n")
        stays = attic.away(tmp_path / "old")
        goes = Path(attic.keep("bashrc", b"a copy of a change that never began\n") or "")

        class Around:
            locations = here

        take_back_run({}, journal, run, lambda number: Around())  # type: ignore[arg-type, return-value]
        assert (stays / "kelp").read_bytes() == b"mine\n"
        assert not goes.exists()
