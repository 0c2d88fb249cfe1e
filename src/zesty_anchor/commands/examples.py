"""Examples for the help of each command, from the demo's scenario: a desk that watches tides."""

from __future__ import annotations

EXAMPLES: dict[str, tuple[tuple[str, str], ...]] = {
    "status": (
        ("zesty-anchor status", "what is installed, and what has changed since"),
        ("zesty-anchor status --quiet", "only what needs attention, for a prompt"),
        ("zesty-anchor status --json", "for a dashboard"),
    ),
    "survey": (
        ("zesty-anchor survey", "everything that is on this machine"),
        ("zesty-anchor survey --json", "the same for a program"),
        ("zesty-anchor survey -m desk/workstation.toml", "with the runtimes of that manifest"),
    ),
    "list": (
        ("zesty-anchor list", "what is installed"),
        ("zesty-anchor list kelp lts", "long-term versions of kelp"),
        ("zesty-anchor list --newer", "what is newer than what is installed"),
    ),
    "trace": (
        ("zesty-anchor trace kelp", "which kelp each shell runs, and why"),
        ("zesty-anchor trace '$GAUGE'", "the line that sets a variable"),
        ("zesty-anchor trace PATH", "the line behind each entry of PATH"),
    ),
    "explain": (
        ("zesty-anchor explain kelp", "why this version is active here"),
        ("zesty-anchor explain shells.use", "a key of the manifest"),
        ("zesty-anchor explain 4", "an exit status"),
    ),
    "timing": (
        ("zesty-anchor timing", "your login shell"),
        ("zesty-anchor timing --shell zsh", "another shell"),
        ("zesty-anchor timing --seconds 30", "more exact"),
    ),
    "history": (
        ("zesty-anchor history", "all runs"),
        ("zesty-anchor history 1", "what run 1 did"),
        ("zesty-anchor history --json", "the same for a program"),
    ),
    "report": (
        ("zesty-anchor report", "report.html in the current folder"),
        ("zesty-anchor report desk.html", "another name"),
        ("zesty-anchor report --anew", "check new shells first"),
    ),
    "projects": (
        ("zesty-anchor projects", "who pins what, and what is not installed"),
        ("zesty-anchor projects --newer", "also what is newer within each pin"),
        ("zesty-anchor projects --trust .", "let the project in this folder set its variables"),
    ),
    "draft": (
        ("zesty-anchor draft", "workstation.toml from what is on this machine"),
        ("zesty-anchor draft node python", "for these runtimes"),
        ("zesty-anchor draft https://…/gauge_2.1_linux_amd64.zip", "for the tool at an address"),
    ),
    "preview": (
        ("zesty-anchor preview", "what provision would change"),
        ("zesty-anchor preview -v", "with each line of each file"),
        ("zesty-anchor preview --as linux-aarch64", "what another, empty machine would get"),
    ),
    "rehearse": (
        ("zesty-anchor rehearse", "the whole run in a copy of your home"),
        ("zesty-anchor rehearse --report rehearsal.html", "with a report"),
        ("zesty-anchor rehearse -v", "with every step"),
    ),
    "provision": (
        ("zesty-anchor provision", "install what the manifest asks for"),
        ("zesty-anchor provision --yes", "answer yes to safe questions"),
        ("zesty-anchor provision -m desk/workstation.toml", "another manifest"),
    ),
    "verify": (
        ("zesty-anchor verify", "all checks, in all shells"),
        ("zesty-anchor verify --only kelp --shell bash", "some of them"),
        ("zesty-anchor verify --deep", "also read every installed file"),
    ),
    "lock": (
        ("zesty-anchor lock", "write what is installed"),
        ("zesty-anchor lock --upgrade kelp", "resolve kelp again"),
        ("zesty-anchor lock --base", "take the newest text of a signed base"),
    ),
    "mirror": (
        ("zesty-anchor mirror ~/mirror", "what the lock names, for a web server"),
        ("zesty-anchor mirror ~/mirror --check", "is every file unchanged?"),
        ("zesty-anchor mirror ~/mirror a.lock b.lock", "what several locks name"),
    ),
    "across": (
        ("zesty-anchor across quay-1,quay-2 preview", "what would change on two machines"),
        ("zesty-anchor across quay --hosts hosts.toml provision --first 1", "a group, one machine first"),
        ("zesty-anchor across quay --hosts hosts.toml diff", "which machines differ from the lock"),
    ),
    "upgrade": (
        ("zesty-anchor upgrade --list", "what is newer"),
        ("zesty-anchor upgrade kelp", "only kelp"),
        ("zesty-anchor upgrade --projects", "also the versions that projects pin"),
    ),
    "switch": (
        ("za switch kelp 3.6", "in this shell"),
        ("zesty-anchor switch kelp 3.6 --project", "in this folder and below it"),
        ("zesty-anchor switch kelp 4.2 --default", "everywhere else"),
    ),
    "with": (
        ("zesty-anchor with kelp=3.6 -- kelp --version", "one command with that version"),
        ("zesty-anchor with -- make", "with the versions that this folder pins"),
        ("zesty-anchor with --all -- make test", "in each folder with pins, here and below"),
    ),
    "export": (
        ("zesty-anchor export", "for sh, with the versions of this folder"),
        ("zesty-anchor export --shell fish", "for another shell"),
        ("zesty-anchor export --dotenv", "as NAME=VALUE lines, for a .env file"),
    ),
    "locate": (
        ("zesty-anchor locate kelp", "the folder of the active version"),
        ("zesty-anchor locate kelp 3.6", "of another one (a prefix is enough)"),
        ("zesty-anchor locate coral --stable", "a path that follows the default version"),
    ),
    "identity": (
        ("zesty-anchor identity", "print the public key"),
        (
            "zesty-anchor identity | ssh desk@harbour.example 'cat >> .ssh/authorized_keys'",
            "copy it to a host",
        ),
        ("zesty-anchor identity --json", "the same for a program"),
    ),
    "undo": (
        ("zesty-anchor undo", "undo the last run"),
        ("zesty-anchor undo --list", "the runs that can be undone"),
        ("zesty-anchor undo --run 1", "undo another one"),
    ),
    "remove": (
        ("zesty-anchor remove kelp 3.6", "uninstall that version"),
        ("zesty-anchor remove kelp 3.6 -m desk/workstation.toml", "of another manifest"),
        ("zesty-anchor remove kelp 3.6 --json", "the same for a program"),
    ),
    "prune": (
        ("zesty-anchor prune --list", "what takes disk space, and what needs it"),
        ("zesty-anchor prune versions --keep 1", "versions that nothing needs, but the newest of each"),
        ("zesty-anchor prune --older 90d", "only what is older than 90 days"),
    ),
    "attic": (
        ("zesty-anchor attic", "what is kept, and how big it is"),
        ("zesty-anchor attic empty", "delete it (asks first)"),
        ("zesty-anchor attic empty ~/old-kelp", "delete one entry"),
    ),
    "dismantle": (
        ("zesty-anchor dismantle", "undo everything (asks first)"),
        ("zesty-anchor dismantle --yes", "without a question"),
        ("zesty-anchor dismantle --json --yes", "the same for a program"),
    ),
    "demo": (
        ("zesty-anchor demo", "the tour"),
        ("zesty-anchor demo broken", "what goes wrong, found and fixed"),
        ("zesty-anchor demo --keep tide-home", "keep the home to try things in"),
    ),
    "docs": (
        ("zesty-anchor docs", "the names of all pages"),
        ("zesty-anchor docs keys", "every key of the manifest"),
        ("zesty-anchor docs tutorial | less", "one page as text"),
    ),
    "schema": (
        ("zesty-anchor schema", "the manifest's, for an editor"),
        ("zesty-anchor schema verify", "of what verify --json prints"),
        ("zesty-anchor schema list --newer", "of another document"),
    ),
}
"""For each command what to type, and what that does."""
