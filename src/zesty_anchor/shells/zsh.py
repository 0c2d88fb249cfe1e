"""zsh(1). The manual's section "STARTUP/SHUTDOWN FILES" says which files it reads."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

from zesty_anchor.shells import completion, korn, posix
from zesty_anchor.shells.environment import Environment
from zesty_anchor.shells.korn_follow import Dialect
from zesty_anchor.shells.reading import (
    INTERACTIVE,
    LOGIN,
    LOGIN_INTERACTIVE,
    SCRIPT,
    Reading,
    Site,
    Surroundings,
)
from zesty_anchor.shells.shell import Generate
from zesty_anchor.shells.system_rules import rules
from zesty_anchor.shells.tracing import FileLine, Started, TracePrompt, TraceStart

# zshmisc(1), "SPECIAL FUNCTIONS": the arrays of functions that are called on entering a folder and before a
# prompt.
_AT_PROMPT = """\
case " ${precmd_functions[*]-} " in *' za__prompt '*) ;; *) precmd_functions+=(za__prompt) ;; esac
"""
_AT_CD = """\
case " ${chpwd_functions[*]-} " in *' za__entered '*) ;; *) chpwd_functions+=(za__entered) ;; esac
"""
_MANY = 20
_A_LINE = 8
_ALL_EXPORT = "za__export=; [[ -o all_export ]] || za__export=1\n\\setopt all_export\n"
_NO_MORE = "[[ -z $za__export ]] || \\unsetopt all_export\n\\unset za__export\n"
_UNLESS_SET = """\
() {{
  \\emulate -L zsh
  za__same=
  [[ ${{za__held[1]-}} == {stamp} ]] || return 0
  \\local -a za_now
  za_now=("${{(@e)za__held}}")
  [[ "${{(pj:\\0:)za_now}}" != "${{(pj:\\0:)za__values}}" ]] || za__same=1
}}
if [[ -z $za__same && -r {file} ]]; then \\. {file}; fi
\\unset za__same
"""
_HELD = """\
[[ ! -o interactive ]] || () {{
  \\emulate -L zsh
  za__held=({stamp} {words})
  za__values=("${{(@e)za__held}}")
}}
"""
_SH_OPTIONS = "  \\emulate -L sh\n"
"""The person's options, KSH_ARRAYS and NO_UNSET among them, count again when the function ends."""

# zshcompsys(1), "Initialization": compdef is there where the completion system was loaded. ($functions would
# fetch a module first.)
_COMPLETES = """\
if \\typeset -f compdef >/dev/null; then
function za__complete {{
  za__completes=
  [[ ! -r {file} ]] || \\. {file}
  [[ -z $za__completes ]] || za__complete "$@"
}}
\\compdef za__complete zesty-anchor za
fi
"""


def _many(environment: Environment) -> list[tuple[str, str]]:
    """The variables with their values, where there are many. None where one is empty, which an unset one is
    not told from.
    """
    found = [(name, environment.by_default(template)) for name, template in environment.variables]
    there = [(name, value) for name, value in found if value is not None]
    return there if len(there) >= _MANY and all(value for _, value in there) else []


def _in_lines(words: list[str]) -> Iterator[list[str]]:
    return (words[at : at + _A_LINE] for at in range(0, len(words), _A_LINE))


class Zsh(korn.Korn):
    """zsh(1)."""

    name = "zsh"
    programs = ("zsh",)
    contexts = (LOGIN, INTERACTIVE, LOGIN_INTERACTIVE, SCRIPT)
    endings = ("zsh",)
    read_only = (
        "EGID EUID GID PPID UID USERNAME ARGC HISTCMD LINENO TTYIDLE ZSH_EVAL_CONTEXT ZSH_NAME ZSH_VERSION"
        " aliases argv commands functions galiases history jobstates modules options parameters pipestatus"
        " saliases status userdirs"
    )
    aliases_always = True
    completes = True
    names_lines = True
    prompt = TracePrompt(
        clock="%D{%s.%6.}",
        file="%x",
        line="%I",
        inside="${zsh_eval_context[-1]}",
        depth="$ZSH_SUBSHELL",
        call="${funcfiletrace[1]-}",
    )
    clock = (
        "zmodload zsh/datetime; za_marks=(); "
        'za_mark() { local za_s=$?; za_marks+=("$1 $2 $EPOCHREALTIME"); return $za_s }'
    )

    def reads(self, around: Surroundings) -> tuple[Reading, ...]:
        """ZDOTDIR, where it is set, stands in for the home; where a file sets it, for all but the first
        .zshenv.
        """
        folder, source = around.zdotdir or around.home, 'zsh(1), "STARTUP/SHUTDOWN FILES"'
        first = folder if around.zdotdir_given else around.home
        kinds = ((".zprofile", "login"), (".zshrc", "interactive"), (".zlogin", "login"))
        hidden = (".zshenv", *(name for name, _ in kinds)) if first != around.home else ()
        return (
            Reading(first / ".zshenv", "always", source),
            *(Reading(folder / name, when, source) for name, when in kinds),
            *(Reading(around.home / name, "hidden", source) for name in hidden),
        )

    def sites(self, around: Surroundings) -> tuple[Site, ...]:
        """.zshenv serves every zsh, and .zshrc comes again after the person's own lines for interactive ones.
        .zprofile is added where it may reorder PATH after .zshenv: where it exists, and where
        the system's own does so. Where a login gives ZDOTDIR, the home gets them too, for a zsh without it.
        """
        folder = around.zdotdir or around.home
        files = self._files(around, folder if around.zdotdir_given else around.home, folder)
        if around.zdotdir_given and folder != around.home:
            files += self._files(around, around.home, around.home)
        return tuple(Site(file, self.name) for file in files)

    @staticmethod
    def _files(around: Surroundings, first: Path, folder: Path) -> list[Path]:
        files = [first / ".zshenv"]
        if folder / ".zprofile" in around.existing or rules(around.system).reorders:
            files.append(folder / ".zprofile")
        files.append(folder / ".zshrc")
        if folder / ".zlogin" in around.existing:
            files.append(folder / ".zlogin")
        return files

    def leaves(self, around: Surroundings) -> tuple[Path, ...]:
        """What compinit keeps of the functions that it found (zshcompsys(1), "Use of compinit")."""
        return ((around.zdotdir or around.home) / ".zcompdump",)

    def script(self, file: str, *, here: bool = False) -> str:
        """Each command in there is looked up in a subshell: without this, every one of them would read all
        folders on PATH (zshoptions(1), HASH_DIRS).
        """
        return f"unsetopt hash_dirs; {posix.script(file)}"

    def dialect(self, environment: Environment) -> Dialect:
        """Where this one differs."""
        return Dialect(
            self.name, "${ZSH_VERSION-}", _AT_PROMPT, _AT_CD, _SH_OPTIONS,
            "() {{ \\emulate -L sh; \\. {}; }}",
            _COMPLETES,
            "-e {} && ", self._place(environment), told_of_cd=True,
            quiet=_SH_OPTIONS, globally="\\typeset -g ", exports=self._exports(environment),
        )  # fmt: skip

    def _exports(self, environment: Environment) -> str:
        """Many stand in a file of their own, which is not read again where all are still as it set them: an
        interactive zsh reads ours twice.
        """
        if not _many(environment):
            return ""
        file = self.quote(f"{environment.shell}/values.{self.name}")
        return (
            _UNLESS_SET.format(stamp=environment.stamp, file=file)
            + f"\\export ZESTY_ANCHOR_LOADED={environment.stamp}\n"
        )

    def further_files(self) -> Mapping[str, Generate]:
        """Where many variables are set."""
        return {f"values.{self.name}": self.values}

    def traced(self, start: TraceStart) -> Started:
        """Its prompt is expanded where that is asked for (zshoptions(1), PROMPT_SUBST)."""
        words = [start.program, "-o", "promptsubst", "-x", *start.options, "-c", f"set +x; {start.source}"]
        return words, self.said_by(start)

    def functions(self, rows: Sequence[str]) -> dict[str, FileLine | None]:
        """Name and file, by turns (zshmodules(1), "functions_source")."""
        return {
            name: (file, 0) if file.startswith("/") else None
            for name, file in zip(rows[::2], rows[1::2], strict=False)
        }

    def values(self, environment: Environment, file: str) -> str:
        """The text of that file; empty where there is none. An assignment under ALL_EXPORT takes two thirds
        of the time of an export (zshoptions(1)), and several in a command a tenth less. That nothing has set
        one anew is told by a few words that name them all, expanded again (zshexpn(1), "PARAMETER EXPANSION",
        the flag e): a third of the time that it takes to set them.
        """
        found = _many(environment)
        if not found:
            return ""
        lines = _in_lines([f"{name}={self.quote(value)}" for name, value in found])
        words = ("'" + ",".join(some) + "'" for some in _in_lines([f"${{{name}}}" for name, _ in found]))
        text = _ALL_EXPORT + "".join(f"{' '.join(some)}\n" for some in lines) + _NO_MORE
        held = _HELD.format(stamp=environment.stamp, words=" ".join(words))
        return posix.HEAD.format(stamp=environment.stamp) + text + held

    def _place(self, environment: Environment) -> str:
        """zsh has PATH as an array, too: what is ours and what is there twice is left out by expansion alone
        (zshexpn(1), "PARAMETER EXPANSION", the flag u and ``:#``), in a tenth of the time that a loop takes.
        """
        front = dict.fromkeys((*environment.first, *environment.default_bins))
        static = dict.fromkeys((*environment.first, environment.launchers, *environment.last))
        if any("}" in folder for folder in (*static, environment.shelf)):
            return ""  # it would end the expansion, quoted or not
        ours = "|".join([self.quote(environment.shelf + "/") + "*", *map(self.quote, static)])
        words = [
            " ".join(map(self.quote, folders))
            for folders in (front, (environment.launchers, *environment.last))
        ]
        kept = f'"${{(@u)path:#({ours})}}"'
        return f"() {{\n  \\emulate -L zsh\n  path=({words[0]} {kept} {words[1]})\n}}\n\\export PATH\n"

    def completion(self, environment: Environment, file: str) -> str:
        """The text of the file that completes our own commands."""
        return completion.zsh(environment, self.quote)
