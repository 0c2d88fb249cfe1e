"""Installs one archive as the shelf does: fetch, check, unpack, rename into place.  URL DIGEST FOLDER"""

from __future__ import annotations

import sys
from pathlib import Path

from zesty_anchor.feeds.web import WebBody, session
from zesty_anchor.shelf import place
from zesty_anchor.shelf.download import kept_file, obtain

url, digest, folder = sys.argv[1], sys.argv[2], Path(sys.argv[3])
for part in ("staging", "downloads", "shelf"):
    (folder / part).mkdir(parents=True)
web = session()
room = place.stage(folder / "staging", "node")
obtain(
    lambda: WebBody(web, url, "the host"),
    digest,
    None,
    kept_file(folder / "downloads", digest, url),
    room,
    lambda done, total: None,
)
place.put(place.content(room), folder / "shelf/node")
