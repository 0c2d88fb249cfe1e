"""The colours can be read on black and on white, and no meaning is in a colour alone."""

from __future__ import annotations

import io

import pytest

from zesty_anchor.show.columns import columns
from zesty_anchor.show.paint import FIXED, SIXTEEN, Paint, palette

_STEPS = (0, 95, 135, 175, 215, 255)


def luminance(number: int) -> float:
    """Of a colour of xterm's palette, from 16 on (WCAG 2.2, "relative luminance")."""
    cube = [(r, g, b) for r in _STEPS for g in _STEPS for b in _STEPS]
    greys = [(8 + 10 * step,) * 3 for step in range(24)]
    red, green, blue = (
        c / 255 / 12.92 if c / 255 <= 0.04045 else ((c / 255 + 0.055) / 1.055) ** 2.4
        for c in [*cube, *greys][number - 16]
    )
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


@pytest.mark.parametrize("meaning", FIXED._fields)
def test_a_fixed_colour_has_contrast_against_black_and_white(meaning: str) -> None:
    its = luminance(getattr(FIXED, meaning))
    assert min(1.05 / (its + 0.05), (its + 0.05) / 0.05) >= 4.5


def test_every_meaning_has_a_colour_of_its_own() -> None:
    assert len(set(FIXED)) == len(set(SIXTEEN)) == len(FIXED)


@pytest.mark.parametrize(
    ("environ", "found"),
    [
        ({"TERM": "xterm-256color"}, FIXED),
        ({"TERM": "xterm", "COLORTERM": "truecolor"}, FIXED),
        ({"TERM": "linux"}, SIXTEEN),
        ({}, SIXTEEN),
    ],
)
def test_a_terminal_with_few_colours_gets_those_that_its_person_set(
    environ: dict[str, str], found: object
) -> None:
    assert palette(environ) is found


def test_columns_keep_the_fixed_colours() -> None:
    text = io.StringIO()
    paint = Paint(text, "always", {"TERM": "xterm-256color"})
    columns(paint, [[paint.name("kelp"), paint.faint("4.2.1")]])
    assert f"38;5;{FIXED.name}mkelp" in text.getvalue() and f"38;5;{FIXED.faint}m4.2.1" in text.getvalue()
