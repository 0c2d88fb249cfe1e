"""Which members of an archive are let in. Pure, so that every refusal can be tested."""

from __future__ import annotations

import posixpath
import stat

from zesty_anchor.system.problem import Problem

MOST_MEMBERS = 1_000_000
MOST_DEPTH = 256
MOST_PATH = 4096
MOST_NAME = 255
"""PATH_MAX and NAME_MAX of Linux (limits.h(0p))."""
MOST_HOPS = 40
"""As many links as a system follows on one way (path_resolution(7))."""


class ArchiveRefused(Problem):
    """An archive holds what must not be unpacked."""

    def __init__(self, what: str, member: str, advice: str = "") -> None:
        super().__init__(
            f"the archive is refused: {what}",
            where=f"its member {member[:200]!r}" if member != "the whole" else "",
            advice=advice or "nothing of it was kept; tell whoever publishes it, or choose another version",
        )


class Gate:
    """Lets members of one archive in, one after the other, or raises ``ArchiveRefused``.

    Links must stay ``within`` the archive's folder, unless somebody settles them before anything follows one.
    """

    def __init__(self, *, within: bool = True) -> None:
        self._links: dict[str, str] = {}
        self._count = 0
        self.within = within

    def place(self, name: str) -> str:
        """The relative path to unpack ``name`` at; ``.`` for the archive's own root.

        Refused: an absolute path, one that leaves the folder, one that leads through a link.
        """
        self._count += 1
        if self._count > MOST_MEMBERS:
            raise ArchiveRefused(f"it holds more than {MOST_MEMBERS:,} members", name)
        if "\0" in name:
            raise ArchiveRefused("a name holds a NUL byte", name)
        parts = name.split("/")
        if len(name) > MOST_NAME:
            if len(name) > MOST_PATH or len(parts) - 1 > MOST_DEPTH:
                raise ArchiveRefused(
                    f"a path is longer than {MOST_PATH} bytes, or deeper than {MOST_DEPTH} folders", name
                )
            if any(len(part) > MOST_NAME for part in parts):
                raise ArchiveRefused(f"a name is longer than {MOST_NAME} bytes", name)
        if name.startswith("/"):
            raise ArchiveRefused("it holds an absolute path", name)
        if ".." in parts:
            raise ArchiveRefused("a path leaves the archive's folder", name)
        path = posixpath.normpath(name) if "" in parts or "." in parts else name
        if self._links:
            parts = path.split("/")
            if any("/".join(parts[:end]) in self._links for end in range(1, len(parts))):
                raise ArchiveRefused("a path leads through a link of the same archive", name)
        return path

    def mode(self, name: str, mode: int) -> int:
        """The permissions to give a file: 755 if anyone may execute it, else 644. Refused: setuid and
        setgid.
        """
        if mode & (stat.S_ISUID | stat.S_ISGID):
            raise ArchiveRefused(
                "a file wants to run with another user's rights (setuid or setgid bit)", name
            )
        return 0o755 if mode & 0o111 else 0o644

    def link(self, name: str, path: str, target: str) -> None:
        """Note a symbolic link at ``path``. Refused: a target outside the archive's folder."""
        if self.within and target.startswith("/"):
            raise ArchiveRefused(f"a link leads to an absolute path, {target!r}", name)
        led = posixpath.normpath(posixpath.join(posixpath.dirname(path), target))
        if self.within and (led == ".." or led.startswith("../")):
            raise ArchiveRefused(f"a link leads outside, to {target!r}", name)
        if len(target) > MOST_PATH:
            raise ArchiveRefused("a link is longer than a path may be", name)
        self._links[path] = target

    def special(self, name: str, what: str) -> ArchiveRefused:
        """The refusal of a device, a pipe or another thing that is no file, folder or link."""
        return ArchiveRefused(f"it holds {what}", name)

    def check_links(self, top: str = "") -> None:
        """Follow each link to its end: a chain of links, each harmless alone, may still lead outside of the
        archive, or of its one folder ``top``, which becomes the version. Raises ``ArchiveRefused``.
        """
        for path in self._links:
            if path == top or (top and not path.startswith(f"{top}/")):
                continue
            self._follow(path, top)

    def _follow(self, link: str, top: str) -> None:
        done: list[str] = []
        waiting, hops = link.split("/"), 0
        within = len(top.split("/")) if top else 0
        while waiting:
            part = waiting.pop(0)
            if part in ("", "."):
                continue
            if part == "..":
                if len(done) <= within:
                    raise ArchiveRefused("a link leads outside, by itself or through another link", link)
                done.pop()
                continue
            done.append(part)
            target = self._links.get("/".join(done))
            if target is not None:
                hops += 1
                if hops > MOST_HOPS:
                    raise ArchiveRefused(
                        f"a link leads through more than {MOST_HOPS} others, or round in a circle", link
                    )
                done.pop()
                waiting = target.split("/") + waiting
                if target.startswith("/"):
                    raise ArchiveRefused(f"a link leads to an absolute path, {target!r}", link)
