"""Breaks each line of tests/mutants/lines.py in a copy of the checkout, and demands that a test fails.

python -m tests.mutants.run [TEXT …]     only those whose statement or file holds one of these texts
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

from tests.mutants.lines import MUTANTS, Mutant

ROOT = Path(__file__).parents[2]
SECONDS = 300


def broken(text: str, mutant: Mutant) -> str:
    """A file's text with the line changed. Raises ``ValueError`` where it does not stand there once."""
    if text.count(mutant.old) != 1:
        raise ValueError(f"{mutant.file} has {text.count(mutant.old)} times: {mutant.old!r}")
    return text.replace(mutant.old, mutant.new)


def noticed(mutant: Mutant, copy: Path, python: str) -> bool:
    """Whether a test falls. ``copy`` is a checkout that ``python`` has installed to be edited."""
    file = copy / "src/zesty_anchor" / mutant.file
    whole = file.read_text()
    file.write_text(broken(whole, mutant))
    try:
        done = subprocess.run(
            [python, "-m", "pytest", "-x", "-q", "-n", "0", "-p", "no:cacheprovider",
             *(f"tests/{each}" for each in mutant.tests.split())],
            cwd=copy, capture_output=True, text=True, timeout=SECONDS, check=False, stdin=subprocess.DEVNULL,
            env={**os.environ, "PYTHONPATH": str(copy / "src"), "PYTHONDONTWRITEBYTECODE": "1"},
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        return True  # it does not come to an end any more
    finally:
        file.write_text(whole)
    if done.returncode not in (0, 1, 2):
        raise RuntimeError(done.stdout + done.stderr)
    return done.returncode != 0


def copied(folder: Path) -> Path:
    """A copy of the checkout: what git has of it, as it is now."""
    listed = subprocess.run(
        ["git", "ls-files", "-z", "--cached", "--others", "--exclude-standard"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=True,
    ).stdout
    for name in filter(None, listed.split("\0")):
        if (ROOT / name).is_file():
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(ROOT / name, folder / name)
    return folder


def main(words: list[str]) -> int:
    """Run them, and print what came of each. Returns how many were not noticed."""
    import tempfile

    chosen = [
        each for each in MUTANTS if not words or any(word in f"{each.holds} {each.file}" for word in words)
    ]
    missed, whole = 0, set[str]()
    with tempfile.TemporaryDirectory(prefix="tide-mutants-") as room:
        copy = copied(Path(room) / "checkout")
        for number, mutant in enumerate(chosen, 1):
            if mutant.tests not in whole and noticed(mutant._replace(new=mutant.old), copy, sys.executable):
                raise SystemExit(f"tests fail where nothing is broken: {mutant.tests}")
            whole.add(mutant.tests)
            began = time.monotonic()
            found = noticed(mutant, copy, sys.executable)
            missed += not found
            line = " ".join(mutant.old.split())[:60]
            came = "noticed" if found else "MISSED "
            print(f"{number:3} {came} {time.monotonic() - began:5.1f} s  {mutant.file}: {line}", flush=True)
    print(f"{len(chosen) - missed} of {len(chosen)} noticed")
    return missed


if __name__ == "__main__":
    sys.exit(1 if main(sys.argv[1:]) else 0)
