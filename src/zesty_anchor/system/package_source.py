"""A source of packages in the form of each package manager: which files, with what in them, and how it is asked anew. Pure.

sources.list(5), "Deb822-style format"; dnf.conf(5), "Repo options"; zypper(8), repositories as files in /etc/zypp/repos.d.
"""

from __future__ import annotations

from urllib.parse import quote, urlsplit

import msgspec

from zesty_anchor.system.package_manager import Command

WRITTEN = "# Written by zesty-anchor, for [prerequisites.sources.{name}] of a manifest.\n"


class SourceForm(msgspec.Struct, frozen=True):
    """``files`` are paths with their texts, in the order in which they are written; ``refresh`` reads its lists, ``forget`` removes
    what that left.
    """

    files: tuple[tuple[str, str], ...]
    refresh: Command
    forget: tuple[Command, ...] = ()


def form_of(family: str, name: str, url: str, suite: str, components: tuple[str, ...], key: str) -> SourceForm | None:
    """The form for a family of systems; ``key`` is the armoured key. None where we know none for it."""
    head, own = WRITTEN.format(name=name), f"zesty-anchor-{name}"
    if family == "debian":
        key_file, file = f"/etc/apt/keyrings/{own}.asc", f"/etc/apt/sources.list.d/{own}.sources"
        rows = [f"Types: deb\nURIs: {url}\nSuites: {suite}\n"]
        rows += [f"Components: {' '.join(components)}\n"] if components else []
        text = f"{head}{''.join(rows)}Signed-By: {key_file}\n"
        # This one alone; the lists of the others stay as they are (apt.conf(5), Dir::Etc, APT::Get::List-Cleanup).
        only = ("-o", f"Dir::Etc::SourceList={file}", "-o", "Dir::Etc::SourceParts=-", "-o", "APT::Get::List-Cleanup=0")
        refresh: Command = ("apt-get", "update", "-q", *only, "-o", "APT::Update::Error-Mode=any")
        return SourceForm(((key_file, key), (file, text)), refresh, (_forget_lists(url, suite),))
    folder = {"fedora": "/etc/yum.repos.d", "suse": "/etc/zypp/repos.d"}.get(family)
    if folder is None:
        return None
    key_file, file = f"/etc/pki/rpm-gpg/{own}.asc", f"{folder}/{own}.repo"
    rows = [f"[{own}]\nname={name}\nbaseurl={url}\nenabled=1\ngpgcheck=1\ngpgkey=file://{key_file}\n"]
    if family == "suse":
        rows.append("autorefresh=1\ntype=rpm-md\n")
        refresh = ("zypper", "--non-interactive", "--gpg-auto-import-keys", "refresh", own)
    else:
        refresh = ("dnf", "-y", "makecache", f"--repo={own}")
    return SourceForm(((key_file, key), (file, head + "".join(rows))), refresh)


def _forget_lists(url: str, suite: str) -> Command:
    """What apt keeps of it is named by the address, with underscores for slashes."""
    parts = urlsplit(url)
    where = f"{parts.hostname or ''}{f':{parts.port}' if parts.port else ''}{parts.path}".strip("/").replace("/", "_")
    start = quote(f"{where}_dists_{suite}_" if not suite.endswith("/") else f"{where}_", safe="._-+:~%")
    script = '# remove the lists of $1\ncd /var/lib/apt/lists && rm -f -- "$1"* partial/"$1"*'
    return ("sh", "-c", script, "sh", start)
