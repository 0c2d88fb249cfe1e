"""Errors as a person reads them: what, where, next."""

from __future__ import annotations

from zesty_anchor.show.paint import Paint
from zesty_anchor.system.problem import Problem, Problems


def problem(paint: Paint, error: Problem) -> None:
    """One error, or each of several."""
    for each in error.each if isinstance(error, Problems) else [error]:
        paint.write(paint.bad("error: ") + each.what)
        if each.where:
            paint.write(f"  where: {each.where}")
        if each.advice:
            paint.write(f"  next:  {each.advice}")
