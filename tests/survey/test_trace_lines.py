"""The line behind what a shell has, for the ways of defining something that few people use: real shells."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

import pytest

from zesty_anchor.survey.machine import Machine
from zesty_anchor.survey.owner import Owners
from zesty_anchor.survey.startup.provenance import origins_of, traces
from zesty_anchor.system.host import login_path
from zesty_anchor.system.locations import locate

FILES = {
    ".bashrc": (
        ': "${KELP_HOME:=$HOME/bin}"\nexport KELP_HOME\nhash -p ~/bin/kelp kelp\n'
        ". /dev/stdin <<'END'\nexport GAUGE=1\nalias tides=kelp\nEND\n"
    ),
    ".zshrc": (
        "alias -g KG=~/bin/kelp\n. /dev/stdin <<'END'\nexport GAUGE=1\nEND\nhash kelp=~/bin/kelp\n"
        "alias tides=kelp\n"
    ),
    ".config/fish/config.fish": (
        "abbr -a kelp ~/bin/kelp\nset -x GAUGE 1; set -e GAUGE; set -x GAUGE 2\nset -x QUAY 1; set -e QUAY\n"
    ),
    ".tcshrc": (
        "alias kelp ~/bin/kelp\nif (-d ~/bin) setenv GAUGE 1\nif (1) then\n  setenv QUAY 2\n"
        "  alias tides ~/bin/kelp\nendif\n"
    ),
    ".profile": "ENV=$HOME/.envfile; export ENV\nGAUGE=1\nexport GAUGE\nGAUGE=3\n",
    ".envfile": "MAST=7; export MAST\nalias tides=~/bin/kelp\n",
    "bin/kelp": "#!/bin/sh\n",
}


class Line(NamedTuple):
    shell: str
    way: str
    name: str
    kind: str
    place: str
    """The file and the line; empty: it is not there."""


LINES = [
    Line("bash", "interactive", "$KELP_HOME", "variable", ".bashrc:1"),
    Line("bash", "command over ssh", "$KELP_HOME", "variable", ".bashrc:1"),
    Line("bash", "interactive", "kelp", "file", ".bashrc:3"),
    Line("bash", "interactive", "$GAUGE", "variable", ".bashrc:5"),
    Line("bash", "interactive", "tides", "alias", ".bashrc:6"),
    Line("zsh", "interactive", "KG", "alias", ".zshrc:1"),
    Line("zsh", "interactive", "$GAUGE", "variable", ".zshrc:3"),
    Line("zsh", "interactive", "kelp", "file", ".zshrc:5"),
    Line("fish", "interactive", "kelp", "alias", ".config/fish/config.fish:1"),
    Line("fish", "login", "$GAUGE", "variable", ".config/fish/config.fish:2"),
    Line("fish", "login", "$QUAY", "variable", ""),
    Line("tcsh", "login", "kelp", "alias", ".tcshrc:1"),
    Line("tcsh", "login", "$GAUGE", "variable", ".tcshrc:2"),
    Line("tcsh", "interactive", "$QUAY", "variable", ".tcshrc:4"),
    Line("tcsh", "interactive", "tides", "alias", ".tcshrc:5"),
    Line("sh", "login", "$GAUGE", "variable", ".profile:4"),
    Line("sh", "login, interactive", "$MAST", "variable", ".envfile:1"),
    Line("sh", "login, interactive", "tides", "alias", ".envfile:2"),
    Line("mksh", "login, interactive", "$MAST", "variable", ".envfile:1"),
    Line("mksh", "login, interactive", "tides", "alias", ".envfile:2"),
    Line("ksh", "login, interactive", "$MAST", "variable", ".envfile:1"),
]


@pytest.mark.needs("bash", "zsh", "fish", "tcsh", "dash", "mksh", "ksh")
@pytest.mark.parametrize("line", LINES, ids=lambda each: f"{each.shell}, {each.way}: {each.name}")
def test_the_line_that_is_behind_it(line: Line, tmp_path: Path) -> None:
    for name, text in FILES.items():
        path = tmp_path / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
        path.chmod(0o755)
    environment = {"HOME": str(tmp_path), "PATH": login_path()}
    machine = Machine(locate(environment), environment)
    found = origins_of([line.name], traces(machine, [line.shell], [line.name]), machine, Owners(machine))
    here = [each for each in found[line.name] if (line.shell, line.way) in each.first_in]
    if not line.place:
        assert not here
        return
    (origin,) = here
    file, _, number = line.place.rpartition(":")
    assert (origin.kind, origin.startup_file, origin.line) == (line.kind, str(tmp_path / file), int(number))
