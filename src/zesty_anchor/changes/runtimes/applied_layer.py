"""Applies to the home what a foreign program wrote in a layer over it."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path
from urllib.parse import quote_from_bytes

from zesty_anchor.changes.runtimes.foreign_record import Work, content_at, touched
from zesty_anchor.changes.runtimes.home_layer import Written, place, take, written
from zesty_anchor.changes.runtimes.last_look import own_in
from zesty_anchor.files.edit import lines_of, taken_out
from zesty_anchor.files.inventory import Inventory
from zesty_anchor.files.removal import discard, discard_any
from zesty_anchor.files.replace import replace
from zesty_anchor.shells.reading import MARK
from zesty_anchor.survey.home_watch import Seen
from zesty_anchor.survey.startup.caught import Edited


class AppliedLayer:
    """The layer of a program's ``work``, in the folder ``upper``. ``before`` is what the home held before the
    program began.

    What will be done is recorded before it is done, so that a run that is cut off in between can be undone.
    """

    def __init__(self, work: Work, upper: Path, before: Seen) -> None:
        self._work = work
        self._languages = {os.path.realpath(path): each for path, each in work.languages.items()} | dict(
            work.languages
        )
        self._upper = upper
        self._home = work.bench.locations.home
        self._before = before

    def apply(self) -> list[Edited]:
        """Apply all of it but edits of startup files, and return those."""
        record, bench = self._work.record, self._work.bench
        assert record.seen is not None
        seen = Path(record.seen)
        found = self._found()
        edited = [self._edited(path) for path in (*found.new, *found.changed) if str(path) in self._languages]
        new = [path for path in found.new if str(path) not in self._languages]
        changed = [path for path in found.changed if str(path) not in self._languages]
        beside = [path for path in new if not self._is_own(path)]
        merged = {path: self._merged(path) for path in changed if not self._is_own(path)}
        record.came = [quote_from_bytes(os.fsencode(path)) for path in beside]
        record.made_own = self._made(new)
        edits = {path: edit for path, edit in merged.items() if edit is not None}
        record.touched = [
            touched(str(path), now, after, path.stat().st_mode & 0o7777, bench)
            for path, (now, after) in edits.items()
        ]
        record.seen = None
        bench.noted()
        for path in new:
            self._put(path)
        for path in (each for each in changed if self._is_own(each)):
            discard_any(path)
            take(self._upper, self._home, path)
        for path, (now, after) in edits.items():
            replace(path, after, instead_of=now)
        for path in found.removed:
            if self._is_own(path):
                discard_any(path)
            elif str(path) not in self._languages:
                bench.remark(
                    f"{self._work.name} tried to remove {bench.locations.shown(path)}, which is not its own:"
                    " kept"
                )
        discard(seen.parent)
        return edited

    def _edited(self, path: Path) -> Edited:
        """A startup file as the program found it, and as it left it. What others wrote before it opened the
        file came with that; our own line is never the program's.
        """
        was = self._before.contents.get(os.fsencode(path), (b"", 0))[0] or b""
        now, after = content_at(path) or b"", content_at(place(self._upper, self._home, path)) or b""
        since = set(lines_of(now)) - set(lines_of(was))
        found = now if since <= set(lines_of(after)) else was
        ours = MARK.encode()
        rows = [row for row in lines_of(after) if ours not in row]
        return (
            self._languages[str(path)],
            b"".join(r for r in lines_of(found) if ours not in r),
            b"".join(rows),
        )

    def _found(self) -> Written:
        ours = self._work.bench.locations
        apart = ours.data, ours.state, ours.cache, ours.config
        split = (*self._work.own, *map(Path, self._languages))
        found = [written(self._upper, self._home, apart, split)]
        for each in self._work.own:  # a manager may keep what it installs in a folder of ours
            inner = place(self._upper, self._home, each)
            if any(each.is_relative_to(folder) for folder in apart) and os.path.lexists(inner):
                found.append(written(inner, each) if each.is_dir() else Written((each,), (), ()))
        return Written(
            *(
                tuple(path for one in found for path in getattr(one, which))
                for which in ("new", "changed", "removed")
            )
        )

    def _is_own(self, path: Path) -> bool:
        return any(path.is_relative_to(each) for each in self._work.own)

    def _made(self, new: Iterable[Path]) -> Inventory:
        made: Inventory = {}
        for path in new:
            inner = place(self._upper, self._home, path)
            for name, item in own_in([inner], digests=True).items():
                made[f"{path}{name[len(str(inner)) :]}"] = item
        return {name: item for name, item in made.items() if item.kind != "other"}

    def _put(self, path: Path) -> None:
        """Move a new entry to its place. Where something was made there meanwhile, that stays, and the new
        entry goes to the attic.
        """
        bench = self._work.bench
        if not os.path.lexists(path):
            take(self._upper, self._home, path)
            return
        kept = bench.attic.place(path.name)
        take(self._upper, self._home, path, kept)
        bench.attic.noted(str(path), str(kept))
        bench.remark(
            f"{bench.locations.shown(path)} was created meanwhile: what {self._work.name} wrote is kept in"
            f" {kept}"
        )

    def _merged(self, path: Path) -> tuple[bytes, bytes] | None:
        """Return what a file of the person's holds now and what it gets: the program's edit, merged with what
        others wrote meanwhile. None where the file is left as it is, which is reported.
        """
        shown, layer = self._work.bench.locations.shown(path), place(self._upper, self._home, path)
        now, after = content_at(path), content_at(layer)
        was = self._before.contents.get(os.fsencode(path), (now, 0))[0]
        if path.is_symlink() or layer.is_symlink() or now is None or after is None or was is None:
            self._work.bench.remark(
                f"{shown} cannot be merged with what {self._work.name} wrote: left as it is"
            )
            return None
        if now == was:
            return now, after
        rows = taken_out(
            *(lines_of(each) for each in (after, was, now))
        )  # its edit, reversed and then removed
        if rows is None:
            kept = self._work.bench.attic.copy(path, after)
            self._work.bench.remark(
                f"{shown} was changed in the same lines meanwhile, and is left as it is: what"
                f" {self._work.name} wrote is kept in {kept}"
            )
            return None
        return now, b"".join(rows)
