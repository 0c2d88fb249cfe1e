"""This machine's own system as a place: made-up versions of one runtime, in some of its shells.

python -m tests.matrix.sample ROOT PROGRAM FEED SHELL …

prints the row as JSON. Its mounts are to be its own: unshare --mount.
"""

from __future__ import annotations

import sys
from pathlib import Path

import msgspec

from tests.matrix.asked import SHELLS, Row, Subject, proved
from tests.matrix.place import borrowed

MANIFEST = """\
[shells]
use = [SHELLS]

[feeds.harbour]
kind = "index"
url = "URL"

[runtimes.kelp]
want = "4.2"
also = ["3.6"]

[recipes.kelp]
commands = ["kelp"]
version = { run = "kelp --version", expect = "kelp {version}" }
"""


def main(root: Path, program: str, url: str, names: list[str]) -> None:
    shells = tuple(each for each in SHELLS if each.name in names)
    quoted = ", ".join(f'"{each.checked}"' for each in shells)
    kelp = Subject(
        "kelp",
        MANIFEST.replace("SHELLS", quoted).replace("URL", url),
        "kelp 4.2",
        "3.6",
        "kelp bulletin.kelp",
        "high water",
    )
    checkout, own = Path(__file__).parents[2], Path(sys.prefix)
    place = borrowed(root, {}, checkout, *([] if own.is_relative_to(checkout) else [own]))
    (place.home / "bulletin.kelp").write_text("say high water\n")
    print(msgspec.json.encode(proved(place, program, kelp, shells, Row("here", "its own Python"))).decode())


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2], sys.argv[3], sys.argv[4:])
