"""Which members of an archive are let in. Pure, so that every refusal can be tested."""

from __future__ import annotations

import posixpath
import stat

from zesty_anchor.system.problem import Problem


class ArchiveRefused(Problem):
    """An archive holds what must not be unpacked."""

    def __init__(self, what: str, member: str) -> None:
        super().__init__(
            f"the archive is refused: {what}",
            where=f"its member {member!r}",
            advice="nothing of it was kept; tell whoever publishes it, or choose another version",
        )


class Gate:
    """Lets members of one archive in, one after the other, or raises ``ArchiveRefused``.

    Links must stay ``within`` the archive's folder, unless somebody settles them before anything follows one.
    """

    def __init__(self, *, within: bool = True) -> None:
        self._links: set[str] = set()
        self.within = within

    def place(self, name: str) -> str:
        """The relative path to unpack ``name`` at; ``.`` for the archive's own root.

        Refused: an absolute path, one that leaves the folder, one that leads through a link.
        """
        if "\0" in name:
            raise ArchiveRefused("a name holds a NUL byte", name)
        if name.startswith("/"):
            raise ArchiveRefused("it holds an absolute path", name)
        if ".." in name.split("/"):
            raise ArchiveRefused("a path leaves the archive's folder", name)
        path = posixpath.normpath(name)
        if self._links:
            parts = path.split("/")
            if any("/".join(parts[:end]) in self._links for end in range(1, len(parts))):
                raise ArchiveRefused("a path leads through a link of the same archive", name)
        return path

    def mode(self, name: str, mode: int) -> int:
        """The permissions to give a file: 755 if anyone may execute it, else 644. Refused: setuid and setgid."""
        if mode & (stat.S_ISUID | stat.S_ISGID):
            raise ArchiveRefused("a file wants to run with another user's rights (setuid or setgid bit)", name)
        return 0o755 if mode & 0o111 else 0o644

    def link(self, name: str, path: str, target: str) -> None:
        """Note a symbolic link at ``path``. Refused: a target outside the archive's folder."""
        if self.within and target.startswith("/"):
            raise ArchiveRefused(f"a link leads to an absolute path, {target!r}", name)
        led = posixpath.normpath(posixpath.join(posixpath.dirname(path), target))
        if self.within and (led == ".." or led.startswith("../")):
            raise ArchiveRefused(f"a link leads outside, to {target!r}", name)
        self._links.add(path)

    def special(self, name: str, what: str) -> ArchiveRefused:
        """The refusal of a device, a pipe or another thing that is no file, folder or link."""
        return ArchiveRefused(f"it holds {what}", name)

    @property
    def links(self) -> frozenset[str]:
        """The paths of all links noted, to be followed once everything is in place."""
        return frozenset(self._links)
