"""Where this program keeps things, after the XDG Base Directory Specification 0.8."""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path

import msgspec

from zesty_anchor.system.problem import UsageProblem

FOLDER = "zesty-anchor"
"""The name of each folder of our own."""


PROJECT_VARIABLES = "@variables"
"""The name of the folder with them, in the one of the pins."""


class Locations(msgspec.Struct, frozen=True):
    """The home, and this program's folders in it."""

    home: Path
    config: Path
    data: Path
    state: Path
    cache: Path

    @property
    def shelf(self) -> Path:
        """Where versions live side by side."""
        return self.data / "shelf"

    @property
    def staging(self) -> Path:
        """Where a version is unpacked before it is renamed into the shelf (the same file system)."""
        return self.data / "staging"

    @property
    def shell(self) -> Path:
        """Where the generated files of the shells stand."""
        return self.data / "shell"

    @property
    def launchers(self) -> Path:
        """Where the launchers stand."""
        return self.data / "bin"

    @property
    def greeting(self) -> Path:
        """What the next interactive shell prints, once."""
        return self.state / "greeting"

    @property
    def stable(self) -> Path:
        """Links to default versions, for settings that name a path."""
        return self.data / "current"

    @property
    def pins(self) -> Path:
        """What projects' pins were resolved to: a file for each of theirs, under its whole path."""
        return self.cache / "pins"

    @property
    def project_variables(self) -> Path:
        """The variables of projects, as the shells read them: a file for each set, by its digest."""
        return self.pins / PROJECT_VARIABLES

    @property
    def others(self) -> Path:
        """The folder of configurations, ours and other programs'."""
        return self.config.parent

    @property
    def downloads(self) -> Path:
        """Fetched files, named by digest."""
        return self.cache / "downloads"

    @property
    def builds(self) -> Path:
        """What was built from source, kept to serve again."""
        return self.cache / "builds"

    @property
    def answers(self) -> Path:
        """What feeds answered, kept to ask only for what changed."""
        return self.cache / "answers"

    @property
    def journal(self) -> Path:
        """The SQLite record of every change."""
        return self.state / "journal.db"

    @property
    def attic(self) -> Path:
        """What was removed or overwritten."""
        return self.state / "attic"

    @property
    def recipes(self) -> Path:
        """The person's own recipes."""
        return self.config / "recipes"

    def shown(self, path: Path | str) -> str:
        """A path for a person to read: ``~`` for the home."""
        text, home = str(path), str(self.home)
        return "~" + text[len(home) :] if text == home or text.startswith(home + "/") else text


def locate(environ: Mapping[str, str]) -> Locations:
    """The locations that an environment gives. A relative XDG path is ignored, as the specification says.
    Raises ``UsageProblem`` where one of them is no UTF-8: what is recorded could not name it.
    """
    home = Path(environ.get("HOME") or os.path.expanduser("~"))

    def base(variable: str, fallback: str) -> Path:
        value = environ.get(variable, "")
        return (Path(value) if value.startswith("/") else home / fallback) / FOLDER

    found = Locations(
        home=home,
        config=base("XDG_CONFIG_HOME", ".config"),
        data=base("XDG_DATA_HOME", ".local/share"),
        state=base("XDG_STATE_HOME", ".local/state"),
        cache=base("XDG_CACHE_HOME", ".cache"),
    )
    for path in (found.home, found.config, found.data, found.state, found.cache):
        try:
            str(path).encode("utf-8")
        except UnicodeEncodeError:
            raise UsageProblem(
                f"the name of {os.fsencode(path)!a} is not in UTF-8, so what is done there could not be"
                " recorded",
                advice="give that folder a name in UTF-8; nothing was changed",
            ) from None
    for path in (found.home, found.data):
        if ":" in str(path):
            raise UsageProblem(
                f"{path} contains a colon, which separates PATH entries: no shell could find commands in it",
                advice=(
                    "rename that folder, or set HOME or XDG_DATA_HOME to one without a colon; nothing was"
                    " changed"
                ),
            )
    return found
