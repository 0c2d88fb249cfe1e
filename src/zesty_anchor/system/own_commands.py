"""Our own commands, for the help and for completion: what each is for, what it takes, which options it has.

Completion is answered by the shell from this table, without starting us; a test holds it against the commands
themselves.
"""

from __future__ import annotations

from typing import NamedTuple


class Own(NamedTuple):
    """One command, in the ``group`` of the help. ``arguments`` are kinds of word, in order: ``runtime``,
    ``version`` (one that is installed, of the runtime before), ``pairs`` (NAME=VERSION, as many as there are,
    then a command line), ``word`` (nothing to be offered), or the choices with ``|`` between them.
    """

    group: str
    summary: str
    arguments: tuple[str, ...] = ()
    options: tuple[str, ...] = ()


_ALL = ("-v", "--verbose", "-q", "--quiet", "--json", "--colour", "--plain", "-h", "--help")
_MANIFEST = (*_ALL, "-m", "--manifest", "--offline")
_WORK = (*_MANIFEST, "-j", "--jobs", "-y", "--yes", "--trust")
_ASKS = (*_ALL, "-y", "--yes")

COMMANDS = {
    "status": Own(
        "Look", "Show quickly what is installed, what has changed since, and what is pending.", (), _ALL
    ),
    "survey": Own(
        "Look",
        "Show what is on this machine: shells, startup files, runtimes, and which program each command runs.",
        (),
        _MANIFEST,
    ),
    "list": Own(
        "Look",
        "Show versions: available, installed and active, and what decided it.",
        ("runtime", "word"),
        ("--all", "--newer", "--licence", *_MANIFEST),
    ),
    "trace": Own(
        "Look",
        "Show where a command, a variable or a PATH entry comes from: file and line.",
        ("runtime",),
        _MANIFEST,
    ),
    "explain": Own(
        "Look",
        "Explain a command, variable, file, PATH entry, manifest key, check or exit status.",
        ("runtime",),
        _MANIFEST,
    ),
    "timing": Own(
        "Look",
        "Show how long your shell takes to start, and which lines slow it down.",
        (),
        ("--shell", "--seconds", "--since", "--chart", *_MANIFEST),
    ),
    "history": Own("Look", "Show what each run did, when, and how long it took.", ("word",), _ALL),
    "report": Own(
        "Look",
        "Write one HTML page with everything, for a ticket or for later.",
        ("file",),
        ("--anew", "--markdown", "--names", *_WORK),
    ),
    "projects": Own("Look", "Show which folders pin which versions.", (), ("--newer", "--trust", *_MANIFEST)),
    "draft": Own("Make", "Write a starter workstation.toml from what is on this machine.", ("file",), _ALL),
    "preview": Own(
        "Make",
        "Show what would change, down to the lines of each startup file.",
        (),
        ("--check", "--script", "--as", *_MANIFEST),
    ),
    "rehearse": Own(
        "Make", "Do the whole run in a throwaway copy of your home.", (), ("--report", "--root", *_WORK)
    ),
    "provision": Own(
        "Make",
        "Make this machine match the manifest, and verify it.",
        (),
        ("--deep", "--locked", "--fetch-only", "--password-stdin", *_WORK),
    ),
    "verify": Own(
        "Make",
        "Open new shells and check what the manifest promises.",
        (),
        ("--deep", "--fix", "--online", "--only", "--shell", "--junit", *_WORK),
    ),
    "lock": Own(
        "Make",
        "Write exact versions, addresses and digests to workstation.lock.",
        (),
        ("--platform", "--upgrade", "--digest", "--base", "-y", "--yes", *_MANIFEST),
    ),
    "mirror": Own(
        "Make",
        "Collect all that locks name in a folder that any web server serves.",
        ("file", "file"),
        ("--platform", "--check", "--prune", "--key", "-j", "--jobs", "-y", "--yes", *_MANIFEST),
    ),
    "across": Own(
        "Make",
        "Run a command on many machines over OpenSSH.",
        ("word", "word", "word"),
        (
            "--hosts",
            "--at-once",
            "--first",
            "--stop",
            "--share",
            "--send",
            "--ssh-config",
            "--junit",
            "--report",
            "-y",
            "--yes",
            "--trust",
            *_MANIFEST,
        ),
    ),
    "upgrade": Own(
        "Make",
        "Move to newer versions within the wants, as one run.",
        ("runtime",),
        ("--list", "--beyond", "--projects", "--password-stdin", *_WORK),
    ),
    "switch": Own(
        "Use",
        "Choose a version: for this session, this project or by default.",
        ("runtime", "version"),
        ("--session", "--project", "--default", "--forget", "--install", "--choose", *_WORK),
    ),
    "with": Own(
        "Use", "Run one command with chosen versions.", ("pairs",), ("--all", "--install", *_MANIFEST)
    ),
    "export": Own(
        "Use",
        "Print PATH and variables of this folder, for a script or a build.",
        ("pairs",),
        ("--shell", "--dotenv", "--github", "--install", *_MANIFEST),
    ),
    "locate": Own(
        "Use",
        "Print the folder of an installed version (for an editor).",
        ("runtime", "version"),
        ("--stable", *_MANIFEST),
    ),
    "identity": Own("Use", "Print the public half of your key.", (), _MANIFEST),
    "undo": Own(
        "Undo",
        "Undo the last run, or an earlier one.",
        (),
        ("--run", "--list", "--password-stdin", *_ASKS),
    ),
    "remove": Own("Undo", "Uninstall one version.", ("runtime", "version"), (*_MANIFEST, "-y", "--yes")),
    "prune": Own(
        "Undo",
        "Free disk: versions, downloads, builds and attic entries, by what still needs them.",
        ("versions|downloads|builds|attic",),
        ("--list", "--keep", "--older", "--all", *_MANIFEST, "-y", "--yes"),
    ),
    "attic": Own(
        "Undo",
        'Show what was removed and is still kept; "attic empty" deletes it.',
        ("empty", "file"),
        _ASKS,
    ),
    "dismantle": Own(
        "Undo", "Undo everything and leave no trace.", (), ("--password-stdin", *_ASKS, "--program")
    ),
    "demo": Own(
        "Learn",
        "Show a full example on made-up data, in a throwaway home.",
        ("tour|broken",),
        ("--keep", "--steps", "--system", *_ALL),
    ),
    "docs": Own(
        "Learn",
        "Show a page of the documentation.",
        (
            "api|benchmarks|ci|commands|conflicts|extending|feeds|how-it-works|index|json|keys|manifest|questions|recipes|runtimes|shells|tutorial|upgrade",
        ),
        _ALL,
    ),
    "schema": Own(
        "Learn",
        "Print the JSON Schema of the manifest, or of what --json prints.",
        ("word",),
        ("-h", "--help"),
    ),
}

VALUES = {
    "--colour": "auto|always|never",
    "--shell": "shell",
    "-m": "file",
    "--manifest": "file",
    "--trust": "file",
    "--junit": "file",
    "--as": "word",
    "--key": "file",
    "--hosts": "file",
    "--at-once": "word",
    "--first": "word",
    "--stop": "word",
    "--ssh-config": "file",
    "--send": "file",
    "--keep": "word",
    "--chart": "file",
    "--report": "file",
    "--root": "file",
    "-j": "word",
    "--jobs": "word",
    "--older": "word",
    "--run": "word",
    "--seconds": "word",
    "--platform": "word",
    "--only": "runtime",
    "--script": "runtime",
    "--upgrade": "runtime",
}
"""The options that take a value, each the same in every command, and its kind (as of an argument; ``file`` is
any path, ``shell`` the name of a shell).
"""

_PROVISION = (
    "zesty-anchor provision makes this machine as the manifest says; zesty-anchor preview shows it first"
)
_DRAFT = "zesty-anchor draft NAME writes a manifest for a runtime; then zesty-anchor provision installs it"
_SWITCH = "zesty-anchor switch NAME VERSION chooses a version: --session, --project or --default"
_PREVIEW = "zesty-anchor preview shows what would change"
_VERIFY = (
    "zesty-anchor verify checks what the manifest promises; zesty-anchor survey shows what is on this machine"
)
_NEWER = "zesty-anchor upgrade NAME moves to a newer version; zesty-anchor upgrade --list shows what is newer"
_REMOVE = "zesty-anchor remove NAME VERSION uninstalls one version; zesty-anchor dismantle removes everything"
_WHERE = (
    "zesty-anchor trace NAME shows where a command comes from; zesty-anchor locate NAME prints the folder of"
    " the version"
)
_UNDO = "zesty-anchor undo reverses the last run; zesty-anchor undo --list shows the others"

OTHER_WORDS = {
    **dict.fromkeys(("install", "add", "i"), _DRAFT),
    **dict.fromkeys(("apply", "sync", "setup", "run", "up", "bootstrap"), _PROVISION),
    **dict.fromkeys(("use", "default", "global", "local", "pin", "set", "shell"), _SWITCH),
    **dict.fromkeys(("plan", "diff", "dry-run"), _PREVIEW),
    **dict.fromkeys(("doctor", "check", "test", "info"), _VERIFY),
    **dict.fromkeys(("update", "outdated"), _NEWER),
    **dict.fromkeys(("uninstall", "rm", "delete", "clean"), _REMOVE),
    **dict.fromkeys(("which", "where", "whereis", "path"), _WHERE),
    **dict.fromkeys(("rollback", "revert", "restore"), _UNDO),
    **dict.fromkeys(("init", "new", "create"), _DRAFT),
    **dict.fromkeys(
        ("ls", "versions", "search", "available"),
        "zesty-anchor list shows what is installed; zesty-anchor list NAME what is available",
    ),
    **dict.fromkeys(
        ("exec", "x"), "zesty-anchor with NAME=VERSION -- COMMAND runs a command with chosen versions"
    ),
    "help": "zesty-anchor --help lists the commands; zesty-anchor COMMAND --help explains one",
    "version": "zesty-anchor --version prints it; zesty-anchor list shows the versions of runtimes",
}
"""Words that people try first, each with the command that does it here."""
OTHER_OPTIONS = {
    **dict.fromkeys(("--dry-run", "--check", "--diff", "-n"), _PREVIEW),
    "--color": "it is written --colour",
    "--force": "nothing is forced here: what is in the way is asked about, and --yes agrees to what is safe",
    "--global": "it is written --default",
    "--local": "it is written --project",
    "--file": "it is written -m FILE",
    "--config": "it is written -m FILE",
}
"""Options that people try first, each with what to write."""
