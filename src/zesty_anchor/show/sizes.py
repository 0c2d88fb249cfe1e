"""Numbers for a person."""

from __future__ import annotations


def amount(size: int | float) -> str:
    """Bytes with a unit of the SI: 12.3 kB."""
    value = float(size)
    if value == 1:
        return "1 byte"
    for unit in ("bytes", "kB", "MB", "GB"):
        if value < 1000 or unit == "GB":
            return f"{value:.0f} {unit}" if unit == "bytes" or value >= 100 else f"{value:.1f} {unit}"
        value /= 1000
    raise AssertionError


def fetching(size: int, unknown: int) -> str:
    """What is to be fetched: so many bytes, and downloads whose size nobody tells."""
    downloads = count(unknown, "download")
    if not size:
        return f"{downloads} of unknown size" if unknown else "nothing to fetch"
    return f"{amount(size)}{f' and {downloads} of unknown size' if unknown else ''} to fetch"


def lasted(seconds: float) -> str:
    """A time that something took: 3.2 s, 41 s, 4 min 05 s."""
    minutes, rest = divmod(round(seconds), 60)
    if minutes:
        return f"{minutes} min {rest:02} s"
    return f"{seconds:.1f} s" if seconds < 10 else f"{seconds:.0f} s"


def count(number: int, one: str, many: str = "") -> str:
    """A number with its noun: 1 change, 2 changes."""
    return f"{number} {one if number == 1 else many or one + 's'}"


def table(rows: list[list[str]], widths: list[int], gap: str = "  ") -> list[str]:
    """Rows as lines; ``widths`` are the least widths, in columns of the terminal, without styling. The last column is not padded."""
    import click
    from rich.cells import cell_len

    if not rows:
        return []
    plain = [[click.unstyle(cell) for cell in row] for row in rows]
    wide = [max(widths[i] if i < len(widths) else 0, *(cell_len(row[i]) for row in plain)) for i in range(len(rows[0]))]
    lines = []
    for row, bare in zip(rows, plain, strict=True):
        cells = [c + " " * (wide[i] - cell_len(b)) for i, (c, b) in enumerate(zip(row, bare, strict=True))]
        lines.append(gap.join(cells).rstrip())
    return lines
