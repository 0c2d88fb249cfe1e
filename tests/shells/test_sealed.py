"""A copy of the home: what shells do there, whatever it is, is not done to the real one."""

from __future__ import annotations

import os
import socket
import subprocess
from pathlib import Path

import pytest

from zesty_anchor.demo.home import likeness
from zesty_anchor.shells.sealed import World, in_copy, in_links, recorders
from zesty_anchor.system.namespaces import Closed

WORK = (
    "rm -rf notes old; echo mine >.rc; echo more >>log; ls -A; cat .rc; curl -s http://127.0.0.1:%d/; mv log"
    " other"
)


@pytest.fixture
def home(tmp_path: Path) -> Path:
    home = tmp_path / "home, with: signs"
    for name, text in (
        (".rc", "real\n"),
        ("log", "one\n"),
        ("notes/tide", "high\n"),
        ("old/bin/kelp", "kelp\n"),
    ):
        (home / name).parent.mkdir(parents=True, exist_ok=True)
        (home / name).write_text(text)
    return home


def done(home: Path, port: int = 9) -> str:
    answer = subprocess.run(["sh", "-c", WORK % port], cwd=home, capture_output=True, text=True, check=False)
    return answer.stdout


def test_what_is_done_there_is_not_done_here(home: Path) -> None:
    before = likeness(home, ())
    shown, calls = in_copy(
        World(home, {home / ".rc": b"other\n", home / "new/rc": b"1\n"}, (home / "old",)), done
    )
    assert shown.splitlines() == [
        ".rc",
        "log",
        "new",
        "mine",
    ], "rm, the shell and what it writes worked there"
    assert calls == ()
    assert likeness(home, ()) == before


def test_sealed_the_network_is_off_and_harm_is_written_down(home: Path) -> None:
    before = likeness(home, ())
    with socket.create_server(("127.0.0.1", 0)) as server:
        port = server.getsockname()[1]

        def task(at: Path) -> tuple[str, bool]:
            shown = done(at, port)
            subprocess.run(["/bin/rm", "-rf", "/tmp/nothing"], check=True)
            with socket.socket() as tried:
                return shown, tried.connect_ex(("127.0.0.1", port)) == 0

        (shown, reached), calls = in_copy(World(home, sealed=True), task)
    assert not reached
    assert "notes" in shown.splitlines(), "rm did nothing"
    assert calls == (
        "rm -rf notes old",
        f"curl -s http://127.0.0.1:{port}/",
        "mv log other",
        "rm -rf /tmp/nothing",
    )
    assert likeness(home, ()) == before


def test_an_error_of_the_task_comes_through(home: Path) -> None:
    def task(at: Path) -> None:
        raise ValueError(str(at))

    with pytest.raises(ValueError, match="with: signs"):
        in_copy(World(home), task)


def test_what_lies_outside_is_left_out_as_well(home: Path, tmp_path: Path) -> None:
    away = tmp_path / "opt"
    (away / "bin").mkdir(parents=True)
    found, _ = in_copy(World(home, gone=(away,)), lambda at: os.listdir(away))
    assert found == []
    assert os.listdir(away) == ["bin"]


def test_where_the_system_allows_no_layer_links_do(home: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def refused(*arguments: object) -> None:
        raise PermissionError("unshare: Operation not permitted")

    monkeypatch.setattr("zesty_anchor.system.namespaces.call", refused)
    with pytest.raises(Closed, match="not permitted"):
        in_copy(World(home), done)

    def task(at: Path) -> str:
        environment = {"PATH": f"{recorders(at.parent)}:/usr/bin:/bin"}
        script = f"cat .rc; ls -A; rm -rf {at}/notes/tide; cat notes/tide"
        return subprocess.run(
            ["sh", "-c", script], cwd=at, env=environment, capture_output=True, text=True
        ).stdout

    before = likeness(home, ())
    texts = {home / ".rc": f"PATH={home}/bin\n".encode()}
    shown, calls = in_links(World(home, texts, (home / "old",)), task)
    copy = shown.splitlines()[0].removeprefix("PATH=").removesuffix("/bin")
    assert not Path(copy).exists()
    assert shown.splitlines()[1:] == [".rc", "log", "notes", "high"]
    assert calls == (f"rm -rf {copy}/notes/tide",)
    assert likeness(home, ()) == before
