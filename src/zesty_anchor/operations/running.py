"""One run: the only way in which an operation changes something on the machine."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, nullcontext
from functools import partial

import msgspec

from zesty_anchor.changes.bench import Bench
from zesty_anchor.changes.change import Change
from zesty_anchor.changes.kinds import KINDS
from zesty_anchor.changes.question import Question
from zesty_anchor.engine.event_log import EventLog, keep_newest
from zesty_anchor.engine.journal import Entry, Journal
from zesty_anchor.engine.opening import alone, open_journal
from zesty_anchor.engine.outcome import TakenBack, report
from zesty_anchor.engine.questions import PASSWORD, estimate, gather, password_question, settle
from zesty_anchor.engine.run import Runner
from zesty_anchor.engine.twin import run_folder
from zesty_anchor.engine.undo import needs_privilege, recover
from zesty_anchor.files import cache_homes
from zesty_anchor.files.attic import Attic
from zesty_anchor.files.digest import digest_of
from zesty_anchor.files.folders import remove_empty
from zesty_anchor.operations.home import follow_home
from zesty_anchor.operations.left_behind import sweep
from zesty_anchor.operations.person import Person
from zesty_anchor.planning.offers import Offers
from zesty_anchor.planning.workstation import Workstation
from zesty_anchor.system.host import user_name
from zesty_anchor.system.mounts import check_kept
from zesty_anchor.system.privilege import NO_ACCESS, Access, Hands, access, authenticate
from zesty_anchor.system.problem import Problem


class Granted(msgspec.Struct, frozen=True):
    """What the person gave before the work began: the hands that have privilege (or none), and answers to
    secret questions by their kind.
    """

    hands: Hands
    secrets: Mapping[str, str] = {}


def ask(
    person: Person,
    workstation: Workstation,
    given: Access,
    questions: Sequence[Question],
    changes: Sequence[Change] = (),
) -> Granted:
    """Ask everything that there is to ask, the password last, unless the person has given it. ``given`` is
    the way to privilege, found but not used yet.

    Raises ``Problem`` where an answer is missing, or is no.
    """
    asked = list(questions)
    if given.password and password_question(given) not in asked:
        asked.append(password_question(given))
    known = person.password() if person.password is not None else None
    open_ones = [each for each in asked if known is None or each.kind != PASSWORD]
    secrets = settle(open_ones, person.asker, yes=person.yes)
    granted = given if person.rehearses else authenticate(given, user_name(), workstation.environ, known)
    ahead = estimate(changes)
    if asked and ahead.steps:
        person.reporter.unattended(ahead.steps, ahead.size, ahead.unknown)
    return Granted(Hands(granted, person.reporter.said), secrets)


def ask_to_take_back(person: Person, workstation: Workstation, entries: Sequence[Entry]) -> Granted:
    """Ask for the password, where taking these changes back needs privilege."""
    needed = needs_privilege(KINDS, entries)
    given = access(workstation.environ, person.hand) if needed else NO_ACCESS
    return ask(person, workstation, given, gather((), given))


def bench_of(
    run: int,
    journal: Journal,
    person: Person,
    workstation: Workstation,
    granted: Granted,
    offers: Offers | None = None,
) -> Bench:
    """What the changes of a run work with; its folders in the attic and for logs are made."""
    attic = run_folder(workstation.locations.attic, run)
    log = workstation.locations.state / "logs" / attic.name
    for folder in (attic, log):
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    hands, home = granted.hands, journal.home()
    offers = offers or Offers(workstation)
    return Bench(
        locations=workstation.locations,
        environ=workstation.environ,
        attic=Attic(attic, partial(journal.keep, run)),
        open_body=offers.open_body,
        registry=offers.registry,
        run_privileged=hands.run if hands.access.way and not person.rehearses else lambda command, hear: 1,
        log=log,
        told=person.reporter.told,
        moved=person.reporter.moved,
        offline=workstation.offline,
        secrets=granted.secrets,
        other_homes=home.copied_from if home is not None else (),
        journal=home.journal if home is not None and run > home.plain_runs else "",
    )


@contextmanager
def journal_alone(
    person: Person, workstation: Workstation, granted: Granted | None = None
) -> Iterator[Journal]:
    """The journal, while no other run of this home is under way. What a run left behind that was killed is
    cleared.

    Raises ``Problem`` where another one is under way, or the journal cannot be used.
    """
    locations = workstation.locations
    check_kept(locations.data)
    with alone(locations.state):
        journal = open_journal(locations, KINDS)
        try:
            journal.to_report = (
                *([journal.remade] if journal.remade else []),
                *follow_home(journal, locations),
            )
            for each in journal.to_report:
                person.reporter.said(each)
            sweep(workstation.locations)
            if granted is None:
                yield journal
            else:
                with nullcontext() if person.rehearses else granted.hands.kept_alive():
                    yield journal
        finally:
            journal.close()


def follow_first(workstation: Workstation, person: Person) -> tuple[str, ...]:
    """Before anything is planned: follow a home that was moved or copied. Returns what a person should
    know.
    """
    with journal_alone(person, workstation) as journal:
        return journal.to_report


@contextmanager
def one_run(
    journal: Journal,
    person: Person,
    workstation: Workstation,
    granted: Granted,
    offers: Offers | None = None,
) -> Iterator[Runner]:
    """Open a run in the journal, and close it afterwards. What it does not need of the attic and the logs
    goes again.
    """
    run = journal.begin_run(workstation.file, digest_of(workstation.text.encode("utf-8", "surrogateescape")))
    bench = bench_of(run, journal, person, workstation, granted, offers)
    keep_newest(bench.log.parent)
    cache_homes.note(workstation.locations)
    try:
        log = EventLog(bench.log, person.reporter)
        yield Runner(KINDS, journal, bench, log, run, person.jobs, simulates=person.rehearses)
    finally:
        journal.end_run(run)
        remove_empty(map(str, (bench.attic.folder, bench.log)))


def recovered(journal: Journal, person: Person, workstation: Workstation, granted: Granted) -> TakenBack:
    """Take back what an earlier run was cut off in, and tell it."""
    taken = recover(
        KINDS,
        journal,
        workstation.locations,
        lambda run: bench_of(run, journal, person, workstation, granted),
    )
    for change in taken.changes:
        did = "undid" if change.outcome == "undone" else "could not undo"
        person.reporter.said(f"an earlier run was interrupted: {did} {change.action} {change.subject}")
    return msgspec.structs.replace(taken, notices=(*journal.to_report, *taken.notices))


def carry_out_alone(person: Person, workstation: Workstation, changes: Sequence[Change]) -> TakenBack:
    """Carry out changes that a person asked for by name, in one run of their own. They need no privilege.

    Raises the ``Problem`` of the first that failed.
    """
    granted = Granted(Hands(NO_ACCESS, person.reporter.said))
    with (
        journal_alone(person, workstation) as journal,
        one_run(journal, person, workstation, granted) as runner,
    ):
        done = runner.stage(changes)
    for each in done:
        if each.outcome != "done":
            raise Problem(each.problem, where=each.where, advice=each.advice)
    return TakenBack(tuple(report(change, "undone") for change in changes))
