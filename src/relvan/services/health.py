"""Measures how an installation is, for the page Health, `relvan doctor` and `/metrics`."""

import platform
import shutil
from datetime import datetime

from relvan import __version__
from relvan.core.setup.health import (
    CertificateFacts,
    HealthFacts,
    HealthLine,
    HealthState,
    MailFacts,
    judge,
)
from relvan.services.workplace import Workplace
from relvan.store.audit import last_recorded
from relvan.store.backups import last_made
from relvan.store.certificates import Certificate, certificates
from relvan.store.channels import channel_health, channels
from relvan.store.database import Database
from relvan.store.duties import worker_rows
from relvan.store.mail import mail_server_of
from relvan.store.schema import database_bytes, schema_age
from relvan.store.tables import MailServerRow


def measure(workplace: Workplace) -> HealthFacts:
    """Returns what can be measured now."""
    database, now = workplace.database, workplace.now()
    folder = workplace.settings.data_dir
    folder.mkdir(parents=True, exist_ok=True)
    with database.reading() as session:
        workers = worker_rows(session)
        found = channels(session)
        health = channel_health(session, found, now)
        made = last_made(session)
        mail = mail_server_of(session)
        seen_certificates = certificates(session)
        recorded = last_recorded(session)
    waits = [one.oldest_waiting for one in health.values() if one.oldest_waiting]
    seen = max((row.seen_at for row in workers), default=None)
    disk = shutil.disk_usage(folder)
    return HealthFacts(
        version=__version__,
        python=platform.python_version(),
        database="SQLite in the data folder" if database.is_sqlite else "PostgreSQL",
        database_bytes=_size(database),
        schema=schema_age(database),
        disk_free=disk.free,
        disk_total=disk.total,
        workers=len(workers),
        worker_seen_s=max(0.0, (now - seen).total_seconds()) if seen else None,
        waiting=sum(one.waiting for one in health.values()),
        oldest_wait_s=max(0.0, (now - min(waits)).total_seconds()) if waits else None,
        in_trouble=tuple(one.name for one in found if health[one.id].state == "in trouble"),
        backup_s=max(0.0, (now - made).total_seconds()) if made else None,
        clock=f"{now:%Y-%m-%d %H:%M} UTC",
        clock_behind_s=max(0.0, (recorded - now).total_seconds()) if recorded else 0.0,
        mail=_mail_facts(mail, now) if mail is not None and mail.host else None,
        certificates=tuple(_certificate_facts(one, now) for one in seen_certificates),
    )


def _mail_facts(row: MailServerRow, now: datetime) -> MailFacts:
    tried_s = max(0.0, (now - row.tried_at).total_seconds()) if row.tried_at else None
    return MailFacts(row.host, tried_s, row.works, row.answer)


def _certificate_facts(one: Certificate, now: datetime) -> CertificateFacts:
    days = None if one.ends_at is None else (one.ends_at - now).total_seconds() / 86_400
    return CertificateFacts(one.address, days, one.trouble)


def health_of(workplace: Workplace) -> list[HealthLine]:
    """Returns a line for every part of the installation."""
    return judge(measure(workplace))


def metrics_of(facts: HealthFacts) -> dict[str, tuple[str, float]]:
    """Returns the figures that a monitor reads, by name, each with its help text."""
    parts = {line.part.lower(): line.state for line in judge(facts)}
    figures = {
        "relvan_database_bytes": ("Size of the database.", facts.database_bytes),
        "relvan_disk_free_bytes": ("Room on the disk of the data folder.", facts.disk_free),
        "relvan_workers": ("Workers that were seen.", facts.workers),
        "relvan_updates_waiting": ("Updates that wait for their channel.", facts.waiting),
        "relvan_oldest_update_seconds": (
            "Age of the oldest update that waits.",
            facts.oldest_wait_s or 0.0,
        ),
        "relvan_channels_in_trouble": (
            "Channels that cannot be reached.",
            len(facts.in_trouble),
        ),
    }
    for part, state in parts.items():
        name = f"relvan_{part}_is_well"
        figures[name] = (f"1 while the part is well: {part}.", int(state == HealthState.WELL))
    return {name: (words, float(value)) for name, (words, value) in figures.items()}


def _size(database: Database) -> int:
    if database.is_sqlite:
        return database.path.stat().st_size if database.path.exists() else 0
    with database.reading() as session:
        return database_bytes(session)
