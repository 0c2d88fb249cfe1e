"""The rows about shells: each beside its own limit, in the same run."""

from __future__ import annotations

import shutil
import subprocess
import tempfile
from collections.abc import Iterator

from homes import FOLLOWING, followed, plain_environment, provisioned
from measure import Result, seconds, side_by_side


def shell_start() -> Iterator[Result]:
    """A start against that of a shell whose startup file reads an empty file, as ours must be read in any case."""
    with followed() as (home, bare, shells):
        for name, program in shells.items():
            (bare / "empty").touch()
            (bare / FOLLOWING[name]).write_text(f"{'source' if name == 'fish' else '.'} {bare}/empty\n")
            hooked, empty = plain_environment(home), plain_environment(bare)
            command = [program, "-i", "-c", ":"]
            ours, limit = side_by_side(
                lambda c=command, e=hooked: seconds(c, e), lambda c=command, e=empty: seconds(c, e), rounds=151
            )
            note = f"{(ours - limit) * 1000:.2f} ms more"
            yield Result(f"interactive {name} starts", "the same, reading an empty file", ours / limit, 2, note=note)
            extra = processes(command, hooked) - processes(command, empty)
            what = f"interactive {name} starts: processes added by the hook (strace)"
            yield Result(what, "an empty startup file", extra, 0, "processes")


NAMES = ("workstation.toml", *(f".gauge{number:02}-version" for number in range(4)))
"""The names by which a project of ``followed`` could choose versions."""


def shell_folders() -> Iterator[Result]:
    """Loops of many rounds in one shell: what we do, beside the least that a right answer takes."""
    rounds = 400
    with followed() as (home, bare, shells):
        (bare / "project/.gauge00-version").write_text("1.1\n")
        for name, program in shells.items():
            hooked, empty = plain_environment(home), plain_environment(bare)
            for where, enter, limit in _limits(name):
                begin = f"{limit}; za__prompt; cd project; cd ..; {enter}"
                loops = [_loop(name, rounds * 5, begin, command) for command in ("za__prompt", "za_limit", ":")]
                ours, least, nothing = side_by_side(
                    *(
                        lambda c=loop, p=program, e=hooked, h=home: seconds([p, "-i", "-c", c], e, str(h))
                        for loop in loops
                    ),
                    rounds=15,
                )
                note = f"{(ours - nothing) / (rounds * 5) * 1e6:.1f} us"
                ratio = (ours - nothing) / (least - nothing)
                yield Result(f"{name}: a prompt in {where}", "a function that only looks for it", ratio, 1.5, note=note)
            enter = _loop(name, rounds, "", "cd project; cd ..")
            read = _loop(name, rounds, "", "cd project; read line <.gauge00-version; cd ..")
            ours, least = side_by_side(
                lambda p=program, c=enter, e=hooked: seconds([p, "-i", "-c", c], e, str(home)),
                lambda p=program, c=read, e=empty: seconds([p, "-i", "-c", c], e, str(bare)),
                rounds=15,
            )
            note = f"{(ours - least) / (rounds * 2) * 1e6:.0f} us more"
            what = f"{name}: entering a pinned folder and leaving it"
            yield Result(what, "`cd`, one read of the pin, `cd`", ours / least, 3, note=note)


def _limits(name: str) -> Iterator[tuple[str, str, str]]:
    """Where a prompt is, how to get there, and a function that does no more than the comparisons which tell whether the
    folder is another, or a pin has come, or has changed. (fish and zsh tell of another folder by themselves.)
    """
    there = "" if name == "zsh" else "$PWD == $za_here && "
    entry = "~/.cache/zesty-anchor/pins{}/.gauge00-version="
    if name == "fish":
        yield "an ordinary folder", "", f"function za_limit; path is -- {' '.join(NAMES)}; end"
        changed = "test .gauge00-version -nt $za_entry -o .gauge00-version -ot $za_entry"
        enter = f"cd project; set -g za_entry {entry.format('(pwd)')}; "
        yield "a pinned folder", enter, f"function za_limit; {changed}; end"
        return
    tests = " || ".join(f"-e {each}" for each in NAMES)
    yield "an ordinary folder", "za_here=$PWD; ", f"za_limit() {{ [[ $PWD == $za_here && ! ( {tests} ) ]]; }}"
    same = "! .gauge00-version -nt $za_entry && ! .gauge00-version -ot $za_entry"
    enter = f"cd project; za_here=$PWD za_entry={entry.format('$PWD')}; "
    yield "a pinned folder", enter, f"za_limit() {{ [[ {there}{same} ]]; }}"


def _loop(shell: str, rounds: int, before: str, command: str) -> str:
    if shell == "fish":
        return f"{before}for i in (seq {rounds}); {command}; end; true"
    return f"{before}i=0; while [ $i -lt {rounds} ]; do {command}; i=$((i+1)); done"


def launcher() -> Iterator[Result]:
    with provisioned(4) as (home, _):
        deep = home / "/".join("abcdefgh")
        deep.mkdir(parents=True)
        environment = plain_environment(home)
        data = home / ".local/share/zesty-anchor"
        direct, own = data / "shelf/gauge00/1.2.0/bin", [str(data / "bin/gauge00")]
        many = ":".join(f"/opt/tides/of/the/northern/quay/{n:04}/with/its/own/folder/bin" for n in range(130))
        long = {**environment, "PATH": f"{environment['PATH']}:{many}:{direct}"}
        seconds(own, environment, str(deep))
        ours, without, late = side_by_side(
            lambda: seconds(own, environment, str(deep)),
            lambda: seconds([str(direct / "gauge00")], environment, str(deep)),
            lambda: seconds(own, long, str(deep)),
            rounds=301,
        )
    yield Result("a launcher, eight folders deep", "the command itself", (ours - without) * 1000, 1.5, "ms")
    kilobytes = f"{len(long['PATH']) / 1000:.1f} kB of PATH, its own folder the last"
    yield Result(f"a launcher with {kilobytes}", "with a short PATH", (late - ours) * 1000, 2, "ms")


def processes(command: list[str], environment: dict[str, str]) -> int:
    """How many processes a command makes, counted by strace."""
    strace = shutil.which("strace")
    if strace is None:
        raise SystemExit("strace is missing: apt-get install strace")
    with tempfile.NamedTemporaryFile("r") as trace:
        subprocess.run(
            [strace, "-f", "-qq", "-e", "trace=clone,clone3,fork,vfork,execve", "-o", trace.name, *command],
            env=environment,
            check=True,
            stdin=subprocess.DEVNULL,
            capture_output=True,
        )
        return sum("= -1" not in line and "(" in line for line in trace)
