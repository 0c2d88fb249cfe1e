"""The change that sets keys in a file of an editor, a terminal or the like."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import Any, ClassVar

from zesty_anchor.changes.base import FileChange, FileKind
from zesty_anchor.changes.change import Stage
from zesty_anchor.changes.heading import Heading
from zesty_anchor.files.edit import Edit
from zesty_anchor.files.keyed import form_of, with_key
from zesty_anchor.manifest.model import Setting
from zesty_anchor.manifest.wanted import Wanted, expand, refer
from zesty_anchor.survey.machine import Machine
from zesty_anchor.system.problem import Problem, UsageProblem


class SetKeys(FileChange, frozen=True):
    """Edit one file so that its keys hold what is wanted."""

    kind: ClassVar[str] = "setting"
    stage: ClassVar[Stage] = Stage.SHELL
    touches: ClassVar[frozenset[str]] = frozenset({"settings"})


class Settings(FileKind):
    """The kind."""

    name = "setting"
    heading = Heading.SETTINGS
    when_changed = "a key in it was changed"

    def plan(self, wanted: Wanted, machine: Machine) -> Iterable[SetKeys]:
        """One edit for each file. Raises ``Problem`` where a file is not what its name says, or is
        read-only.
        """
        links = {f"{v.runtime}.stable": str(machine.locations.stable / v.runtime) for v in wanted.defaults}
        places = {**links, **{v.runtime: str(v.folder) for v in wanted.defaults}}
        files: dict[Path, list[Setting]] = {}
        for setting in wanted.settings:
            files.setdefault(Path(expand(setting.file, machine.locations.home)), []).append(setting)
        for path, settings in files.items():
            file = machine.settings[path]
            after = file.content
            for setting in settings:
                after = _with(after, path, setting, places)
            if after != file.content:
                edit = Edit(file, after)
                edit.check_writable()
                yield SetKeys(edit, machine.locations.shown(path))


def _with(content: bytes | None, path: Path, setting: Setting, places: dict[str, str]) -> bytes:
    form = setting.form or form_of(path.name)
    if not form:
        raise UsageProblem(
            f"{path.name} tells nothing of how it is written",
            where="[[settings]] in the manifest",
            advice='add form = "json", "toml" or "ini"',
        )
    key = (setting.key,) if isinstance(setting.key, str) else setting.key
    try:
        return with_key(content, form, key, _referred(setting.value, places))
    except (ValueError, UnicodeDecodeError) as error:
        raise Problem(
            f"{path} cannot be given the key {'.'.join(key)}: {error}",
            advice="fix that file; nothing was changed",
        ) from None


def _referred(value: Any, places: dict[str, str]) -> Any:
    if isinstance(value, str):
        return refer(value, places)
    if isinstance(value, list):
        return [_referred(each, places) for each in value]
    if isinstance(value, dict):
        return {name: _referred(each, places) for name, each in value.items()}
    return value
