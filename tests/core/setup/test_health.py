"""How an installation is judged."""

from dataclasses import replace

import pytest

from relvan.core.setup.health import (
    CertificateFacts,
    HealthFacts,
    HealthState,
    MailFacts,
    is_well,
    judge,
)


def seen(days):
    return CertificateFacts("shop.example", days, "" if days is not None else "does not answer")


WELL = HealthFacts(
    version="1.0",
    python="3.11",
    database="SQLite in the data folder",
    database_bytes=1_000_000,
    schema="present",
    disk_free=50_000_000_000,
    disk_total=80_000_000_000,
    workers=1,
    worker_seen_s=3.0,
    waiting=0,
    oldest_wait_s=None,
    in_trouble=(),
    backup_s=3_600.0,
)


def test_when_all_is_well_nothing_is_to_be_done():
    lines = judge(WELL)
    assert {line.state for line in lines} == {HealthState.WELL}
    assert [line.fix for line in lines if line.fix] == []
    assert is_well(lines)


@pytest.mark.parametrize(
    ("changed", "part", "state"),
    [
        ({"schema": "older"}, "Database", HealthState.STOPPED),
        ({"disk_free": 4_000_000_000}, "Disk", HealthState.LOOK),
        ({"disk_free": 400_000_000}, "Disk", HealthState.STOPPED),
        ({"workers": 0, "worker_seen_s": None}, "Worker", HealthState.STOPPED),
        ({"worker_seen_s": 61.0}, "Worker", HealthState.STOPPED),
        ({"waiting": 20, "oldest_wait_s": 10.0}, "Updates", HealthState.WELL),
        ({"waiting": 20, "oldest_wait_s": 301.0}, "Updates", HealthState.LOOK),
        ({"waiting": 20, "oldest_wait_s": 3_601.0}, "Updates", HealthState.STOPPED),
        ({"in_trouble": ("Hagglet",)}, "Channels", HealthState.LOOK),
        ({"backup_s": None}, "Backup", HealthState.LOOK),
        ({"backup_s": 200_000.0}, "Backup", HealthState.LOOK),
        ({"clock_behind_s": 59.0}, "Clock", HealthState.WELL),
        ({"clock_behind_s": 61.0}, "Clock", HealthState.STOPPED),
        ({"mail": MailFacts("mail.example", 30.0, True, "250 OK")}, "Mail", HealthState.WELL),
        ({"mail": MailFacts("mail.example", None, False, "")}, "Mail", HealthState.LOOK),
        ({"mail": MailFacts("mail.example", 30.0, False, "535 no")}, "Mail", HealthState.LOOK),
        ({"certificates": (seen(22.0),)}, "Certificates", HealthState.WELL),
        ({"certificates": (seen(90.0), seen(20.0))}, "Certificates", HealthState.LOOK),
        ({"certificates": (seen(2.0), seen(90.0))}, "Certificates", HealthState.STOPPED),
        ({"certificates": (seen(-1.0),)}, "Certificates", HealthState.STOPPED),
        ({"certificates": (seen(None),)}, "Certificates", HealthState.LOOK),
    ],
)
def test_what_is_not_well_says_what_to_do(changed, part, state):
    lines = judge(replace(WELL, **changed))
    line = next(line for line in lines if line.part == part)
    assert line.state == state
    assert bool(line.fix) is (state != HealthState.WELL)
    assert is_well(lines) is (state != HealthState.STOPPED)
    assert [one.part for one in lines if one.state != HealthState.WELL] == (
        [part] if state != HealthState.WELL else []
    )
