"""What the shells keep of the folder that they were in, by real shells on a shelf of the test's own."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

import pytest

from tests.conftest import SHELLS
from zesty_anchor.shells.environment import Environment, Of, Switchable
from zesty_anchor.shells.known import following, generated

KELP = Switchable("kelp", "4.2", ("bin",), (".kelp-version",))
BRINE = Switchable("brine", "2", ("bin",), (".brine-version",))
PINS = {
    "quay/north/.kelp-version": "kelp=3.6",
    "quay/.brine-version": "brine=1",
    "quay/north/.brine-version": "brine=1",
}
STEPS = (
    ("cd quay/north", "kelp 3.6 brine 2"),
    ("cd", "kelp 4.2 brine 2"),
    ("cd quay/north", "kelp 3.6 brine 2"),
    ("cd; {above}; cd quay/north", "kelp 3.6 brine 1"),
    ("cd; cd quay/north", "kelp 3.6 brine 1"),
    ("cd; rm quay/.brine-version; cd quay/north", "kelp 3.6 brine 2"),
    ("cd; {beside}; cd quay/north", "kelp 3.6 brine 1"),
    ("cd; cd quay/north", "kelp 3.6 brine 1"),
    ("cd; rm quay/north/.brine-version; cd quay/north", "kelp 3.6 brine 2"),
    ("cd; {edited}; cd quay/north", "kelp 3.5 brine 2"),
    ("cd; cd quay/north; cd deep", "kelp 3.5 brine 2"),
    ("cd ../..", "kelp 4.2 brine 2"),
    ("cd north; rm .kelp-version; cd ..; cd north", "kelp 4.2 brine 2"),
    ("{appears}; za__prompt", "kelp 3.5 brine 2"),
)


GAUGES = tuple(
    Switchable(f"gauge{n}", "1", ("bin",), (f".gauge{n}-version",), (f"gauge{n}.mod",)) for n in range(40)
)


@pytest.mark.parametrize("more", [(), GAUGES], ids=["two runtimes", "many"])
@pytest.mark.parametrize("shell", [pytest.param(name, marks=pytest.mark.needs(name)) for name in following()])
def test_a_folder_that_is_known_is_looked_at_again(
    shell: str, more: tuple[Switchable, ...], tmp_path: Path
) -> None:
    home = tmp_path / "it's home"
    for name, version in (("kelp", "4.2"), ("kelp", "3.6"), ("kelp", "3.5"), ("brine", "2"), ("brine", "1")):
        program = home / "shelf" / name / version / "bin" / name
        program.parent.mkdir(parents=True)
        program.write_text(f"#!/bin/sh\necho {name} {version} $KELP_AT\n")
        program.chmod(0o755)
    (home / "quay/north/deep").mkdir(parents=True)
    for file, token in PINS.items():
        entry = Path(f"{home}/pins{home}/{file}=")
        entry.parent.mkdir(parents=True, exist_ok=True)
        entry.write_text(f"{token} ;\n{token.replace('=', ' ')}\n")
    pin = {file: f'echo >{file}; touch -r "$HOME/pins$HOME/{file}=" {file}' for file in PINS}
    environment = Environment(
        (("KELP_AT", (Of("kelp"),)),), (), (), f"{home}/shelf", f"{home}/bin", f"{home}/pins",
        f"{home}/shell",
        program=("/nowhere/zesty-anchor",), runtimes=(KELP, BRINE, *more),
    )  # fmt: skip
    (home / "shell").mkdir()
    for name in ("sh", shell, f"follow.{shell}"):
        file = home / "shell" / (name if name.startswith("follow") else f"environment.{name}")
        file.write_text(generated()[name](environment, str(file)))
    above, beside, kelp = (
        pin[f] for f in ("quay/.brine-version", "quay/north/.brine-version", "quay/north/.kelp-version")
    )
    entry = '"$HOME/pins$HOME/quay/north/.kelp-version="'
    # Another shell had the pin looked up, which was edited meanwhile.
    edited = f"printf 'kelp=3.5 ;\\nkelp 3.5\\n' >{entry}; touch -d 2026-01-01 {entry}; {kelp}"
    appears = f"echo >.kelp-version; touch -r {entry} .kelp-version"
    steps = [
        (step.format(above=above, beside=beside, edited=edited, appears=appears), wanted)
        for step, wanted in STEPS
    ]
    lines = [
        "cd",
        f'. "$HOME/shell/environment.{shell}"',
        kelp,
        *(f"{step}; kelp; brine" for step, _ in steps),
    ]
    (home / "script").write_text("\n".join(lines) + "\n")
    plain = {"bash": ["--norc"], "zsh": ["-f"], "fish": ["--no-config"]}.get(shell, [])
    done = subprocess.run(
        [SHELLS[shell], *plain, "-i", "-c", '. "$HOME/script"'], cwd=home, capture_output=True, text=True,
        check=False,
        env={"HOME": str(home), "PATH": "/usr/bin:/bin", "LANG": "C.UTF-8", "TERM": "dumb",
        "ENV": "/dev/null"},
        stdin=subprocess.DEVNULL, timeout=60,
    )  # fmt: skip
    seen = [line.split() for line in done.stdout.splitlines() if line.startswith(("kelp ", "brine "))]
    assert [" ".join([*one[:2], *two[:2]]) for one, two in zip(seen[::2], seen[1::2], strict=True)] == [
        wanted for _, wanted in steps
    ], done.stderr
    assert all(os.path.basename(words[-1]) == seen[place // 2 * 2][1] for place, words in enumerate(seen)), (
        seen
    )


CURRENT = '#!/bin/sh\necho it ran >>"$HOME/ran"\n'
SWITCHES = (
    "kelp=3.6",
    "kelp=system",
    "~kelp=3.6",
    "brine=system kelp=system",
    "brine=1",
    "kelp=4.2 brine=2",
    "",
)


@pytest.mark.parametrize("default", ["4.2", ""], ids=["a default", "left to the system"])
@pytest.mark.parametrize("first", [(), ("/opt/first",)], ids=["nothing first", "a folder first"])
@pytest.mark.parametrize("start", ["/usr/bin:/bin:/opt/x", ""], ids=["a PATH", "none"])
@pytest.mark.parametrize("shell", [pytest.param(name, marks=pytest.mark.needs(name)) for name in following()])
def test_path_never_gets_an_empty_entry(
    shell: str, start: str, first: tuple[str, ...], default: str, tmp_path: Path
) -> None:
    """Over every switch to every other one, at the start, in a shell in a shell, and when the file is read
    again: what is on PATH of ours is absolute, and no command of the current folder is run.
    """
    home = tmp_path
    for name, version in (("kelp", "4.2"), ("kelp", "3.6"), ("brine", "2"), ("brine", "1")):
        (home / "shelf" / name / version / "bin").mkdir(parents=True)
    kelp = Switchable("kelp", default, ("bin",), (".kelp-version",))
    brine = Switchable("brine", default and "2", ("bin",), (".brine-version",))
    environment = Environment(
        (("KELP_AT", (Of("kelp"),)),), first, (), f"{home}/shelf", f"{home}/bin", f"{home}/pins",
        f"{home}/shell",
        program=("/nowhere/zesty-anchor",), runtimes=(kelp, brine),
    )  # fmt: skip
    (home / "shell").mkdir()
    for name in ("sh", shell, f"follow.{shell}"):
        file = home / "shell" / (name if name.startswith("follow") else f"environment.{name}")
        file.write_text(generated()[name](environment, str(file)))
    (home / "here").mkdir()
    for name in ("ls", "env", "kelp"):
        (home / "here" / name).write_text(CURRENT)
        (home / "here" / name).chmod(0o755)
    tell = "printf '%s\\n' \"path $PATH\"" if shell != "fish" else 'builtin echo "path "(string join : $PATH)'
    lines = ["cd here", tell, f'. "$HOME/shell/environment.{shell}"', tell]
    for one in SWITCHES:
        for other in SWITCHES:
            for tokens in (one, other):
                session = (
                    f"set -gx ZESTY_ANCHOR_SESSION '{tokens}'"
                    if shell == "fish"
                    else f"export ZESTY_ANCHOR_SESSION='{tokens}'"
                )
                lines += [session, "za__look", tell]
    lines += [f'. "$HOME/shell/environment.{shell}"', tell, "ls >/dev/null 2>&1"]
    (home / "script").write_text("\n".join(lines) + "\n")
    plain = {"bash": ["--norc"], "zsh": ["-f"], "fish": ["--no-config"]}.get(shell, [])
    done = subprocess.run(
        [SHELLS[shell], *plain, "-i", "-c", '. "$HOME/script"'], cwd=home, capture_output=True, text=True,
        check=False,
        env={"HOME": str(home), "LANG": "C.UTF-8", "TERM": "dumb", "ENV": "/dev/null",
        **({"PATH": start} if start else {})},
        stdin=subprocess.DEVNULL, timeout=60,
    )  # fmt: skip
    paths = [line.removeprefix("path ") for line in done.stdout.splitlines() if line.startswith("path ")]
    assert len(paths) == 3 + 2 * len(SWITCHES) ** 2, done.stderr
    own = paths.pop(0).split(":")  # a bash without PATH has one of its own, with the current folder last
    assert [
        p for p in paths if not all(entry.startswith("/") or entry in own for entry in p.split(":"))
    ] == []
    assert all(p.split(":").count(f"{home}/bin") == 1 for p in paths)
    assert not (home / "ran").exists()


@pytest.mark.parametrize("shell", [pytest.param(name, marks=pytest.mark.needs(name)) for name in following()])
def test_a_pin_wins_over_the_system_where_the_system_is_the_default(shell: str, tmp_path: Path) -> None:
    """What is chosen then stands before what the system has, though nothing of ours stood first before."""
    program = tmp_path / "shelf/kelp/3.6/bin/kelp"
    program.parent.mkdir(parents=True)
    program.write_text("#!/bin/sh\necho kelp 3.6\n")
    program.chmod(0o755)
    system = tmp_path / "system/kelp"
    system.parent.mkdir()
    system.write_text("#!/bin/sh\necho the system\n")
    system.chmod(0o755)
    environment = Environment(
        (), (), (), f"{tmp_path}/shelf", f"{tmp_path}/bin", f"{tmp_path}/pins", f"{tmp_path}/shell",
        program=("/nowhere/zesty-anchor",), runtimes=(Switchable("kelp", "", ("bin",), (".kelp-version",)),),
    )  # fmt: skip
    (tmp_path / "shell").mkdir()
    for name in ("sh", shell, f"follow.{shell}"):
        file = tmp_path / "shell" / (name if name.startswith("follow") else f"environment.{name}")
        file.write_text(generated()[name](environment, str(file)))
    session = (
        "set -gx ZESTY_ANCHOR_SESSION kelp=3.6" if shell == "fish" else "export ZESTY_ANCHOR_SESSION=kelp=3.6"
    )
    over = "set -e ZESTY_ANCHOR_SESSION" if shell == "fish" else "unset ZESTY_ANCHOR_SESSION"
    script = f'. "$HOME/shell/environment.{shell}"\nkelp\n{session}\nza__look\nkelp\n{over}\nza__look\nkelp\n'
    (tmp_path / "script").write_text(script)
    plain = {"bash": ["--norc"], "zsh": ["-f"], "fish": ["--no-config"]}.get(shell, [])
    done = subprocess.run(
        [SHELLS[shell], *plain, "-i", "-c", '. "$HOME/script"'], cwd=tmp_path, capture_output=True, text=True,
        check=False,
        env={"HOME": str(tmp_path), "PATH": f"{tmp_path}/system:/usr/bin:/bin", "LANG": "C.UTF-8",
        "TERM": "dumb", "ENV": "/dev/null"},
        stdin=subprocess.DEVNULL, timeout=60,
    )  # fmt: skip
    assert done.stdout.splitlines() == ["the system", "kelp 3.6", "the system"], done.stderr
