"""Writes down what a folder holds, with digests, and brings it to disk, as is done for each version.
FOLDER
"""

from __future__ import annotations

import sys
from pathlib import Path

from zesty_anchor.files.move import flush_tree
from zesty_anchor.shelf.receipt import note_files

folder = Path(sys.argv[1])
note_files(folder)
flush_tree(folder)
