"""What is measured of an installation, and how page, command and monitor tell it."""

import pytest
from typer.testing import CliRunner

from relvan.cli import app
from relvan.core.setup.health import HealthState
from relvan.services.health import health_of, measure, metrics_of
from relvan.services.people.tokens import NewToken, add_token, make_token
from relvan.services.setup.backups import make_backup
from relvan.services.workplace import SYSTEM
from relvan.store.duties import note_worker
from tests.applications import client_of
from tests.house import connect
from tests.visitor import sign_in, words


def state_of(workplace, part):
    return next(line.state for line in health_of(workplace) if line.part == part)


@pytest.fixture
def manned(workplace):
    """Notes that a worker was seen just now."""
    with workplace.database.writing() as session:
        note_worker(session, "worker", workplace.now(), shares=True)
    return workplace


def test_a_worker_is_missed_after_a_minute(manned):
    assert state_of(manned, "Worker") == HealthState.WELL
    manned.now.move(minutes=2)
    assert state_of(manned, "Worker") == HealthState.STOPPED


def test_a_backup_that_was_made_counts(workplace):
    assert state_of(workplace, "Backup") == HealthState.LOOK
    make_backup(workplace)
    assert state_of(workplace, "Backup") == HealthState.WELL


def test_a_channel_that_does_not_answer_wants_a_look(workplace, owner, world):
    connect(workplace, owner, world, "hagglet")
    assert state_of(workplace, "Channels") == HealthState.WELL
    with workplace.database.writing() as session:
        session.connection().exec_driver_sql("UPDATE channel SET failures = 50")
    assert state_of(workplace, "Channels") == HealthState.LOOK


def test_the_page_says_it_to_owners(manned):
    assert "no worker" not in words(sign_in(client_of(manned)).get("/setup/health"))
    manned.now.move(minutes=2)
    assert "stands still" in words(sign_in(client_of(manned)).get("/setup/health"))
    assert sign_in(client_of(manned), "picker").get("/setup/health").status_code == 403


def test_a_monitor_reads_figures_with_an_owners_token(manned):
    client = client_of(manned)
    head = {"Authorization": f"Bearer {make_token(manned, 'monitor', 'owner')}"}
    told = client.get("/metrics", headers=head)
    assert told.headers["content-type"].startswith("text/plain")
    assert "relvan_worker_is_well 1.0" in told.text
    for name in metrics_of(measure(manned)):
        assert f"\n{name} " in told.text, name
    assert client.get("/metrics").status_code == 401
    fewer = add_token(manned, SYSTEM, NewToken("till", "owner", ["stock"]))
    refused = client.get("/metrics", headers={"Authorization": f"Bearer {fewer}"})
    assert refused.status_code == 403


def test_the_doctor_fails_when_something_stands_still(workplace, settings, monkeypatch, in_the_box):
    monkeypatch.setenv("RELVAN_DATA_DIR", str(settings.data_dir))
    told = CliRunner().invoke(app, ["doctor"])
    assert told.exit_code == 1
    assert "no worker was seen" in told.output
    assert "Start it" in told.output


def test_the_doctor_says_when_there_is_no_database(tmp_path, monkeypatch):
    monkeypatch.setenv("RELVAN_DATA_DIR", str(tmp_path))
    monkeypatch.delenv("RELVAN_DATABASE_URL", raising=False)
    told = CliRunner().invoke(app, ["doctor"])
    assert (told.exit_code, "no database yet" in told.output) == (1, True)
