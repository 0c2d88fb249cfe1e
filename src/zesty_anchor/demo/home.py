"""The throwaway home: a person at the tide desk has lived in it, and left an old install behind."""

from __future__ import annotations

import hashlib
import os
import shutil
from pathlib import Path

from zesty_anchor.demo.system_copy import PACKAGE
from zesty_anchor.demo.wares import bollard_installer

_HERE = Path(__file__).parent

_PROFILE = """\
# ~/.profile: read by the login shell.
umask 022

# if running bash, include .bashrc
if [ -n "$BASH_VERSION" ] && [ -f "$HOME/.bashrc" ]; then
    . "$HOME/.bashrc"
fi
"""
_BASHRC = """\
# ~/.bashrc: read by bash for shells that are not login shells.
case $- in
    *i*) ;;
      *) return;;
esac

HISTCONTROL=ignoreboth
alias tides='ls -l ~/desk'

# the kelp from before the move
export KELP_HOME="$HOME/old-kelp"
if [ -d "$KELP_HOME/bin" ]; then
    PATH="$KELP_HOME/bin:$PATH"
fi
[ -s "$KELP_HOME/hook.sh" ] && . "$KELP_HOME/hook.sh"
alias kelp="$KELP_HOME/bin/kelp"

export PATH="$HOME/gauges/bin:$PATH"
export EDITOR=vi
"""
_ZSHRC = """\
setopt no_beep
path=(~/old-kelp/bin $path)
. ~/old-kelp/hook.sh
alias tides='ls -l ~/desk'
PS1='%~ > '"""
_OLD_KELP = """\
#!/bin/sh
# the kelp from before the move: it only knows its own version
echo 'kelp 3.1.0'
"""
_HOOK = """\
# the hook of the kelp from before the move
kelp_where() { command -v kelp; }
"""
_BULLETIN = """\
# the morning bulletin of the tide desk
let place north quay
let height 38
add height 3
say high water at the {place}: {height} dm
when height OVER 40 say warn the harbour master
"""
_MANIFEST = """\
title = "Tide desk"
{as_root}
[feeds.harbour]
kind = "index"
url = "{url}"

[runtimes.kelp]
want = "lts"                     # the default version
also = ["3.6"]                   # kept beside it
extras = ["kelp-tidy@1.2"]       # command-line packages put into each version

[runtimes.coral]
want = "11"
licence = "accepted"

[runtimes.shoal]
want = "2.3"                     # runs on coral: the pair that fits is chosen
{brine}
[managers.bollard]               # another tool's way of keeping versions, hooked into every shell here
want = "0.9.5"
script = "{url}bollard-{{version}}-installer.sh"
reviewed = "{reviewed}"

[runtimes.ebb]
want = "4"
through = "bollard"

[shells]
use = "all"                      # every shell that is installed; without it those that you use

[variables]
GAUGE = "north quay, $5 a day"   # any text: it arrives in every shell byte for byte
CORAL_UNITS = "{{coral}}/lib/units"

[path]
first = ["~/bin"]

[[conflicts.remove]]
path = "~/old-kelp"
{package}
[[checks]]
name = "the bulletin renders"
run = "kelp bulletin.kelp"
expect = "high water *"

[[checks]]
name = "the report adds up"
run = "shoal report readings"
expect = "the water rose by 7.9 m"
"""
_PACKAGE = f"""
[[conflicts.remove]]
package = "{PACKAGE}"            # the system's own kelp
"""
_BRINE = """
[runtimes.brine]
want = "1.7.2"                   # built from source, with an earlier brine
build.environment = { BRINE_DOCS = "no" }
"""


def furnish(home: Path, url: str, *, with_c: bool, with_package: bool = False) -> Path:
    """Make the home. Returns the manifest in it."""
    _write(home / ".profile", _PROFILE)
    _write(home / ".bashrc", _BASHRC)
    _write(home / ".zshrc", _ZSHRC)
    _write(home / "old-kelp/bin/kelp", _OLD_KELP, 0o755)
    _write(home / "old-kelp/hook.sh", _HOOK)
    _write(home / "old-kelp/remarks", "kept since the move\n", 0o600)
    (home / "old-kelp/current").symlink_to("bin")
    _write(home / "bin/tide-note", "#!/bin/sh\necho 'note taken'\n", 0o755)
    _write(home / "soundings/.kelp-version", "3.6                              # this project is older\n")
    desk = home / "desk"
    as_root = 'as-root = "allowed"               # this demo runs as root\n'
    if os.geteuid() != 0:  # one line all the same: pages that name lines are right for everybody
        as_root = '# as-root = "allowed"             # only root would need this\n'
    _write(desk / "bulletin.kelp", _BULLETIN)
    _write(desk / "readings", "3812\n4105\n")
    _write(desk / "workstation.toml", _manifest(url, as_root, with_c=with_c, with_package=with_package))
    recipes = home / ".config/zesty-anchor/recipes"
    recipes.mkdir(parents=True)
    for file in sorted((_HERE / "recipes").glob("*.toml")):
        shutil.copy(file, recipes / file.name)
    return desk / "workstation.toml"


def _manifest(url: str, as_root: str, *, with_c: bool, with_package: bool) -> str:
    digest = hashlib.sha256(bollard_installer("0.9.5")).hexdigest()
    brine, package = _BRINE if with_c else "", _PACKAGE if with_package else ""
    return _MANIFEST.format(
        url=url, brine=brine, package=package, as_root=as_root, reviewed=f"sha256:{digest}"
    )


def likeness(home: Path, without: tuple[str, ...] = ()) -> dict[str, tuple[str, str]]:
    """Every file, folder and link of a home: its kind with its mode, and its content's digest or its target.

    Paths that begin with one of ``without`` are passed over.
    """
    found: dict[str, tuple[str, str]] = {}
    for root, names, files in os.walk(home):
        for name in (*names, *files):
            path = Path(root, name)
            key = str(path.relative_to(home))
            if any(key == w or key.startswith(w + "/") or w.startswith(key + "/") for w in without):
                continue
            if path.is_symlink():
                found[key] = ("link", os.readlink(path))
            elif path.is_dir():
                found[key] = (f"folder {path.stat().st_mode:o}", "")
            else:
                found[key] = (f"file {path.stat().st_mode:o}", hashlib.sha256(path.read_bytes()).hexdigest())
    return found


def _write(file: Path, text: str, mode: int = 0o644) -> None:
    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_text(text, "utf-8")
    file.chmod(mode)
