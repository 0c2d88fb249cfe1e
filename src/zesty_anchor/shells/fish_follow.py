"""How fish follows the current folder: the file that it reads when something is to be chosen."""

from __future__ import annotations

import re
from collections.abc import Iterable

from zesty_anchor.shells import posix
from zesty_anchor.shells.environment import MANIFEST_NAME, Environment, Of, Switchable, Template

_ON_DEMAND = """\
if builtin -q path
  eval 'function za__regular; builtin path filter -f -- $argv; end'
  eval 'function za__normal; builtin path normalize -- $argv; end'
else
  function za__regular
    for za_file in $argv; test -f $za_file; and builtin echo $za_file; end
  end
  function za__normal
    for za_file in $argv
      while string match -q '*/../*' -- $za_file
        set za_file (string replace -r '/+[^/]+/+\\.\\./' / -- $za_file)
      end
      builtin echo $za_file
    end
  end
end
set -g za__default {front}
set -g za__kept_folder
function za__place
  set -l IFS \\n' '\\t
  set -l za_rest
  set -l za_placed
  set -g za__before
  for za_entry in $PATH
    if contains -- $za_entry {static}; or string match -qr -- {shelf_pattern} $za_entry
      if test "$argv[1]" = keep; and not set -q za_placed[1]
        set za_placed 1
        set za__before $za_rest
        set za_rest
      end
    else if not contains -- $za_entry $za_rest $za__before
      set -a za_rest $za_entry
    end
  end
  set -g za__rest $za_rest
  set -g za__placing
  set -gx PATH $za__before $za__first $za__rest $za__tail
  set -e za__placing za__changed
end
function za__choose
  if not set -q argv[1]
    za__choose_default
    return
  end
  set -g za__tokens $argv
  set -q ZESTY_ANCHOR_BEFORE; and za__put_back
  za__work_out $argv
  za__put
  string match -q '@*' -- $argv; and za__set_project $argv
end
function za__put_back
  for za_name in (string split -n ' ' -- "$ZESTY_ANCHOR_BEFORE")
    set -l za_was ZESTY_ANCHOR_BEFORE_$za_name
    if string match -q 'x*' -- "$$za_was"
      set -gx $za_name (string sub -s 2 -- "$$za_was" | string collect -N)
    else
      set -e $za_name
    end
    set -e $za_was
  end
  set -e ZESTY_ANCHOR_BEFORE
end
function za__set_project
  for za_token in $argv
    string match -q '@*' -- $za_token; or continue
    set -l za_set {variables_folder}/(string sub -s 2 -- $za_token).fish
    test -r $za_set; and builtin source $za_set
  end
end
function za__set
  set -l za_name $argv[1]
  if not contains -- $za_name (string split -n ' ' -- "$ZESTY_ANCHOR_BEFORE")
    set -l za_was ''
    set -q $za_name; and set za_was x"$$za_name"
    set -gx ZESTY_ANCHOR_BEFORE_$za_name $za_was
    set -gx ZESTY_ANCHOR_BEFORE (string trim -- "$ZESTY_ANCHOR_BEFORE $za_name")
  end
  set -gx $za_name $argv[2]
end
function za__choose_default
  set -q ZESTY_ANCHOR_BEFORE; and za__put_back
  set -g za__tokens
  set -g za__first $za__default
{default_variables}  za__put
end
function za__put
  if set -q za__changed
    za__place keep
    return
  end
  set -g za__placing
  set -gx PATH $za__before $za__first $za__rest $za__tail
  set -e za__placing
end
function za__work_out
{defaults}  set -l za_name
  for za_token in $argv
    switch $za_token
      case {runtimes}
        set za_name $za_token
      case '*'
        switch "$za_name"
{tokens}        end
        set za_name
    end
  end
  set -g za__first {first} {all}
{variables}end
function za__plain
  set -e za__near
  function za__prompt --on-event fish_prompt
    za__is {pin_names}; and za__look
  end
end
function za__watch
  set -g za__near 1
  set -g za__absent
  for za_name in {names}
    za__is $za_name; or set -a za__absent $za_name
  end
  if not set -q argv[1]
    function za__prompt --on-event fish_prompt
      za__is $za__absent; and za__look
    end
    return
  end
  set -g za__times $argv
  function za__prompt --on-event fish_prompt
    za__is $za__absent; or test $za__times; and za__look
  end
end
function za__as_kept
  set -l IFS \\n' '\\t
  set -q ZESTY_ANCHOR_SESSION; and return 1
  za__is $za__kept_others; and return 1
  test $za__kept[2..-1]; and return 1
  begin
    read -l za_line
    read -l -a za_tokens
    test "$za_tokens" = "$za__kept_pins"; or return 1
  end <$za__kept[1]
  za__watch $za__kept[2..-1]
  test "$za__kept_pins" = "$za__tokens"; and return
  set -q ZESTY_ANCHOR_BEFORE; and za__put_back
  set -g za__tokens $za__kept_pins
  set -g za__first $za__kept_first
{kept_variables}  za__put
end
function za__follow
  set -l IFS \\n' '\\t
  set -l za_found (za__regular {names} $za__above/{any_name})
  set -l za_files
  set -q za_found[1]; and set za_files (za__normal $PWD/$za_found)
  set -l za_pins
  set -l za_soft
  set -l za_asked
  set -l za_near
  set -l za_times
  set -l za_watched
  set -l za_quiet 1
  set -l za_keep
  set -g za__kept_folder
  for za_file in $za_files
    if test $za_file = {manifest}
      test "$PWD/{manifest_name}" = $za_file; and set za_watched 1
      continue
    end
    # Above the home nothing counts.
    if string match -q -- "$HOME/*" $PWD/; and not string match -q -- "$HOME/*" $za_file
      continue
    end
    set -l za_answer {pins}$za_file=
    set -a za_times -o $za_file -nt $za_answer -o $za_file -ot $za_answer
    if test ! -r $za_answer -o $za_file -nt $za_answer -o $za_file -ot $za_answer
      set -q za_asked[1]; or za__ask $za_files
      set za_asked 1
      test -r $za_answer; or continue
    end
    begin
      read -l za_line
      read -l -a za_tokens
      if string match -q '~*' -- $za_line
        set -p za_soft $za_tokens
      else
        set -p za_pins $za_tokens
      end
      if contains -- ! $za_tokens
        za__tell $za_answer
        set za_quiet
      end
    end <$za_answer
    if not set -q za_near[1]
      set za_near $za_file $za_answer
    end
  end
  set -a za_soft $za_pins
  if set -q za_times[1]; or set -q za_watched[1]
    za__watch $za_times[2..-1]
    if set -q za_near[1]; and set -q za_quiet[1]; and not set -q za_found[2]; and test "$PWD/" = (string replace -r '[^/]*$' '' -- $za_near[1])
      set za_keep $PWD
      set -g za__kept $za_near[2] $za__times
      set -g za__kept_pins $za_soft
      set -g za__kept_others $za__above/{any_name}
      for za_name in {names}
        test $za_name = $za_found[1]; or set -a za__kept_others $za_name
      end
    end
  end
  set -q ZESTY_ANCHOR_SESSION; and set -a za_soft (string split -n ' ' -- (string replace -a '=' ' ' -- $ZESTY_ANCHOR_SESSION))
  test "$za_soft" = "$za__tokens"; or za__choose $za_soft
  if set -q za_keep[1]; and test "$za_soft" = "$za__kept_pins"; and not string match -q '@*' -- $za_soft
    set -g za__kept_folder $za_keep
    set -g za__kept_first $za__first
{keep_variables}  end
end
function za__tell
  while read -l za_text
    if string match -q -- '- *' $za_text; and not contains -- $za_text $za__said
      set -ga za__said $za_text
      string replace -r '^- \\S+ ' '' -- $za_text >&2
    end
  end <$argv[1]
end
function za__ask
  test -r {file}; or return
  if test ! -x {executable}
    contains -- $argv[1] $za__said; and return
    set -ga za__said $argv[1]
    za__without "$argv[1]: what it pins is not known, since "
    return
  end
  ZESTY_ANCHOR_SHELL=fish {program} pins -- $argv
end
function za__without
  builtin echo $argv[1]{executable}' is not installed any more: install it with pip install zesty-anchor' >&2
end
function za
  set -l IFS \\n' '\\t
  if test ! -x {executable}
    za__without 'zesty-anchor: '
    return 127
  end
  set -l za_status 0
  if test "$argv[1]" = switch
    set -l za_out (ZESTY_ANCHOR_SHELL=fish {program} $argv | string collect)
    set za_status $pipestatus[1]
    if string match -q 'session:*' -- $za_out
      set -gx ZESTY_ANCHOR_SESSION (string replace -r '^session: ?' '' -- $za_out)
    else if test -n "$za_out"
      builtin echo $za_out
    end
  else
    ZESTY_ANCHOR_SHELL=fish {program} $argv; or set za_status $status
  end
  if test -r {file}
    set -l za_head
    read -l -L za_head za_head <{file}
    test "$za_head" = '# stamp {stamp}'; or builtin source {file}
  end
  za__look
  return $za_status
end
set -g za__loaded 1
"""


def on_demand(environment: Environment, file: str) -> str:
    """The text of the file that is read when something is to be chosen."""
    q, numbered = quote, [(r, n) for n, r in enumerate(environment.runtimes)]
    switched = [(n, t) for n, t in environment.variables if any(isinstance(p, Of) for p in t)]
    static = dict.fromkeys((*environment.first, environment.launchers, *environment.last))
    plain = [(name, environment.by_default(template)) for name, template in switched]
    return posix.HEAD.format(stamp=environment.stamp) + _ON_DEMAND.format(
        static=words(static),
        shelf_pattern=q(f"^{literal(environment.shelf)}/"),
        defaults="".join(_version(environment, r, n, r.default and q(r.default), "  ") for r, n in numbered),
        runtimes=" ".join(f"{q(r.name)} {q('~' + r.name)}" for r, _ in numbered) or "''",
        tokens="".join(
            f"          case {q(r.name)} {q('~' + r.name)}\n"
            + _version(environment, r, n, "$za_token", "            ")
            for r, n in numbered
        ),
        all=" ".join(f"$za_{n}" for _, n in numbered),
        variables="".join(_variable(environment, name, template) for name, template in switched),
        first=words(environment.first),
        launchers=q(environment.launchers),
        last=words(environment.last),
        names=" ".join(environment.names),
        pin_names=" ".join(environment.pin_names),
        any_name=either(environment.names),
        front=words(dict.fromkeys((*environment.first, *environment.default_bins))),
        default_variables="".join(
            f"  set -e {name}\n" if value is None else f"  set -gx {name} {q(value)}\n"
            for name, value in plain
        ),
        kept_variables="".join(
            f"  set -q za__kept_{n}[1]; and set -gx {name} $za__kept_{n}; or set -e {name}\n"
            for n, (name, _) in enumerate(switched)
        ),
        keep_variables="".join(f"    set -g za__kept_{n} ${name}\n" for n, (name, _) in enumerate(switched)),
        manifest=q(environment.manifest),
        manifest_name=MANIFEST_NAME,
        pins=q(environment.pins),
        variables_folder=q(environment.project_variables),
        program=words(environment.program),
        executable=q(environment.program[0]),
        file=q(file),
        stamp=environment.stamp,
    )


def _version(environment: Environment, runtime: Switchable, number: int, version: str, indent: str) -> str:
    """The lines that give a runtime a version: the folders of its commands in za_N, its own in
    za_folder_N.
    """
    if not version:
        return f"{indent}set -l za_{number}\n{indent}set -l za_folder_{number}\n"
    local = "" if version == "$za_token" else "-l "
    folder = quote(f"{environment.shelf}/{runtime.name}/") + version
    bins = " ".join(folder + ("" if b == "." else quote(f"/{b}")) for b in runtime.bins)
    spoken = any(isinstance(p, Of) and p.runtime == runtime.name for _, t in environment.variables for p in t)
    lines = [f"{indent}set {local}za_{number} {bins}\n"]
    lines += [f"{indent}set {local}za_folder_{number} {folder}\n"] if spoken else []
    if not local:
        empty = "; ".join([f"set za_{number}", *([f"set za_folder_{number}"] if spoken else [])])
        lines += [f"{indent}test $za_token = system; and begin; {empty}; end\n"]
    return "".join(lines)


def _variable(environment: Environment, name: str, template: Template) -> str:
    """A value that speaks of a version which the shelf does not give is taken away."""
    numbers = {r.name: n for n, r in enumerate(environment.runtimes)}
    spoken = [f"set -q za_folder_{numbers[p.runtime]}[1]" for p in template if isinstance(p, Of)]
    value = posix.word(template, lambda runtime: f"za_folder_{numbers[runtime]}", quote)
    return f"  if {'; and '.join(spoken)}\n    set -gx {name} {value}\n  else\n    set -e {name}\n  end\n"


def quote(text: str) -> str:
    """One word: in single quotes only the quote and the backslash mean something (fish(1), "Quotes")."""
    return "'" + text.replace("\\", "\\\\").replace("'", "\\'") + "'"


def words(texts: Iterable[str]) -> str:
    """Texts as words."""
    return " ".join(map(quote, texts))


def either(names: tuple[str, ...]) -> str:
    """Names that stand for one another in a path, as a brace expansion."""
    return "{" + ",".join(names) + "}" if len(names) > 1 else names[0]


def literal(text: str) -> str:
    """A text as a regular expression that only it fits (PCRE2)."""
    return re.sub(r"([^\w/-])", r"\\\1", text, flags=re.ASCII)
