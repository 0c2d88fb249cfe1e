"""fish(1). The manual's chapter "The fish language", "Configuration files", says which files it reads."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from zesty_anchor.shells import completion, posix
from zesty_anchor.shells.apart import Apart
from zesty_anchor.shells.environment import Environment
from zesty_anchor.shells.fish_follow import either, literal, on_demand, quote, words
from zesty_anchor.shells.reading import (
    ASKED,
    INTERACTIVE,
    LOGIN,
    LOGIN_INTERACTIVE,
    SCRIPT,
    Reading,
    Site,
    Surroundings,
)
from zesty_anchor.shells.shell import HIDING
from zesty_anchor.shells.tracing import CHANNEL, FileLine, Started, TraceStart

_SOURCE = 'fish(1), "Configuration files"'

# Two files, as for the others: see korn.py. fish takes about 0.1 us to read a letter, and 5 to begin a
# command; a command substitution costs it ten commands, so there is one only where there is no other way. One
# call of path(1) tests all the names that a project's files may have; an older fish than 3.5 has no such
# builtin, and reads no text that names it as one (so eval). za__prompt is another where there is such a file
# (za__near): it compares that with its answer.
#
# config.fish is read after the drop-in folder: what it puts on PATH is put behind ours by za__late, until the
# first prompt; by then fish(1) names the file of the command that set PATH, or fish_add_path's. Whoever else
# changes PATH is noted in za__changed: the next choice then goes through it anew.
_AT_START = """\
{exports}set -gx ZESTY_ANCHOR_LOADED {stamp}
set -g za__rest $PATH
if {known}
  set -e za__before za__tokens za__near za__kept_folder
  set za__rest
  for za_entry in (string match -rv -- {ours} $PATH); contains -- $za_entry $za__rest; or set -a za__rest $za_entry; end
end
if status is-interactive; and not string match -qr '^(2|3\\.0\\D)' $version
if builtin -q path
eval 'function za__is; builtin path is -- $argv; end'
else
function za__is
  for za_file in $argv; test -e $za_file; and return; end
  return 1
end
end
set -g za__first {front}
set -g za__tail {launchers} {last}
set -gx PATH $za__first $za__rest $za__tail
function za__look --on-variable PWD
  set -q za__near; and za__plain
  test "$PWD" = "$za__kept_folder"; and za__as_kept; and return
  switch $PWD
    case '/*/*/*/*/*/*/*/*/*/*/*/*/*/*/*/*'
      set -g za__above ..
      set -l za_parts (string split -n / -- $PWD)
      for za_part in $za_parts[3..-1]; set -a za__above $za__above[-1]/..; end
    case "$HOME" /
      set -g za__above
    case "$HOME/*/*/*" '/*/*/*/*/*'
      set -g za__above {many}
    case '*'
      set -g za__above {some}
  end
  if za__is {names} $za__above/{any_name}; or set -q ZESTY_ANCHOR_SESSION
    za__follow
  else if set -q za__tokens[1]; or set -q ZESTY_ANCHOR_BEFORE
    functions -q za__choose_default; or za__load
    za__choose_default
  end
  return 0
end
function za__prompt --on-event fish_prompt
  za__is {pin_names}; and za__look
end
function za__first_prompt --on-event fish_prompt
  functions -e za__first_prompt
  set -g za__started
  set -q za__changed; and za__load; and za__place first
end
function za__load
  set -g za__loaded
  test -r {follow}; and builtin source {follow}
  set -q za__loaded[1]
end
function za__follow; za__load; and za__follow; end
function za
  za__load; or begin; builtin echo 'zesty-anchor: what it wrote for this shell is gone; a new shell is without it' >&2; return 127; end
  za $argv
end
function zesty-anchor; za $argv; end
function za__complete
  set -g za__completes
  test -r {complete}; and builtin source {complete}
  set -q za__completes[1]; and za__complete
end
complete -k -c za -c zesty-anchor -f -a '(za__complete)'
za__look
{completions}else
set -g za__first {scripted}
set -g za__tail {last}
set -gx PATH $za__first $za__rest $za__tail
end
function za__late --on-variable PATH
  set -q za__placing; and return
  set -g za__changed
  set -q za__started; and return
  string match -qr '(^|/)(config|fish_add_path)\\.fish' -- (status stack-trace); or return
  set -g za__placing
  set -g za__rest (string match -rv -- {ours} $PATH)
  set -gx PATH $za__first $za__rest $za__tail
  set -e za__placing za__changed
end
set -e za__changed
{hooks}"""


class Fish(Apart):
    """fish(1)."""

    name = "fish"
    ignores_cr = True
    programs = ("fish",)
    contexts = (LOGIN, INTERACTIVE, LOGIN_INTERACTIVE, SCRIPT)
    check = "--no-execute"
    nothing = "true"
    at_terminal = "isatty stdout; and "
    endings = ("fish",)
    read_only = "FISH_VERSION fish_pid hostname pipestatus status version history umask argv"
    follows = True
    variables_file = ".fish"
    completes = True
    profiles = True
    channel = CHANNEL

    def reads(self, around: Surroundings) -> tuple[Reading, ...]:
        """Before config.fish it reads each file of conf.d: one of them is ours, whole."""
        return (
            Reading(
                around.config / "fish/fish_variables", "always", 'fish(1), "Universal variables"', runs=False
            ),
            *(Reading(file, "always", _SOURCE) for file in around.dropins),
            Reading(around.config / "fish/config.fish", "always", _SOURCE),
        )

    def leaves(self, around: Surroundings) -> tuple[Path, ...]:
        """Its universal variables, its history, and an empty file of settings."""
        names = ("conf.d", "completions", "functions", "fish_variables", "config.fish")
        folder = around.config / "fish"
        own = (
            around.config,
            folder,
            *(folder / name for name in names),
            around.data / "fish",
            around.cache / "fish",
        )
        return (around.home / ".local", around.data, around.cache, *own)

    def folders(self, around: Surroundings) -> tuple[Path, ...]:
        """Those over which several stumble: where another one makes them meanwhile, it says that it cannot
        save its history, or its universal variables ("File exists").
        """
        return (around.config / "fish", around.data / "fish")

    def sites(self, around: Surroundings) -> tuple[Site, ...]:
        """None: the generated file itself stands in the folder that fish reads."""
        return ()

    def quote(self, text: str) -> str:
        """In single quotes only the quote and the backslash mean something ("Quotes")."""
        return quote(text)

    def exported(self, name: str, value: str) -> str:
        """The line that gives an environment variable its value; PATH is a list ("Special variables")."""
        return f"set -gx {name} {words(value.split(':')) if name == 'PATH' else quote(value)}"

    def block(self, generated: Path, home: Path, *, early: bool = False) -> str:
        """The one line, without a line end, that sources the generated file."""
        raise NotImplementedError("fish needs no line in a startup file")

    def behind(self, lines: str) -> str:
        """``lines`` such that folders which they put first on PATH end up behind those that are there."""
        return (
            f"set -l za__path $PATH\n{lines.rstrip()}\nset -gx PATH $za__path (for za_entry in $PATH;"
            " contains -- $za_entry $za__path; or echo $za_entry; end)"
        )

    def greets(self, file: Path, home: Path) -> str:
        """A block has a variable of its own."""
        q = (
            f'"$HOME"{self.quote(f"/{file.relative_to(home)}")}'
            if home in file.parents
            else self.quote(str(file))
        )
        return (
            f"if status is-interactive; and not set -q {ASKED}; and test -s {q}; and test -t 1; read -l za_line <{q};"
            f" and builtin echo $za_line; builtin echo -n >{q}; end"
        )

    def script(self, file: str, *, here: bool = False) -> str:
        """The functions that fish itself brings call the program of their name, and hide nothing."""
        names = "(for f in (functions -n); test -e $__fish_data_dir/functions/$f.fish; or echo $f; end)"
        goes = "" if here else "cd / >/dev/null 2>&1; "
        return f"{goes}set -x {HIDING} {names}; sh {self.quote(file)}"

    def environment(self, environment: Environment, file: str) -> str:
        """A fish without path(1) leaves it to the launchers to follow the folder, like a script."""
        q, follow = self.quote, f"{environment.shell}/follow.fish"
        values = ((name, environment.by_default(template)) for name, template in environment.variables)
        exact = dict.fromkeys((*environment.first, environment.launchers, *environment.last))
        ours = "|".join([f"{literal(environment.shelf)}/", *(f"{literal(folder)}$" for folder in exact)])
        files = (
            f"test -r {q(f)}; and builtin source {q(f)}\n" for f in environment.completions_of(self.name)
        )
        return posix.HEAD.format(stamp=environment.stamp) + _AT_START.format(
            exports="".join(f"set -gx {name} {q(value)}\n" for name, value in values if value is not None),
            stamp=environment.stamp,
            ours=q(f"^({ours})"),
            known="; or ".join(f"contains -- {q(folder)} $PATH" for folder in exact),
            front=words(dict.fromkeys((*environment.first, *environment.default_bins))),
            launchers=q(environment.launchers),
            last=words(environment.last),
            scripted=words(environment.scripted),
            names=" ".join(environment.names),
            any_name=either(environment.names),
            pin_names=" ".join(environment.pin_names),
            many=_above(_LEVELS),
            some=_above(4),
            follow=q(follow),
            complete=q(f"{environment.shell}/complete.fish"),
            completions="".join(files),
            hooks=environment.lines_of(self.name),
        )

    def own_file(self, config: Path) -> Path:
        """In the folder that it reads whole ("Configuration")."""
        return config / "fish/conf.d/zesty-anchor.fish"

    def path_forms(self) -> tuple[Callable[[str], str], ...]:
        """In single quotes, and in patterns in them."""
        return (lambda text: quote(text)[1:-1], lambda text: quote(literal(text))[1:-1])

    def traced(self, start: TraceStart) -> Started:
        """It writes a profile and a trace of its start (fish(1), --profile-startup, --debug-output;
        "fish_trace").
        """
        words = [
            start.program,
            f"--profile-startup={start.room / 'profile'}",
            f"--debug-output={start.room / 'trace'}",
            *start.options,
            "-c",
            f"set -e fish_trace; source {start.probe} >{start.told}",
        ]
        return words, {"fish_trace": "1"}

    def functions(self, rows: Sequence[str]) -> dict[str, FileLine | None]:
        """Name, file and line, by turns ("functions --details")."""
        return {
            name: (file, int(line)) if file.startswith("/") and line.isdigit() else None
            for name, file, line in zip(rows[::3], rows[1::3], rows[2::3], strict=False)
        }

    def on_demand(self, environment: Environment, file: str) -> str:
        """The text of the file that is read when something is to be chosen."""
        return on_demand(environment, file)

    def completion(self, environment: Environment, file: str) -> str:
        """The text of the file that completes our own commands."""
        return completion.fish(environment, self.quote)


_LEVELS = 16
"""How many folders upward are looked at, itself included."""


def _above(levels: int) -> str:
    """The folders above the current one, as words."""
    return " ".join("/".join([".."] * n) for n in range(1, levels + 1))
