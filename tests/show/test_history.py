"""Runs that are over, as a person reads them."""

import io

from zesty_anchor.engine.past_runs import PastChange, PastRun
from zesty_anchor.show import history
from zesty_anchor.show.paint import Paint


def _told(*changes: PastChange) -> str:
    run = PastRun(1, 1.0, 2.0, "/m", "", "3 checks passed", changes, (), (), undone=False)
    stream = io.StringIO()
    history.runs(Paint(stream, "never", {}), [run], str)
    return stream.getvalue().splitlines()[1]


def _change(action: str, subject: str, kind: str = "version", state: str = "done") -> PastChange:
    return PastChange(kind, action, subject, state, 0.1)


def test_what_was_installed_stands_by_name_whatever_began_first() -> None:
    changes = [
        _change("install", "kelp 4.2.1"),
        _change("remove", "old-kelp"),
        _change("install", "brine 1.7.2"),
    ]
    assert "brine 1.7.2, kelp 4.2.1, remove old-kelp" in _told(*changes)
    assert _told(*changes) == _told(*reversed(changes))


def test_what_failed_is_not_told_as_brought() -> None:
    told = _told(
        _change("install", "kelp 4.2.1", state="begun"), _change("edit", "~/.bashrc", "startup-file")
    )
    assert "kelp" not in told
    assert "1 startup file" in told
