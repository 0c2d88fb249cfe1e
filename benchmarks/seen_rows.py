"""The rows about what a person looks at: what lines cost, and the report."""

from __future__ import annotations

import json
import shutil
import subprocess
from collections.abc import Iterator

from homes import PROGRAM, plain_environment, room
from measure import Result, seconds, side_by_side

from zesty_anchor.demo.home import furnish
from zesty_anchor.demo.host import Host
from zesty_anchor.demo.wares import compiler, stock_feed
from zesty_anchor.system.host import login_path

_MILLISECONDS = (5, 20, 80)
_BURN = {
    "bash": (
        ".bashrc",
        (
            "burn() { local t=$(( ${EPOCHREALTIME/./} + $1 * 1000 )); while (( ${EPOCHREALTIME/./} < t )); do"
            " :; done; }"
        ),
    ),
    "zsh": (
        ".zshrc",
        (
            "zmodload zsh/datetime; burn() { local t=$(( EPOCHREALTIME + $1 / 1000.0 ));"
            " while (( EPOCHREALTIME < t )); do :; done }"
        ),
    ),
    "ksh": (
        ".kshrc",
        (
            "function burn { typeset -F6 t; (( t = SECONDS + $1/1000.0 )); while (( SECONDS < t )); do :;"
            " done; }; typeset -F6 SECONDS"
        ),
    ),
    "mksh": (
        ".mkshrc",
        (
            "function burn { typeset t=$(( ${EPOCHREALTIME%.*}${EPOCHREALTIME#*.} + $1*1000 ));"
            " while (( ${EPOCHREALTIME%.*}${EPOCHREALTIME#*.} < t )); do :; done; }"
        ),
    ),
}
"""The startup file of each shell that has a clock of its own, and a function that is busy for so many
milliseconds.
"""


def lines_found() -> Iterator[Result]:
    """How near `timing` comes to what lines are known to cost: by a clock, so that the machine's speed does
    not matter.
    """
    for shell, (file, burn) in _BURN.items():
        if shutil.which(shell, path=login_path()) is None:
            print(f"| {shell}: left out, it is not installed | | | | |")
            continue
        with room() as home:
            lines = [f"burn {milliseconds}" for milliseconds in _MILLISECONDS]
            (home / file).write_text("\n".join([burn, *lines]) + "\n")
            done = subprocess.run(
                [*PROGRAM, "timing", "--shell", shell, "--seconds", "10", "--json"],
                env=plain_environment(home), capture_output=True, check=True,
            )  # fmt: skip
            found = {
                line["text"]: line["milliseconds"] for line in json.loads(done.stdout)["shells"][0]["lines"]
            }
        told = {line: found.get(line, 0.0) for line in lines}
        worst = max(abs(told[line] - true) / true for line, true in zip(lines, _MILLISECONDS, strict=True))
        note = ", ".join(f"{each:.1f} ms" for each in told.values())
        yield Result(
            f"`timing` in {shell}: lines of 5, 20 and 80 ms",
            "what they burn: off by, at most",
            worst,
            0.1,
            note=note,
        )


def report_of_demo() -> Iterator[Result]:
    """The report of the demo's home, with its proof in every shell."""
    with room() as top:
        feed, home = top / "feed", top / "home"
        feed.mkdir()
        home.mkdir()
        stock_feed(feed)
        with Host(feed) as serving:
            manifest = furnish(home, serving.url, with_c=compiler() is not None)
            environment, folder = plain_environment(home), str(manifest.parent)
            seconds([*PROGRAM, "provision", "--trust", str(manifest)], environment, folder)
            ours, proof = side_by_side(
                lambda: seconds([*PROGRAM, "report", str(home / "report.html")], environment, folder),
                lambda: seconds([*PROGRAM, "verify"], environment, folder),
                rounds=5,
            )
    yield Result("`report` of the demo's home", "–", ours, 2, "s", f"{ours / proof:.2f} × `verify`")
