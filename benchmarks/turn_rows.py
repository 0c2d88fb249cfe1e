"""One side of a comparison by turns: reads the name of a row on each line of its input, runs it once with the
program beside its own Python, and answers with the seconds of the clock and of the processor.
"""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

ROWS = {
    "--version": "--version",
    "nothing to do": "provision",
    "status": "status",
    "list": "list",
    "switch": "switch gauge01",
    "locate": "locate gauge01",
    "with": "with gauge01=1.2.0 -- true",
    "preview": "preview",
    "verify": "verify",
    "trace": "trace gauge01",
    "survey": "survey",
}
"""The commands of each row, in a home with 12 runtimes and every shell that is installed."""
RUNTIMES = 12


def main() -> None:
    """Provision the home, say so, and run rows until the input ends."""
    from homes import PROGRAM, plain_environment, provisioned

    with provisioned(RUNTIMES) as (home, manifest):
        environment = plain_environment(home)
        print("ready", flush=True)
        for row in sys.stdin:
            began = time.perf_counter()
            running = subprocess.Popen(
                [*PROGRAM, *ROWS[row.strip()].split()], env=environment, cwd=manifest.parent,
                stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
            )  # fmt: skip
            _, status, used = os.wait4(running.pid, 0)
            running.returncode = os.waitstatus_to_exitcode(status)
            if running.returncode:
                raise SystemExit(f"{row.strip()} ended with {running.returncode}")
            print(time.perf_counter() - began, used.ru_utime + used.ru_stime, flush=True)


if __name__ == "__main__":
    sys.path.insert(0, str(Path(__file__).parent))
    main()
