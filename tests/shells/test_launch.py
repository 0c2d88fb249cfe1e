"""The launchers, run by dash on a shelf of the test's own."""

from __future__ import annotations

import os
import subprocess
import time
from pathlib import Path

import pytest

from tests.conftest import PROGRAMS
from zesty_anchor.shelf.launchers import commands, keep_in_step, standing
from zesty_anchor.shells.environment import Environment, Of, Switchable
from zesty_anchor.shells.launch import common, is_launcher, launcher

pytestmark = pytest.mark.needs("dash")
KELP = Switchable("kelp", "4.2", ("bin", "."), (".kelp-version",), ("package.json",))
SAYS = '#!/bin/sh\nprintf "%s|" "WHO" "$HERE" "$GAUGE" "$@"; printf "%s\\n" "$PATH"\n'


@pytest.fixture
def shelf(tmp_path: Path) -> Path:
    for version, names in (("4.2", ("bin/kelp", "kelp-root")), ("3.6", ("bin/kelp", "bin/kelp-old"))):
        for name in names:
            file = tmp_path / "shelf/kelp" / version / name
            file.parent.mkdir(parents=True, exist_ok=True)
            file.write_text(SAYS.replace("WHO", f"{file.name} {version}"))
            file.chmod(0o755)
    return tmp_path / "shelf"


def made(tmp_path: Path, default: str = "4.2") -> Path:
    runtime = Switchable("kelp", default, KELP.bins, KELP.pin_files, KELP.requirement_files)
    environment = Environment(
        (("HERE", (Of("kelp"), "/x")), ("GAUGE", ("$5",))), (), (), str(tmp_path / "shelf"),
        str(tmp_path / "bin"),
        str(tmp_path / "pins"), str(tmp_path), program=("/nowhere/zesty-anchor",), runtimes=(runtime,),
    )  # fmt: skip
    file = tmp_path / "launch.sh"
    file.write_text(common(environment, str(file)))
    runtimes = (("kelp", ("bin", ".")),)
    texts = {n: launcher(n, r, str(file)) for n, r in commands(tmp_path / "shelf", runtimes).items()}
    keep_in_step(tmp_path / "bin", texts, is_launcher)
    return tmp_path / "bin"


def run(command: Path, *words: str, folder: Path | None = None, **environment: str) -> tuple[int, str, str]:
    done = subprocess.run(
        [str(command), *words], cwd=folder or command.parent, capture_output=True, text=True, check=False,
        env={"PATH": "/usr/bin:/bin", "HOME": "/nowhere", **environment},
    )  # fmt: skip
    return done.returncode, done.stdout.strip(), done.stderr


def test_the_default_with_its_words_variables_and_path(shelf: Path, tmp_path: Path) -> None:
    bin = made(tmp_path)
    kelp = shelf / "kelp/4.2"
    path = f"{kelp}/bin:{kelp}:{bin}:/usr/bin:/bin"
    assert run(bin / "kelp", "a b", "")[1] == f"kelp 4.2|{kelp}/x|$5|a b||{path}"
    assert run(bin / "kelp", GAUGE="mine", HERE="/my/own")[1] == f"kelp 4.2|/my/own|mine|{path}"
    assert f"|{kelp}/x|" in run(bin / "kelp", HERE=f"{shelf}/kelp/3.6/x")[1], (
        "another version's folder gives way"
    )
    assert run(bin / "kelp", PATH=path)[1].endswith(f"|{path}"), "nothing stands there twice"


@pytest.mark.parametrize("where", ["first", "last", "twice", "not there", "in another order"])
def test_a_version_stands_first_on_any_path_and_once(shelf: Path, tmp_path: Path, where: str) -> None:
    bin, many = made(tmp_path), [f"/opt/tide {n:03}/*/bin" for n in range(150)]
    own = [f"{shelf}/kelp/4.2/bin", f"{shelf}/kelp/4.2"]
    path = {
        "first": [*own, *many, str(bin)],
        "last": [*many, str(bin), *own],
        "twice": [own[0], *many, *own, str(bin)],
        "not there": many,
        "in another order": [*many[:9], own[1], *many[9:], own[0], str(bin)],
    }[where]
    rest = [folder for folder in path if folder not in own]
    expected = [*own, *rest] if str(bin) in rest else [*own, str(bin), *rest]
    for end in ("", ":"):
        found = run(bin / "kelp", PATH=":".join(path) + end)[1].rpartition("|")[2]
        assert found == ":".join(expected) + end


def test_the_session_and_the_project_count(shelf: Path, tmp_path: Path) -> None:
    bin, project = made(tmp_path), tmp_path / "project/deep"
    project.mkdir(parents=True)
    pin = tmp_path / "project/.kelp-version"
    pin.write_text("3.6\n")
    answer = tmp_path / "pins" / f"{str(pin)[1:]}="
    answer.parent.mkdir(parents=True)
    answer.write_text("kelp=3.6 ;\nkelp 3.6\n")
    assert run(bin / "kelp", folder=project)[1].startswith("kelp 4.2|"), (
        "an answer of another time does not count"
    )

    os.utime(answer, ns=(pin.stat().st_atime_ns, pin.stat().st_mtime_ns))
    assert run(bin / "kelp", folder=project)[1].startswith("kelp 3.6|")
    assert run(bin / "kelp", folder=project, ZESTY_ANCHOR_SESSION="xkelp=9 kelp=4.2")[1].startswith(
        "kelp 4.2|"
    )


def test_a_command_that_the_version_does_not_have(shelf: Path, tmp_path: Path) -> None:
    bin = made(tmp_path)
    assert sorted(standing(bin)) == ["kelp", "kelp-old", "kelp-root"]
    assert run(bin / "kelp-root")[1].startswith("kelp-root 4.2|")
    code, _, err = run(bin / "kelp-old")
    assert code == 127
    assert "kelp 4.2, which is active here, has no such command" in err
    assert "zesty-anchor with kelp=3.6 -- kelp-old" in err


def test_a_command_with_a_version_in_its_name_is_that_version_s(shelf: Path, tmp_path: Path) -> None:
    for version in ("3.6", "3.61", "4.2"):
        for name in (f"kelp{version}", f"kelp{version}-config", "kelp3"):
            file = shelf / "kelp" / version / "bin" / name
            file.parent.mkdir(parents=True, exist_ok=True)
            if (name, version) != ("kelp3", "4.2"):
                file.write_text(SAYS.replace("WHO", f"{name} {version}"))
                file.chmod(0o755)
    bin = made(tmp_path)
    code, out, err = run(bin / "kelp3.6", "a b")
    assert (code, err) == (0, "") and out.startswith(f"kelp3.6 3.6|{shelf}/kelp/3.6/x|$5|a b|")
    assert f"|{shelf}/kelp/3.6/bin:" in out, "what it calls is its own"
    assert run(bin / "kelp3.6-config")[1].startswith("kelp3.6-config 3.6|")
    assert run(bin / "kelp3.61")[1].startswith("kelp3.61 3.61|")
    assert run(bin / "kelp4.2")[1].startswith("kelp4.2 4.2|")
    assert run(bin / "kelp3")[0] == 127, "that could be several"
    (shelf / "kelp/3.6/bin/kelp3.6").rename(shelf / "kelp/4.2/bin/kelp3.6")
    assert run(bin / "kelp3.6")[1].startswith("kelp3.6 3.6|"), (
        "the one in effect comes first: the file says 3.6, and is 4.2's"
    )
    assert f"|{shelf}/kelp/4.2/x|" in run(bin / "kelp3.6")[1]


def test_what_is_left_to_the_system(shelf: Path, tmp_path: Path) -> None:
    bin, own = made(tmp_path, ""), tmp_path / "usr"
    own.mkdir()
    assert run(bin / "kelp", PATH=f"{bin}:/nowhere")[0] == 127
    (own / "kelp").write_text("#!/bin/sh\necho of the system\n")
    (own / "kelp").chmod(0o755)
    assert run(bin / "kelp", PATH=f"{bin}:{shelf}/kelp/4.2/bin:{own}:/bin")[1] == "of the system"


def test_launchers_go_with_their_versions(shelf: Path, tmp_path: Path) -> None:
    bin = made(tmp_path)
    (shelf / "kelp/3.6/bin/kelp-old").unlink()
    made(tmp_path)
    assert sorted(standing(bin)) == ["kelp", "kelp-root"]
    keep_in_step(bin, {}, is_launcher)
    assert not bin.exists()
    assert PROGRAMS["dash"]


@pytest.mark.sees_system
@pytest.mark.parametrize("spelling", ["{bin}/", "{bin}/../bin", "/{bin}", "{link}", "."])
def test_the_launchers_folder_in_another_spelling_does_not_run_round(
    shelf: Path, tmp_path: Path, spelling: str
) -> None:
    bin = made(tmp_path, default="")
    (tmp_path / "link").symlink_to(bin)
    folder = spelling.format(bin=bin, link=tmp_path / "link")
    began = time.monotonic()
    code, out, said = run(bin / "kelp", folder=bin, PATH=f"{folder}:/usr/bin:/bin")
    assert (code, out) == (127, "") and "the system has no such command" in said
    own = tmp_path / "own/kelp"
    own.parent.mkdir()
    own.write_text("#!/bin/sh\necho own\n")
    own.chmod(0o755)
    assert run(bin / "kelp", folder=bin, PATH=f"{folder}:{own.parent}:/usr/bin:/bin")[:2] == (0, "own")
    assert time.monotonic() - began < 10


def test_a_wrapper_that_comes_back_to_the_launcher_is_ended(shelf: Path, tmp_path: Path) -> None:
    bin = made(tmp_path, default="")
    wrapper = tmp_path / "own/kelp"
    wrapper.parent.mkdir()
    wrapper.write_text(f'#!/bin/sh\nexec "{bin}/kelp" "$@"\n')
    wrapper.chmod(0o755)
    code, _, said = run(bin / "kelp", PATH=f"{bin}:{wrapper.parent}:/usr/bin:/bin")
    assert code == 127 and "the system has no such command" in said
