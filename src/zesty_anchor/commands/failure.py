"""The end of a command that failed."""

from __future__ import annotations

import os
import sys
import traceback

from zesty_anchor.show.document import encode, failed
from zesty_anchor.show.paint import err
from zesty_anchor.show.problem import problem
from zesty_anchor.system.problem import Problem
from zesty_anchor.system.refusal import as_system_error, of_system


def told(error: Exception) -> int:
    """Tell a person what went wrong, and return the exit code. With ``-v`` a traceback of what is not
    expected.
    """
    verbose = any(word in ("-v", "--verbose") for word in sys.argv[1:])
    error = as_system_error(error)
    if isinstance(error, OSError):
        error = of_system(error)
    if not isinstance(error, Problem):
        if verbose:
            traceback.print_exception(error)
        wrapped = Problem(
            f"something unexpected: {type(error).__name__}: {error}",
            advice=""
            if verbose
            else "run it again with -v and report what it prints; the journal holds what was done",
        )
        wrapped.__cause__ = error
        error = wrapped
    problem(err("auto", os.environ), error)
    if "--json" in sys.argv[1:]:
        print_document(error)
    return error.code


def print_document(error: Problem) -> None:
    """The error for a program to read, on standard output."""
    sys.stdout.write(encode(failed(error)) + "\n")
