"""The rows about shells: each beside its own limit, in the same run."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path

from homes import CLICK, FOLLOWING, PROGRAM, followed, plain_environment, provisioned, room
from measure import Result, seconds, side_by_side


def shell_start() -> Iterator[Result]:
    """A start against that of a shell whose startup file reads an empty file, as ours must be read in any
    case.
    """
    with followed() as (home, bare, shells):
        for name, program in shells.items():
            (bare / "empty").touch()
            (bare / FOLLOWING[name]).write_text(f"{'source' if name == 'fish' else '.'} {bare}/empty\n")
            hooked, empty = plain_environment(home), plain_environment(bare)
            command = [program, "-i", "-c", ":"]
            ours, limit = side_by_side(
                lambda c=command, e=hooked: seconds(c, e),
                lambda c=command, e=empty: seconds(c, e),
                rounds=151,
            )
            note = f"{(ours - limit) * 1000:.2f} ms more"
            yield Result(
                f"interactive {name} starts", "the same, reading an empty file", ours / limit, 2, note=note
            )
            extra = processes(command, hooked) - processes(command, empty)
            what = f"interactive {name} starts: processes added by the hook (strace)"
            yield Result(what, "an empty startup file", extra, 0, "processes")


NAMES = ("workstation.toml", *(f".gauge{number:02}-version" for number in range(4)))
"""The names by which a project of ``followed`` could choose versions."""
OTHERS = tuple(name for name in NAMES if name != ".gauge00-version")
"""Those that its one pin does not have."""


def shell_folders() -> Iterator[Result]:
    """Loops of many rounds in one shell: what we do, beside the least that a right answer takes."""
    rounds = 400
    with followed() as (home, bare, shells):
        pin = bare / "project/.gauge00-version"
        for file in (pin, bare / "entry"):
            file.write_text("gauge00=1.1 ;\n")
            os.utime(file, (1_700_000_000, 1_700_000_000))
        for name, program in shells.items():
            hooked = plain_environment(home)
            for where, enter, limit in _limits(name):
                begin = f"{limit}; za__prompt; cd project; cd ..; {enter}"
                loops = [
                    _loop(name, rounds * 5, begin, command) for command in ("za__prompt", "za_limit", ":")
                ]
                ours, least, nothing = side_by_side(
                    *(
                        lambda c=loop, p=program, e=hooked, h=home: seconds([p, "-i", "-c", c], e, str(h))
                        for loop in loops
                    ),
                    rounds=15,
                )
                note = f"{(ours - nothing) / (rounds * 5) * 1e6:.1f} us"
                ratio = (ours - nothing) / (least - nothing)
                yield Result(
                    f"{name}: a prompt in {where}", "a function that only looks for it", ratio, 1.5, note=note
                )
            yield from _entering(name, program, rounds, home, bare)


def _entering(name: str, program: str, rounds: int, home: Path, bare: Path) -> Iterator[Result]:
    """Into a pinned folder and out of it, beside two limits: what a person would see as the least, and the
    least that a right answer takes. (In fish the first one is kept by itself.)
    """
    enter, read = "cd project; cd ..", "cd project; read line <.gauge00-version; cd .."
    loops = [(home, "", enter), (bare, "", read)] + ([] if name == "fish" else [(bare, _least(name), enter)])
    commands = [([program, "-i", "-c", _loop(name, rounds, begin, c)], place) for place, begin, c in loops]
    ours, *limits = side_by_side(
        *(lambda c=command, p=place: seconds(c, plain_environment(p), str(p)) for command, place in commands),
        rounds=15,
    )
    against = ("`cd`, one read of the pin, `cd`", "the same with the comparisons of files, and PATH set")
    for limit, what in zip(limits, against, strict=False):
        note = f"{(ours - limit) / (rounds * 2) * 1e6:.0f} us more"
        yield Result(f"{name}: entering a pinned folder and leaving it", what, ours / limit, 3, note=note)


def _limits(name: str) -> Iterator[tuple[str, str, str]]:
    """Where a prompt is, how to get there, and a function that does no more than the comparisons which tell
    whether the folder is another, or a pin has come (a second one beside that which is there, too), or has
    changed. (fish and zsh tell of another folder by themselves.)
    """
    there = "" if name == "zsh" else "$PWD == $za_here && "
    entry = "~/.cache/zesty-anchor/pins{}/.gauge00-version="
    if name == "fish":
        yield "an ordinary folder", "", f"function za_limit; path is -- {' '.join(NAMES)}; end"
        changed = (
            f"path is -- {' '.join(OTHERS)}; or test .gauge00-version -nt $za_entry -o .gauge00-version -ot"
            " $za_entry"
        )
        enter = f"cd project; set -g za_entry {entry.format('(pwd)')}; "
        yield "a pinned folder", enter, f"function za_limit; {changed}; end"
        return
    tests = " || ".join(f"-e {each}" for each in NAMES)
    yield "an ordinary folder", "za_here=$PWD; ", f"za_limit() {{ [[ $PWD == $za_here && ! ( {tests} ) ]]; }}"
    absent = " && ".join(f"! -e {each}" for each in OTHERS)
    same = f"! .gauge00-version -nt $za_entry && ! .gauge00-version -ot $za_entry && {absent}"
    enter = f"cd project; za_here=$PWD za_entry={entry.format('$PWD')}; "
    yield "a pinned folder", enter, f"za_limit() {{ [[ {there}{same} ]]; }}"


_LEAST = """\
shelf=$HOME/.local/share/zesty-anchor/shelf rest=:$PATH
more=:$shelf/gauge01/1.2.0/bin:$shelf/gauge02/1.2.0/bin:$shelf/gauge03/1.2.0/bin
PATH=$shelf/gauge00/1.2.0/bin$more$rest known=$HOME/project entry=$HOME/entry plain=$PATH
pinned=$shelf/gauge00/1.1.0/bin$more$rest
function za_unchanged {{
  [[ ! $known/.gauge00-version -nt $entry && ! $known/.gauge00-version -ot $entry && ! ( {others} || {above} ) ]] &&
    read -r line <"$entry"
}}
function za_look {{
  where=$PWD
  if [[ $PWD == "$known" ]] && za_unchanged; then
    [[ $PATH == "$plain" ]] && PATH=$pinned
  elif [[ ! ( {here} ) ]]; then
    [[ $PATH == "$pinned" ]] && PATH=$plain
  fi
}}
{follow}
"""


def _least(shell: str) -> str:
    """Following into one folder and back with no more than a right answer takes: each file compared that
    could choose a version, from the folder up to the home, one read, and PATH set where nobody else has set
    it.
    """
    real = "command" if shell == "ksh" else "builtin"
    follow = f'function cd {{ {real} cd "$@" && {{ [[ $PWD == "$where" ]] || za_look; }}; }}'
    return _LEAST.format(
        others=" || ".join(f"-e $known/{name}" for name in OTHERS),
        above=" || ".join(f"-e $HOME/{name}" for name in NAMES),
        here=" || ".join(f"-e $PWD/{name}" for name in NAMES),
        follow="chpwd_functions=(za_look)" if shell == "zsh" else follow,
    )


def _loop(shell: str, rounds: int, before: str, command: str) -> str:
    if shell == "fish":
        return f"{before}for i in (seq {rounds}); {command}; end; true"
    return f"{before}i=0; while [ $i -lt {rounds} ]; do {command}; i=$((i+1)); done"


def many_variables() -> Iterator[Result]:
    """A thousand: to provision them, and to start each shell with them against one whose startup file sets
    them itself.
    """
    values = {f"TIDE_{number:04}": f"{number} at the north quay" for number in range(1000)}
    with room() as home:
        lines = "".join(f'{name} = "{value}"\n' for name, value in values.items())
        head = 'as-root = "allowed"\n[shells]\nuse = "all"\n[variables]\n'
        (home / "workstation.toml").write_text(head + lines)
        took = seconds([*PROGRAM, "provision"], plain_environment(home), str(home))
        yield Result("`provision` of 1,000 variables, every shell proved", "–", took, 5, "s")
        bare = home / "bare"
        for name, file in FOLLOWING.items():
            program = shutil.which(name)
            if program is None:
                continue
            (bare / file).parent.mkdir(parents=True, exist_ok=True)
            export = "set -gx {} '{}'\n" if name == "fish" else "export {}='{}'\n"
            (bare / file).write_text("".join(export.format(*each) for each in values.items()))
            command = [program, "-i", "-c", ":"]
            ours, own = side_by_side(
                lambda c=command: seconds(c, plain_environment(home)),
                lambda c=command: seconds(c, plain_environment(bare)),
                rounds=31,
            )
            note = f"{ours * 1000:.0f} ms"
            yield Result(
                f"{name} starts with 1,000 variables", "its own 1,000 exports", ours / own, 1.3, note=note
            )


def tab() -> Iterator[Result]:
    """The first Tab of a shell behind one of our commands: what completes is read, and the versions on the
    shelf are named.
    """
    line = "za switch gauge00 "
    asks = {
        "bash": (
            f"COMP_LINE='{line}' COMP_POINT={len(line)} COMP_WORDBREAKS='='; za__complete; [["
            " ${COMPREPLY[*]} == *1.2.0* ]]"
        ),
        "fish": f"complete -C '{line}' | string match -q '1.2.0*'",
    }
    with followed() as (home, _, shells):
        environment = plain_environment(home)
        for name in asks.keys() & shells.keys():
            words = [shells[name], "-i", "-c"]
            asked, plain, least = side_by_side(
                lambda w=words, a=asks[name]: seconds([*w, a], environment),
                lambda w=words: seconds([*w, ":"], environment),
                lambda: seconds(CLICK, environment),
                rounds=41,
            )
            note = f"{(asked - plain) * 1000:.1f} ms"
            what = f"the first Tab behind `{line.strip()}` in {name}"
            yield Result(what, '`python -c "import click"`', (asked - plain) / least, 0.5, note=note)


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
