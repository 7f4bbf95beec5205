"""Judges how an installation is: what is well, what wants a look, and what stands still."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

GIGABYTE = 1_000_000_000
LEAST_FREE, LITTLE_FREE = 500_000_000, 5 * GIGABYTE
WORKER_SEEN_S = 60.0
LONG_WAIT_S, VERY_LONG_WAIT_S = 300.0, 3_600.0
BACKUP_OLD_S = 2 * 86_400.0
CLOCK_BEHIND_S = 60.0
FEW_DAYS, VERY_FEW_DAYS = 21.0, 3.0


class HealthState(StrEnum):
    """How one part is."""

    WELL = "well"
    LOOK = "wants a look"
    STOPPED = "stands still"


@dataclass(frozen=True)
class HealthLine:
    """One part of the installation: how it is in words, and what to do when it is not well."""

    part: str
    state: HealthState
    words: str
    fix: str = ""


@dataclass(frozen=True)
class MailFacts:
    """The mail server: where it is, how long ago it was last used (None: never), and what it
    answered."""

    host: str
    tried_s: float | None
    works: bool
    answer: str


@dataclass(frozen=True)
class CertificateFacts:
    """The certificate of an address that is called: for how many days it is still good, or what
    kept it from being seen."""

    address: str
    days: float | None
    trouble: str = ""


@dataclass(frozen=True)
class HealthFacts:
    """What was measured; ages are seconds, and None where there is nothing to measure."""

    version: str
    python: str
    database: str
    database_bytes: int
    schema: str
    disk_free: int
    disk_total: int
    workers: int
    worker_seen_s: float | None
    waiting: int
    oldest_wait_s: float | None
    in_trouble: tuple[str, ...]
    backup_s: float | None
    clock: str = ""
    clock_behind_s: float = 0.0
    mail: "MailFacts | None" = None
    certificates: tuple["CertificateFacts", ...] = ()


def judge(facts: HealthFacts) -> list[HealthLine]:
    """Returns a line for every part."""
    return [
        HealthLine("Version", HealthState.WELL, f"Relvan {facts.version}, Python {facts.python}"),
        _database(facts),
        _disk(facts.disk_free, facts.disk_total),
        _worker(facts.workers, facts.worker_seen_s),
        _queue(facts.waiting, facts.oldest_wait_s),
        _channels(facts.in_trouble),
        _backup(facts.backup_s),
        _clock(facts.clock, facts.clock_behind_s),
        _mail(facts.mail),
        _certificates(facts.certificates),
    ]


def is_well(lines: Sequence[HealthLine]) -> bool:
    """Says whether nothing stands still."""
    return all(line.state != HealthState.STOPPED for line in lines)


def written_size(size: int) -> str:
    """Returns a number of bytes in words.

    >>> written_size(45_600), written_size(1_230_000), written_size(45_600_000_000)
    ('46 kB', '1.2 MB', '45.6 GB')
    """
    if size < 1_000_000:
        return f"{size / 1_000:.0f} kB"
    if size < GIGABYTE:
        return f"{size / 1_000_000:.1f} MB"
    return f"{size / GIGABYTE:.1f} GB"


def written_age(seconds: float) -> str:
    """Returns an age in words.

    >>> written_age(1), written_age(42), written_age(7_300)
    ('1 second', '42 seconds', '2 hours')
    """
    for unit, length in (("days", 86_400), ("hours", 3_600), ("minutes", 60)):
        if seconds >= 2 * length:
            return f"{int(seconds // length)} {unit}"
    return "1 second" if int(seconds) == 1 else f"{int(seconds)} seconds"


def _database(facts: HealthFacts) -> HealthLine:
    words = f"{facts.database}, {written_size(facts.database_bytes)}"
    if facts.schema == "present":
        return HealthLine("Database", HealthState.WELL, words)
    words = f"{words}; its tables are of a version that is {facts.schema}"
    fix = "Stop Relvan and start it by `relvan run`, which brings it up to date."
    return HealthLine("Database", HealthState.STOPPED, words, fix)


def _disk(free: int, total: int) -> HealthLine:
    words = f"{written_size(free)} free of {written_size(total)}"
    if free < LEAST_FREE:
        fix = "Make room now: with a full disk no order can be taken."
        return HealthLine("Disk", HealthState.STOPPED, words, fix)
    if free < LITTLE_FREE:
        return HealthLine("Disk", HealthState.LOOK, words, "Make room before it is full.")
    return HealthLine("Disk", HealthState.WELL, words)


def _worker(workers: int, seen_s: float | None) -> HealthLine:
    fix = "Start it: `relvan run`, or `relvan worker` where the parts run apart."
    if seen_s is None:
        words = "no worker was seen, so nothing is sent and no order is read"
        return HealthLine("Worker", HealthState.STOPPED, words, fix)
    words = f"{workers} seen, the last {written_age(seen_s)} ago"
    state = HealthState.WELL if seen_s < WORKER_SEEN_S else HealthState.STOPPED
    return HealthLine("Worker", state, words, "" if state == HealthState.WELL else fix)


def _queue(waiting: int, oldest_s: float | None) -> HealthLine:
    if not waiting or oldest_s is None:
        return HealthLine("Updates", HealthState.WELL, "none waits")
    words = f"{waiting:,} wait, the oldest for {written_age(oldest_s)}"
    if oldest_s < LONG_WAIT_S:
        return HealthLine("Updates", HealthState.WELL, words)
    state = HealthState.LOOK if oldest_s < VERY_LONG_WAIT_S else HealthState.STOPPED
    return HealthLine("Updates", state, words, "The page of updates says which channel and why.")


def _channels(in_trouble: Sequence[str]) -> HealthLine:
    if not in_trouble:
        return HealthLine("Channels", HealthState.WELL, "all answer")
    words = f"{', '.join(in_trouble)} cannot be reached"
    fix = "Everything is kept and goes out when they answer again; their pages say why."
    return HealthLine("Channels", HealthState.LOOK, words, fix)


def _backup(age_s: float | None) -> HealthLine:
    fix = "One is made every night by the plan in Setup, Backups. Keep copies on another machine."
    if age_s is None:
        return HealthLine("Backup", HealthState.LOOK, "none was made yet", fix)
    words = f"the last one is {written_age(age_s)} old"
    if age_s < BACKUP_OLD_S:
        return HealthLine("Backup", HealthState.WELL, words)
    return HealthLine("Backup", HealthState.LOOK, words, fix)


def _clock(written: str, behind_s: float) -> HealthLine:
    if behind_s < CLOCK_BEHIND_S:
        return HealthLine("Clock", HealthState.WELL, written)
    words = f"{written}, which is {written_age(behind_s)} before what was last recorded"
    fix = "Set this machine's clock by the network: what is due would come too late."
    return HealthLine("Clock", HealthState.STOPPED, words, fix)


def _mail(mail: MailFacts | None) -> HealthLine:
    if mail is None:
        return HealthLine("Mail", HealthState.WELL, "no mail server is set up, and none is needed")
    fix = "Test it under Setup, Mail."
    if mail.tried_s is None:
        return HealthLine("Mail", HealthState.LOOK, f"{mail.host} was not tried yet", fix)
    words = f"{mail.host} answered {written_age(mail.tried_s)} ago: {mail.answer}"
    if mail.works:
        return HealthLine("Mail", HealthState.WELL, words)
    return HealthLine("Mail", HealthState.LOOK, words, fix)


def _certificates(found: Sequence[CertificateFacts]) -> HealthLine:
    """Speaks of the certificate that ends first; one that cannot be seen is named beside it."""
    part = "Certificates"
    unseen = [one for one in found if one.days is None]
    seen = sorted((one for one in found if one.days is not None), key=lambda one: one.days or 0.0)
    if not found:
        return HealthLine(part, HealthState.WELL, "no address that is called shows one")
    if unseen:
        words = "; ".join(f"{one.address}: {one.trouble}" for one in unseen[:3])
        return HealthLine(part, HealthState.LOOK, words, "Look whether the address still answers.")
    first = seen[0]
    days = first.days or 0.0
    if days <= 0:
        words = f"that of {first.address} has ended"
    else:
        words = f"that of {first.address} is the first to end, in {int(days)} days"
    if days >= FEW_DAYS:
        return HealthLine(part, HealthState.WELL, words)
    state = HealthState.LOOK if days >= VERY_FEW_DAYS else HealthState.STOPPED
    return HealthLine(part, state, words, "Whoever runs that address must renew it in time.")
