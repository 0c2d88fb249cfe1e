"""What can break in a provisioned home: what is done, what must fail then, why, and what becomes of it.

``do`` is a script of sh, run in the home with ``$SHELF``, ``$DATA`` (ours) and ``$RC`` (a row at the end of a
startup file: ``$RC FILE TEXT``). ``check`` is the check that must fail, in these ``shells`` (empty:
whichever); without a check only the comparison tells it; ``cause`` the end of the place that is named. Where
``fixes`` is so, provision repairs it; else ``verify --fix`` does, with a yes to each fix. ``kept`` is what must
still be there of the person's then.
"""

from __future__ import annotations

from typing import NamedTuple

EVERY = ("bash", "zsh", "fish", "ksh", "mksh", "tcsh", "sh")
FOUND, VERSION, FOLLOWS = "kelp is found", "kelp is 4.2.1", "it follows the folder"
KELP = "shelf/kelp/4.2.1"


class Sabotage(NamedTuple):
    do: str
    check: str
    shells: tuple[str, ...]
    cause: str
    fixes: bool = True
    kept: str = ""
    options: tuple[str, ...] = ()


SABOTAGES = {
    # A version on the shelf.
    "a command is gone": Sabotage("rm $SHELF/kelp/4.2.1/bin/kelp", FOUND, EVERY, f"{KELP}/bin/kelp"),
    "a command is empty": Sabotage(": >$SHELF/kelp/4.2.1/bin/kelp", VERSION, EVERY, f"{KELP}/bin/kelp"),
    "a command may not be run": Sabotage("chmod 644 $SHELF/kelp/4.2.1/bin/kelp", VERSION, EVERY,
    f"{KELP}/bin/kelp"),
    "a command is another": Sabotage("printf '#!/bin/sh\\necho kelp 9\\n' >$SHELF/kelp/4.2.1/bin/kelp",
    VERSION, EVERY, f"{KELP}/bin/kelp"),
    "a command is a folder": Sabotage("rm $SHELF/kelp/4.2.1/bin/kelp; mkdir $SHELF/kelp/4.2.1/bin/kelp",
    FOUND, EVERY, f"{KELP}/bin/kelp"),
    "a table is gone": Sabotage("rm $SHELF/kelp/4.2.1/lib/tables", "", (), f"{KELP}/lib/tables"),
    "a table was changed": Sabotage("echo more >>$SHELF/kelp/4.2.1/lib/tables", "", (), f"{KELP}/lib/tables"),
    "a table was changed, and its time put back": Sabotage(
        "f=$SHELF/kelp/4.2.1/lib/tables; touch -r $f t; printf x | dd of=$f conv=notrunc 2>/dev/null; touch -r t $f; rm t",
        "", (), f"{KELP}/lib/tables", options=("--deep",)),
    "a folder of it is closed": Sabotage("chmod 700 $SHELF/kelp/4.2.1/lib", "", (), f"{KELP}/lib"),
    "a link in it leads elsewhere": Sabotage("ln -sf /bin/true $SHELF/kelp/4.2.1/bin/kelp-link", "", (),
    f"{KELP}/bin/kelp-link"),
    "the version is gone": Sabotage("rm -r $SHELF/kelp/4.2.1", FOUND, EVERY, KELP),
    "the version beside it is gone": Sabotage("rm -r $SHELF/kelp/3.6.2", "kelp 3.6.2 runs", EVERY,
    "shelf/kelp/3.6.2"),
    "the shelf is gone": Sabotage("rm -r $SHELF", FOUND, EVERY, KELP),
    "its slip is gone": Sabotage("rm $SHELF/kelp/4.2.1/.zesty-anchor.json", "", (), KELP),
    "its slip cannot be read": Sabotage("echo '{' >$SHELF/kelp/4.2.1/.zesty-anchor.json", "", (), KELP),
    "its list of files is gone": Sabotage("rm $SHELF/kelp/4.2.1/.zesty-anchor-files.json", "", (),
    f"{KELP}/.zesty-anchor-files.json"),
    "a file stands in its place": Sabotage("rm -r $SHELF/kelp/4.2.1; echo mine >$SHELF/kelp/4.2.1", FOUND,
    EVERY, KELP, kept="mine"),
    "a link that leads nowhere stands in its place": Sabotage(
        "rm -r $SHELF/kelp/4.2.1; ln -s /no/such $SHELF/kelp/4.2.1", FOUND, EVERY, KELP),
    "a person added to it, and a file is gone": Sabotage(
        "echo mine >$SHELF/kelp/4.2.1/lib/mine; rm $SHELF/kelp/4.2.1/lib/tables", "", (),
        f"{KELP}/lib/tables", kept="mine"),
    # What a package tool put into it.
    "an extra's command is gone": Sabotage("rm $SHELF/kelp/4.2.1/bin/tidy", "tidy is found", EVERY,
    f"{KELP}/bin/tidy"),
    "an extra's command is another": Sabotage("echo 'echo other' >$SHELF/kelp/4.2.1/bin/tidy", "", (),
    f"{KELP}/bin/tidy"),
    "the list of extras is gone": Sabotage("rm $SHELF/kelp/4.2.1/.zesty-anchor-extras.json", "", (),
    "workstation.toml"),
    # The launchers.
    "a launcher is gone": Sabotage("rm $DATA/bin/kelp", "", (), "zesty-anchor/bin"),
    "all launchers are gone": Sabotage("rm -r $DATA/bin", "", (), "zesty-anchor/bin"),
    "a launcher was changed": Sabotage("sed -i 's/^exec.*/exec true/; $a exec true' $DATA/bin/kelp", "", (),
    "zesty-anchor/bin"),
    "a launcher may not be run": Sabotage("chmod 644 $DATA/bin/kelp", "", (), "zesty-anchor/bin"),
    "a person's file stands in place of a launcher": Sabotage("echo mine >$DATA/bin/kelp", VERSION, (),
    "bin/kelp", kept="mine"),
    "what the launchers read is gone": Sabotage("rm $DATA/shell/launch.sh", VERSION, (), "shell/launch.sh"),
    "what the launchers read was changed": Sabotage("sed -i 2iexit\\ 3 $DATA/shell/launch.sh", VERSION, (),
    "shell/launch.sh"),
    # What the startup files source.
    "bash's file is gone": Sabotage("rm $DATA/shell/environment.bash", FOUND, ("bash",),
    "shell/environment.bash"),
    "bash's file is empty": Sabotage(": >$DATA/shell/environment.bash", FOUND, ("bash",),
    "shell/environment.bash"),
    "bash's file was changed": Sabotage("echo 'export GAUGE=south' >>$DATA/shell/environment.bash", "$GAUGE",
    ("bash",), "shell/environment.bash"),
    "bash's file is a folder": Sabotage("rm $DATA/shell/environment.bash; mkdir $DATA/shell/environment.bash",
    FOUND, ("bash",), "shell/environment.bash"),
    "the file of sh is gone": Sabotage("rm $DATA/shell/environment.sh", FOUND, (), "shell/environment.sh"),
    "what follows the folder is gone": Sabotage("rm $DATA/shell/follow.zsh", "", (), "shell/follow.zsh"),
    "fish's file is gone": Sabotage("rm .config/fish/conf.d/zesty-anchor.fish", FOUND, ("fish",),
    "conf.d/zesty-anchor.fish"),
    "fish's file was changed": Sabotage("echo 'set -gx GAUGE south' >>.config/fish/conf.d/zesty-anchor.fish",
    "$GAUGE", ("fish",), "conf.d/zesty-anchor.fish"),
    "the file of the session is gone": Sabotage("rm -f .config/environment.d/60-zesty-anchor.conf", "", (),
    "environment.d/60-zesty-anchor.conf"),
    # Our line.
    "our line is gone from .bashrc": Sabotage("sed -i '/zesty-anchor/d' .bashrc", FOUND, ("bash",),
    ".bashrc"),
    "our line is gone from .profile": Sabotage("sed -i '/zesty-anchor/d' .profile", FOUND, ("bash", "ksh",
    "mksh", "sh"), ".profile"),
    "our line is gone from .zshenv and .zshrc": Sabotage("sed -i '/zesty-anchor/d' .zshenv .zshrc", FOUND,
    ("zsh",), ".zsh"),
    "our line is gone from .kshrc": Sabotage("sed -i '/zesty-anchor/d' .kshrc", FOUND, ("ksh",), ".kshrc"),
    "our line is gone from .mkshrc": Sabotage("sed -i '/zesty-anchor/d' .mkshrc", FOUND, ("mksh",),
    ".mkshrc"),
    "our line is gone from .tcshrc": Sabotage("sed -i '/zesty-anchor/d' .tcshrc", FOUND, ("tcsh",),
    ".tcshrc"),
    "our line is a comment": Sabotage("sed -i 's/^\\(if .*block\\)$/# \\1/' .bashrc", FOUND, ("bash",),
    ".bashrc"),
    "our line has another path": Sabotage("sed -i 's/share.zesty-anchor.shell/share\\/other\\/shell/g' .bashrc", FOUND, ("bash",), ".bashrc"),
    # What a person writes.
    "a return above our line": Sabotage("sed -i 1ireturn .bashrc", FOUND, ("bash",), ".bashrc:1",
    kept="return"),
    "a return in an if above our line": Sabotage("sed -i '1iif true; then return; fi' .bashrc", FOUND,
    ("bash",), ".bashrc:1", kept="if true; then return; fi"),
    "an exit above our line": Sabotage("sed -i 1iexit .zshrc", "it starts", ("zsh",), ".zshrc:1",
    fixes=False),
    "an old one first on PATH, below our line": Sabotage("$RC .bashrc 'PATH=~/old:$PATH'", FOUND, ("bash",),
    ".bashrc:3", kept="PATH=~/old:$PATH"),
    "an old one first on PATH, in a later file": Sabotage("$RC .zlogin 'path=(~/old $path)'", FOUND, ("zsh",),
    ".zlogin:1", kept="path=(~/old $path)"),
    "an old one first on PATH, from a file that is sourced": Sabotage(
        "$RC .more 'PATH=~/old:$PATH'; $RC .bashrc '. ~/.more'", FOUND, ("bash",), ".more:1",
        kept=". ~/.more"),
    "PATH is set anew": Sabotage("$RC .zshrc 'export PATH=/usr/bin:/bin'", FOUND, ("zsh",), ".zshrc:2",
    kept="export PATH=/usr/bin:/bin"),
    "a variable is set again": Sabotage("$RC .zshrc 'export GAUGE=south'", "$GAUGE", ("zsh",), ".zshrc:2",
    kept="GAUGE=south"),
    "a variable is set again in ksh": Sabotage("$RC .kshrc 'export GAUGE=south'", "$GAUGE", ("ksh",),
    ".kshrc:2", kept="GAUGE=south"),
    "a variable is set again in tcsh": Sabotage("$RC .tcshrc 'setenv GAUGE south'", "$GAUGE", ("tcsh",),
    ".tcshrc:2", kept="GAUGE south"),
    "a variable is set again in fish": Sabotage("$RC .config/fish/config.fish 'set -gx GAUGE south'",
    "$GAUGE", ("fish",), "config.fish:1", fixes=False),
    "a variable is taken away": Sabotage("$RC .bashrc 'unset GAUGE'", "$GAUGE", ("bash",), ".bashrc:3",
    kept="unset GAUGE"),
    "a variable that should be empty is taken away": Sabotage("$RC .bashrc 'unset CALM'", "$CALM", ("bash",),
    ".bashrc:3", kept="unset CALM"),
    "an alias": Sabotage("$RC .bashrc 'alias kelp=true'", FOUND, ("bash",), ".bashrc:3", fixes=False),
    "a function": Sabotage("$RC .zshrc 'kelp() { true; }'", FOUND, ("zsh",), ".zshrc:2", fixes=False),
    "a function in fish": Sabotage("$RC .config/fish/config.fish 'function kelp; true; end'", FOUND, ("fish",
    ), "config.fish:1", fixes=False),
    "the folder is not followed any more": Sabotage("$RC .zshrc 'chpwd_functions=()'", FOLLOWS, ("zsh",),
    ".zshrc:2", kept="chpwd_functions=()"),
    "our folder twice on PATH": Sabotage("$RC .bashrc 'PATH=$PATH:$HOME/bin'", "PATH holds our folders once",
    ("bash",), ".bashrc:3", kept="PATH=$PATH:$HOME/bin"),
    "another login file": Sabotage("$RC .bash_profile 'echo >/dev/null'", FOUND, ("bash",), ".bash_profile",
    kept="echo >/dev/null"),
    "another folder for zsh": Sabotage("mkdir z; sed -i '1iZDOTDIR=~/z' .zshenv", "", (), "z/.zshrc",
    kept="ZDOTDIR=~/z"),
    "the startup file is a link that leads nowhere": Sabotage("mv .bashrc away; ln -s nowhere .bashrc; rm away", FOUND, ("bash",), ".bashrc"),
    "a syntax error": Sabotage("sed -i '1iif true; then' .bashrc", FOUND, ("bash",), ".bashrc", fixes=False),
    "it prints where there is no terminal": Sabotage("$RC .zshenv 'echo hello'", "it prints nothing", ("zsh",
    ), ".zshenv:2", fixes=False),
    "a command that is not there": Sabotage("$RC .zshrc no-such-command", "no error message", ("zsh",),
    ".zshrc:2", fixes=False),
    "it waits for an answer": Sabotage("$RC .zshrc 'read answer'", "it starts", ("zsh",), ".zshrc:2",
    fixes=False),
    "it becomes another program": Sabotage("sed -i '1iexec true' .kshrc", "it starts", ("ksh",), ".kshrc:1",
    fixes=False),
    "a slow line": Sabotage("$RC .zshrc 'sleep 4.5'", "it starts within 4000 ms", ("zsh",), ".zshrc:2",
    fixes=False),
    # What else the manifest says.
    "the name that git knows is gone": Sabotage("sed -i /name/d .gitconfig", "", (), ".gitconfig"),
    "a setting was changed": Sabotage("sed -i 's/calm/rough/' .config/tide/desk.ini", "", (),
    "tide/desk.ini"),
    "what a check looks at is gone": Sabotage("rm gauge", "the gauge is there", ("this machine",), "",
    fixes=False),
    "what a check runs answers otherwise": Sabotage("echo low >readings", "the water is high", EVERY,
    "workstation.toml:", fixes=False),
}  # fmt: skip
