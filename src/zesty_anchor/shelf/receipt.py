"""The slip in each version's folder that says what it is and where it came from."""

import fnmatch
import os
import re
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import TypeVar

import msgspec

from zesty_anchor.files.inventory import MISSING, Difference, Inventory, differences, take
from zesty_anchor.files.removal import discard_any
from zesty_anchor.files.replace import replace
from zesty_anchor.system.problem import Problem

FILE_NAME = ".zesty-anchor.json"
EXTRAS_NAME = ".zesty-anchor-extras.json"
FILES_NAME = ".zesty-anchor-files.json"
CHOICES_NAME = ".zesty-anchor-choices.json"


SLIPS = frozenset({FILE_NAME, EXTRAS_NAME, FILES_NAME, CHOICES_NAME})
"""The names of our own slips at the top of a version's folder."""


_MADE_BY_RUNNING = r"(.*/)?__pycache__(/[^/]+\.pyc)?"
"""What a program writes beside itself when it runs, and makes anew."""


def is_made(name: str) -> bool:
    """Whether an entry of a version is none of those that were put there: a slip, or what running it
    makes.
    """
    return name in SLIPS or re.fullmatch(_MADE_BY_RUNNING, name) is not None


FORMAT = 1
"""The format of our slips. Those of programs before 0.2 have no format field, and are read as well."""


class PartReceipt(msgspec.Struct, frozen=True):
    """A further file that was put into a version."""

    name: str
    version: str
    digest: str


class Receipt(msgspec.Struct, frozen=True):
    """What stands in one folder of the shelf. Without a readable receipt a folder is no version.

    ``on`` is the version of another runtime that it runs on, as ``NAME VERSION``. It was installed
    ``through`` a manager, if one is named. A manager that was brought by its own installer has the lines that
    this wrote into startup files, by shell, in ``adopted``; ``home`` is where a manager keeps what it
    installs (None: it is no manager). ``signed_by`` is whose signature held its digest (empty: nobody's),
    ``built`` with which choices it was built (None: it was not, or nobody noted it). ``ends`` is the last day
    of support, as the feed stated it then (YYYY-MM-DD, empty: it did not),
    ``authorities`` the digest of the certificate authorities that were put into it (empty: it has its own).
    """

    runtime: str
    version: str
    feed: str
    url: str
    digest: str
    channels: tuple[str, ...] = ()
    on: str = ""
    through: str = ""
    adopted: dict[str, str] = {}
    home: str | None = None
    parts: tuple[PartReceipt, ...] = ()
    signed_by: str = ""
    built: tuple[str, ...] | None = None
    ends: str = ""
    authorities: str = ""
    format: int = FORMAT


def clear_slips(folder: Path) -> None:
    """Remove what bears the names of our slips: in a tree that came from elsewhere they are no slips of
    ours.
    """
    for name in SLIPS:
        if os.path.lexists(folder / name):
            discard_any(folder / name)


def _put(slip: Path, content: bytes) -> None:
    """Write a slip; never through a link, whoever put one there."""
    if slip.is_symlink():
        slip.unlink()
    replace(slip, content + b"\n", 0o644)


def write(folder: Path, receipt: Receipt) -> None:
    """Put the receipt into a version's folder."""
    _put(folder / FILE_NAME, msgspec.json.encode(receipt))


def read(folder: Path) -> Receipt | None:
    """The receipt of a folder; None where there is none or it cannot be read. Raises ``Problem`` for one of a
    newer program.
    """
    try:
        receipt = msgspec.json.decode((folder / FILE_NAME).read_bytes(), type=Receipt)
    except (OSError, msgspec.MsgspecError):
        return None
    if receipt.format > FORMAT:
        raise Problem(
            f"{receipt.runtime} {receipt.version} was installed by a newer zesty-anchor",
            where=str(folder / FILE_NAME),
            advice="upgrade zesty-anchor on this machine",
        )
    return receipt


def stock(shelf: Path) -> dict[tuple[str, str], Receipt]:
    """Everything on the shelf, by runtime and version."""
    found: dict[tuple[str, str], Receipt] = {}
    if not shelf.is_dir():
        return found
    for runtime in sorted(shelf.iterdir()):
        for folder in sorted(runtime.iterdir()) if runtime.is_dir() else ():
            receipt = read(folder)
            if receipt is not None:
                found[runtime.name, folder.name] = receipt
    return found


class Extra(msgspec.Struct, frozen=True):
    """A command-line package in a version: the version of its own that was asked for (empty: any), and the
    commands that it brought.
    """

    version: str = ""
    commands: tuple[str, ...] = ()


def extras_in(folder: Path) -> dict[str, Extra]:
    """The command-line packages that were put into a version, by what the manifest asked for."""
    found = _slip(folder / EXTRAS_NAME, "extras", dict[str, Extra])
    if found is not None:
        return found
    names = _slip(folder / EXTRAS_NAME, "extras", list[str])  # the first programs noted the names alone
    return {name: Extra() for name in names or ()}


_Held = TypeVar("_Held")


def _slip(file: Path, key: str, kind: type[_Held]) -> _Held | None:
    """What a slip holds; None where there is none, or it cannot be read. A slip of a program before 0.2 is
    the content alone.
    """
    try:
        content = file.read_bytes()
        parts = msgspec.json.decode(content, type=dict[str, msgspec.Raw] | list[msgspec.Raw])
        newer = (
            isinstance(parts, dict) and parts.keys() == {"format", key} and bytes(parts["format"]).isdigit()
        )
        if isinstance(parts, dict) and newer:
            return (
                msgspec.json.decode(parts[key], type=kind) if int(bytes(parts["format"])) <= FORMAT else None
            )
        return msgspec.json.decode(content, type=kind)
    except (OSError, msgspec.MsgspecError):
        return None


def note_extras(folder: Path, extras: Mapping[str, Extra]) -> None:
    """Write down the command-line packages that are in a version."""
    if extras:
        _put(
            folder / EXTRAS_NAME,
            msgspec.json.encode({"format": FORMAT, "extras": dict(sorted(extras.items()))}),
        )
    else:
        (folder / EXTRAS_NAME).unlink(missing_ok=True)


def files_in(folder: Path) -> Inventory | None:
    """What was put into a version, as its list tells; None where there is none, or it cannot be read."""
    found = _slip(folder / FILES_NAME, "files", Inventory)
    return found if found is not None or os.path.lexists(folder / FILES_NAME) else _of_older(folder)


_WITHIN_NS = 5_000_000_000


def _of_older(folder: Path) -> Inventory | None:
    """What was put into a version by a program that kept no list (before 0.1 ended): what has not changed
    since its receipt was written.

    It goes by the time of a change of status, which nobody can set (inode(7), "ctime"). None for a version
    whose list is lost.
    """
    try:
        slip = folder / FILE_NAME
        if b'"format"' in slip.read_bytes():
            return None
        until = slip.lstat().st_ctime_ns + _WITHIN_NS
        found = take(folder, without=SLIPS, digests=False)
        return {name: item for name, item in found.items() if os.lstat(folder / name).st_ctime_ns <= until}
    except OSError:
        return None


def damage_in(
    folder: Path, receipt: Receipt, keep: Iterable[str] = (), *, deep: bool = False
) -> list[Difference]:
    """What of a version is not as it was put there; what fits a pattern of ``keep`` is the person's own. One
    that came through a manager is the manager's.
    """
    if receipt.through or folder.is_symlink():
        return []
    files = files_in(folder)
    if files is None:
        return [Difference(FILES_NAME, "is missing, or cannot be read")]
    patterns = tuple(keep)

    def passed(name: str) -> bool:
        return is_made(name) or any(fnmatch.fnmatchcase(name, each) for each in patterns)

    found = differences(folder, files, passed=passed, deep=deep)
    # A manager writes into its own folder.
    return found if receipt.home is None else [each for each in found if each.what == MISSING]


def lacking(
    folder: Path, bins: Sequence[str], commands: Iterable[str], function: str | None
) -> list[Difference]:
    """The commands that a manager should give and does not, and the file of its ``function``, for one that
    has no list of its files.
    """
    absent = [c for c in commands if not any(os.access(folder / part / c, os.X_OK) for part in bins)]
    files = [os.path.normpath(f"{bins[0]}/{command}") for command in absent]
    files += [function] if function is not None and not (folder / function).is_file() else []
    return [Difference(file, MISSING) for file in files]


def note_files(folder: Path, before: Inventory | None = None, added: Inventory | None = None) -> None:
    """Write down what was put into a version: all that is in it, or, where it has a list, ``before`` with
    what was ``added``.
    """
    put_files(folder, take(folder, without=SLIPS) if before is None else {**before, **(added or {})})


def put_files(folder: Path, files: Inventory) -> None:
    """Write down what was put into a version."""
    _put(folder / FILES_NAME, msgspec.json.encode({"format": FORMAT, "files": files}))


def choices_in(manager: Path) -> dict[str, str]:
    """The version that a manager was told to have by default, by runtime."""
    return _slip(manager / CHOICES_NAME, "choices", dict[str, str]) or {}


def note_choices(manager: Path, choices: dict[str, str]) -> None:
    """Write down what a manager was told."""
    if choices:
        _put(manager / CHOICES_NAME, msgspec.json.encode({"format": FORMAT, "choices": choices}))
    else:
        (manager / CHOICES_NAME).unlink(missing_ok=True)
