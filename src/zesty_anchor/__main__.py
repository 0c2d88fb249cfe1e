"""``python -m zesty_anchor`` is the same program as ``zesty-anchor``."""

from zesty_anchor.commands import run

if __name__ == "__main__":
    run()
