"""Lines that hold what SECURITY.md says, each with a change that breaks it, and what must fail then."""

from __future__ import annotations

from typing import NamedTuple


class Mutant(NamedTuple):
    """``old`` stands once in ``file`` (below the package) and becomes ``new``; one of ``tests`` must then fail.
    ``holds`` is the statement of SECURITY.md, or of docs/how-it-works.md, that the line is for.
    """

    holds: str
    file: str
    old: str
    new: str
    tests: str


HALF = "a startup file is never half written"
MEANWHILE = "an edit that you save meanwhile is not overwritten"
ATTIC = "the attic and the journal are on disk before a file is changed"
COPY = "a copy in the attic is what was put there"
MOVE = "a move between file systems is whole, or not done"
ARCHIVE = "an archive gets files in the version's folder alone"
DIGEST = "a download is what the feed or the lock promised"
HANDS = "nothing is believed that others may write"
AGREED = "you agree to all that decides what runs here"
WANTED = "a pre-release is taken only when it is named"
JOURNAL = "an upgrade of the journal is complete, or not done"
SHOWN = "control characters are visible, and credentials never shown"
ROOT = "a privileged process believes only what root alone can change"
HOME = "nothing of another home is changed"
BUILT = "a kept build is taken only where its digest is the noted one"
OFFERED = "a feed names versions and digests of one grammar"
OWN_LINES = "only our own part of a file is taken out"
ATTIC_NAMES = "names in the attic are never used twice"
PINNED = "a project's pins choose among versions, and no more"
PROJECT = "a project sets variables only once you agreed to them"
STILL_USED = "an old install that a prompt or a start still runs is not removed"

MUTANTS = (
    Mutant(
        HALF,
        "files/replace.py",
        "            beside.replace(target)\n    finally",
        "            target.write_bytes(content)\n    finally",
        "files",
    ),
    Mutant(
        HALF,
        "files/replace.py",
        "            if lasting:\n                os.fsync(out.fileno())",
        "            if not lasting:\n                os.fsync(out.fileno())",
        "files",
    ),
    Mutant(
        HALF,
        "files/replace.py",
        "    if lasting:\n        flush_folder(target.parent)",
        "    if not lasting:\n        flush_folder(target.parent)",
        "files",
    ),
    Mutant(
        HALF,
        "files/replace.py",
        "    target = Path(os.path.realpath(target))\n    try",
        "    target = Path(target)\n    try",
        "files",
    ),
    Mutant(
        HALF, "files/replace.py", "os.fchmod(out.fileno(), mode)", "os.fchmod(out.fileno(), 0o644)", "files"
    ),
    Mutant(
        HALF,
        "files/replace.py",
        "mode = stat.S_IMODE(before.st_mode) if before else 0o644",
        "mode = 0o644",
        "files",
    ),
    Mutant(
        HALF,
        "files/replace.py",
        "            os.fchown(out.fileno(), before.st_uid, before.st_gid)",
        "            pass",
        "files",
    ),
    Mutant(MEANWHILE, "files/replace.py", "content_of(target) != instead_of", "False", "files"),
    Mutant(
        MEANWHILE,
        "files/replace.py",
        "            if instead_of is None:\n",
        "            if False:\n",
        "files",
    ),
    Mutant(
        MEANWHILE,
        "files/replace.py",
        "        os.link(beside, target)\n",
        "        beside.replace(target)\n",
        "files",
    ),
    Mutant(
        MEANWHILE,
        "files/replace.py",
        "        if os.path.lexists(target):\n            raise Changed",
        "        if False:\n            raise Changed",
        "files",
    ),
    Mutant(MEANWHILE, "files/edit.py", "if content_of(target) != self.file.content:", "if False:", "files"),
    Mutant(
        ATTIC,
        "files/attic.py",
        "            os.fsync(out.fileno())\n        flush_folder(self.folder)\n        return str(path)",
        "        return str(path)",
        "files",
    ),
    Mutant(
        ATTIC,
        "files/attic.py",
        "        self.noted(str(path), str(kept))\n        move(path, kept)",
        "        move(path, kept)\n        self.noted(str(path), str(kept))",
        "files",
    ),
    Mutant(
        ATTIC,
        "engine/database.py",
        "PRAGMA synchronous = FULL",
        "PRAGMA synchronous = OFF",
        "engine",
    ),
    Mutant(
        ATTIC_NAMES,
        "files/attic.py",
        "os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600",
        "os.O_WRONLY | os.O_CREAT, 0o600",
        "files",
    ),
    Mutant(ATTIC_NAMES, "files/attic.py", "path.mkdir(mode=0o700)", "path.mkdir(mode=0o755)", "files"),
    Mutant(
        COPY,
        "files/edit.py",
        "if content is None or (digest and digest_of(content) != digest):",
        "if content is None:",
        "files",
    ),
    Mutant(
        COPY,
        "files/edit.py",
        "        return content is not None and digest_of(content) == digest",
        "        return True",
        "files",
    ),
    Mutant(COPY, "files/edit.py", "before_digest=_digest(self.file.content)", 'before_digest=""', "files"),
    Mutant(
        OWN_LINES,
        "files/edit.py",
        "        if start is None or end is None:\n            return None\n",
        "        if start is None or end is None:\n            continue\n",
        "files",
    ),
    Mutant(
        OWN_LINES,
        "files/edit.py",
        "any(place.get(a1 + k) != start + k for k in range(a2 - a1))",
        "False",
        "files",
    ),
    Mutant(
        OWN_LINES,
        "files/edit.py",
        "    for start, end, lines in reversed(edits):",
        "    for start, end, lines in edits:",
        "files",
    ),
    Mutant(MOVE, "files/move.py", "if not same(source, beside):", "if False:", "files"),
    Mutant(MOVE, "files/move.py", "        flush_tree(beside)\n", "", "files"),
    Mutant(
        MOVE,
        "files/move.py",
        "        if error.errno != errno.EXDEV:\n            raise\n",
        "        pass\n",
        "files",
    ),
    Mutant(
        MOVE,
        "files/move.py",
        "            os.link(seen[status.st_dev, status.st_ino], target)",
        "            shutil.copyfile(source, target)",
        "files",
    ),
    Mutant(
        MOVE,
        "files/move.py",
        "            os.lchown(target, status.st_uid, status.st_gid)",
        "            pass",
        "files",
    ),
    Mutant(
        MOVE,
        "files/move.py",
        "if os.path.lexists(target) and not os.path.lexists(source):",
        "if not os.path.lexists(source):",
        "files",
    ),
    Mutant(
        ARCHIVE,
        "shelf/members.py",
        'if name.startswith("/"):\n            raise',
        "if False:\n            raise",
        "shelf/test_members.py",
    ),
    Mutant(ARCHIVE, "shelf/members.py", 'if ".." in parts:', "if False:", "shelf/test_members.py"),
    Mutant(
        ARCHIVE,
        "shelf/members.py",
        'if any("/".join(parts[:end]) in self._links for end in range(1, len(parts))):',
        "if False:",
        "shelf/test_members.py",
    ),
    Mutant(
        ARCHIVE,
        "shelf/members.py",
        "if mode & (stat.S_ISUID | stat.S_ISGID):",
        "if mode & stat.S_ISUID:",
        "shelf/test_members.py",
    ),
    Mutant(
        ARCHIVE,
        "shelf/members.py",
        'if self.within and (led == ".." or led.startswith("../")):',
        "if False:",
        "shelf/test_members.py",
    ),
    Mutant(
        ARCHIVE,
        "shelf/members.py",
        "                if len(done) <= within:",
        "                if len(done) < 0:",
        "shelf/test_members.py",
    ),
    Mutant(
        ARCHIVE,
        "shelf/members.py",
        "if self._count > MOST_MEMBERS:",
        "if False:",
        "shelf/test_members.py",
    ),
    Mutant(
        ARCHIVE,
        "shelf/members.py",
        "return 0o755 if mode & 0o111 else 0o644",
        "return mode",
        "shelf/test_members.py",
    ),
    Mutant(
        DIGEST,
        "shelf/download.py",
        "if digest and _digest_of(kept, digest) == digest:",
        "if digest:",
        "shelf/test_obtain.py",
    ),
    Mutant(
        DIGEST,
        "shelf/download.py",
        "    if found == digest:\n        return\n",
        "    return\n",
        "shelf/test_obtain.py",
    ),
    Mutant(DIGEST, "shelf/download.py", "if done > allowed:", "if False:", "shelf/test_obtain.py"),
    Mutant(
        DIGEST,
        "planning/resolve.py",
        "version=locked.version, url=file.url, digest=file.digest,",
        'version=locked.version, url=file.url, digest="",',
        "planning",
    ),
    Mutant(
        DIGEST,
        "planning/resolve.py",
        '            if left_out:\n                raise UsageProblem(\n                    f"the lock is refused',
        '            if False:\n                raise UsageProblem(\n                    f"the lock is refused',
        "planning",
    ),
    Mutant(
        DIGEST,
        "planning/resolve.py",
        "        elif locked:\n            release = self._locked_release(locked, machine)\n",
        "        elif False:\n            pass\n",
        "planning",
    ),
    Mutant(
        DIGEST,
        "planning/resolve.py",
        "if manager.reviewed is not None and manager.reviewed != digest:",
        "if False:",
        "planning",
    ),
    Mutant(
        BUILT,
        "shelf/kept_builds.py",
        'if hashlib.file_digest(source, "sha256").hexdigest() != note.sha256:',
        "if False:",
        "shelf",
    ),
    Mutant(
        OFFERED,
        "feeds/admitted.py",
        "or not _NAME.match(release.version):",
        "or False:",
        "hostile/test_feeds.py",
    ),
    Mutant(
        OFFERED,
        "feeds/admitted.py",
        "not _DIGEST.match(each.digest)):",
        "False):",
        "hostile/test_feeds.py",
    ),
    Mutant(
        HANDS,
        "system/ownership.py",
        "        if state.st_uid not in trusted:\n",
        "        if False:\n",
        "system/test_ownership.py",
    ),
    Mutant(
        HANDS,
        "system/ownership.py",
        "if open_to and not (sticky and below is not None):",
        "if False:",
        "system/test_ownership.py",
    ),
    Mutant(
        HANDS,
        "system/ownership.py",
        "    if state.st_mode & stat.S_IWOTH:",
        "    if False:",
        "system/test_ownership.py",
    ),
    Mutant(
        HANDS,
        "system/ownership.py",
        "    if state.st_uid != os.geteuid():\n        raise",
        "    if False:\n        raise",
        "system/test_ownership.py",
    ),
    Mutant(AGREED, "planning/agreement.py", 'found["lock"] =', 'found["locked"] = ""; _ =', "planning"),
    Mutant(
        AGREED,
        "planning/agreement.py",
        "    if not parts or parts in known:",
        "    if not parts or known:",
        "planning",
    ),
    Mutant(
        AGREED,
        "planning/agreement.py",
        "        not layer.address and not layer.file.is_symlink() and",
        "        not layer.address and",
        "planning",
    ),
    Mutant(
        AGREED,
        "planning/agreement.py",
        "        not layer.address and not layer.file.is_symlink() and",
        "        not layer.file.is_symlink() and",
        "planning",
    ),
    Mutant(
        AGREED,
        "planning/agreement.py",
        "        for layer in workstation.source.layers\n    )",
        "        for layer in workstation.source.layers[-1:]\n    )",
        "planning",
    ),
    Mutant(
        HANDS,
        "planning/agreement.py",
        "layers = [layer.file for layer in workstation.source.layers if not layer.address]",
        "layers = [workstation.file]",
        "planning",
    ),
    Mutant(DIGEST, "planning/base.py", "        if found == digest:", "        if True:", "planning"),
    Mutant(AGREED, "planning/agreement.py", "        and tool.system is None\n", "", "planning"),
    Mutant(
        AGREED,
        "planning/agreement.py",
        "return known if known.format == _FORMAT else _Agreed()",
        "return known",
        "planning",
    ),
    Mutant(
        AGREED,
        "planning/agreement.py",
        "os.path.realpath(trusted) == os.path.realpath(file):",
        "True:",
        "planning",
    ),
    Mutant(
        WANTED,
        "manifest/want.py",
        'return "lts" in channels and not version.is_prerelease',
        'return "lts" in channels',
        "manifest",
    ),
    Mutant(
        WANTED,
        "manifest/want.py",
        '            return not version.is_prerelease\n        if self.kind == "lts"',
        '            return True\n        if self.kind == "lts"',
        "manifest",
    ),
    Mutant(
        WANTED,
        "manifest/want.py",
        "(self.line.is_prerelease or not version.is_prerelease)",
        "True",
        "manifest",
    ),
    Mutant(
        WANTED,
        "manifest/want.py",
        "            return (named or not version.is_prerelease) and all(",
        "            return all(",
        "manifest",
    ),
    Mutant(WANTED, "manifest/want.py", "return max(admitted,", "return min(admitted,", "manifest"),
    Mutant(
        PINNED,
        "planning/choices.py",
        "        file.is_symlink()\n        and real.name",
        "        False\n        and real.name",
        "planning",
    ),
    Mutant(
        PINNED,
        "planning/choices.py",
        "if not each.pin.wrong and not in_other_hands(each.file)",
        "if not each.pin.wrong",
        "planning",
    ),
    Mutant(
        PINNED,
        "planning/choices.py",
        "            if name in words:\n",
        "            if False:\n",
        "planning",
    ),
    Mutant(
        PINNED,
        "planning/choices.py",
        "        if file == self._manifest:\n            return []\n",
        "",
        "planning",
    ),
    Mutant(
        PROJECT,
        "planning/project_variables.py",
        "    return not sets.hands and sets.parts in agreed_texts(sets.file, locations)",
        "    return not sets.hands",
        "planning",
    ),
    Mutant(
        PROJECT,
        "planning/project_variables.py",
        "    return not sets.hands and sets.parts in",
        "    return sets.parts in",
        "planning",
    ),
    Mutant(PROJECT, "manifest/project.py", "    if name.startswith(_RULES):", "    if False:", "manifest"),
    Mutant(
        PROJECT,
        "manifest/project.py",
        "    if why := why_reserved(name)[0]:",
        "    if why := '':",
        "manifest",
    ),
    Mutant(
        STILL_USED,
        "survey/startup/trial.py",
        "            told += [\n",
        "            _ = [\n",
        "survey/test_still_used.py",
    ),
    Mutant(
        STILL_USED,
        "survey/startup/cutting.py",
        "        going = tuple(folder for folder in going if folder not in loud)\n",
        "        break\n",
        "survey/test_still_used.py",
    ),
    Mutant(PINNED, "manifest/pin.py", "        if self.wrong:\n            return False\n", "", "manifest"),
    Mutant(JOURNAL, "engine/database.py", '        self._base.execute("BEGIN IMMEDIATE")\n', "", "engine"),
    Mutant(
        JOURNAL,
        "engine/database.py",
        "            if self._version() > _VERSION:",
        "            if False:",
        "engine",
    ),
    Mutant(
        JOURNAL,
        "engine/database.py",
        "                    self._make_relative()\n",
        "                    pass\n",
        "engine",
    ),
    Mutant(
        JOURNAL,
        "engine/undo.py",
        '        journal.noted(entry.run, entry.change, record, "begun")\n    try',
        "        pass\n    try",
        "engine operations",
    ),
    Mutant(
        JOURNAL,
        "engine/undo.py",
        "        if str(path) not in things and not any(Path(thing).is_relative_to(path) for thing in things):",
        "        if True:",
        "engine operations",
    ),
    Mutant(
        SHOWN,
        "system/visible.py",
        "re.sub(_OBEYED, _escape, text)",
        "text",
        "hostile/test_shown.py",
    ),
    Mutant(
        SHOWN,
        "system/credentials.py",
        're.sub(_SECRET, r"\\1…", ',
        "str(",
        "hostile/test_shown.py",
    ),
    Mutant(
        ROOT,
        "system/root_store.py",
        "                state.st_uid != 0\n                or",
        "                False\n                or",
        "hostile/test_privilege.py",
    ),
    Mutant(
        ROOT,
        "system/root_store.py",
        "or state.st_mode & (stat.S_IWGRP | stat.S_IWOTH)",
        "or False",
        "hostile/test_privilege.py",
    ),
    Mutant(
        ROOT,
        "system/root_store.py",
        "if not re.match(_RUN, run):",
        "if False:",
        "hostile/test_privilege.py",
    ),
    Mutant(ROOT, "system/trusted.py", "state.st_uid != 0 or (", "(", "system/test_crontab.py"),
    Mutant(ROOT, "system/trusted.py", "(stat.S_IWGRP | stat.S_IWOTH) and", "0 and", "system/test_crontab.py"),
    Mutant(
        HOME,
        "system/crontab.py",
        "return os.path.realpath(pwd.getpwuid(os.getuid()).pw_dir) ==",
        "return True or os.path.realpath(pwd.getpwuid(os.getuid()).pw_dir) ==",
        "system/test_crontab.py",
    ),
    Mutant(MEANWHILE, "system/root_store.py", '[ -z "${4-}" ] ||', "true ||", "hostile/test_privilege.py"),
    Mutant(
        ROOT,
        "system/privilege.py",
        "        if words is None:\n            hear",
        "        if False:\n            hear",
        "system/test_hands.py",
    ),
)
