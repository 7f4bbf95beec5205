"""Relvan for a firm of one's own: the built wheel, started in an empty folder outside the
repository, and databases of other versions."""

import re
import shutil
import signal
import subprocess
import sys
import sysconfig
from pathlib import Path

import httpx
import pytest
from alembic import command

from relvan.core.refusal import Refused
from relvan.running import moved_to_setup, prepare
from relvan.services.backup import restore
from relvan.settings import Settings
from relvan.store.database import Database
from relvan.store.schema import SchemaAge, alembic_config, bring_up_to_date, schema_age
from tests.server import firm_started

ROOT = Path(__file__).parent.parent


@pytest.fixture(scope="session")
def wheel(tmp_path_factory):
    """Builds the wheel from a copy of the sources."""
    folder = tmp_path_factory.mktemp("wheel")
    shutil.copytree(ROOT / "src", folder / "src", ignore=shutil.ignore_patterns("*.egg-info"))
    for name in ("pyproject.toml", "requirements.in"):
        shutil.copy(ROOT / name, folder)
    ran("-m", "build", "--wheel", "--no-isolation", "--outdir", folder, folder)
    (built,) = folder.glob("relvan-*.whl")
    return built


@pytest.fixture(scope="session")
def installed(wheel, tmp_path_factory):
    """Installs the wheel by pip into a fresh environment; returns its `relvan` command. The
    libraries that it needs are those of the tests, beside it on the path; the repository is not.
    """
    folder = tmp_path_factory.mktemp("fresh")
    ran("-m", "venv", "--without-pip", folder)
    python = folder / "bin" / "python"
    pip = ("-m", "pip", "--python", python)
    ran(*pip, "install", "--quiet", "--no-deps", "--no-index", wheel)
    place = subprocess.check_output(
        [python, "-c", "import sysconfig; print(sysconfig.get_path('purelib'))"], text=True
    )
    (Path(place.strip()) / "libraries.pth").write_text(sysconfig.get_path("purelib") + "\n")
    ran(*pip, "check")  # every library that the wheel names is there, in a version that it takes
    return folder / "bin" / "relvan"


def ran(*arguments):
    """Runs Python with these arguments; it must succeed."""
    done = subprocess.run(
        [sys.executable, *map(str, arguments)], check=False, capture_output=True, text=True
    )
    assert done.returncode == 0, done.stdout + done.stderr


@pytest.fixture
def started(installed, tmp_path):
    """Starts `relvan run` from the installed wheel in an empty folder."""
    with firm_started(tmp_path, command=(str(installed),)) as started:
        yield started


@pytest.mark.usefixtures("in_the_box")
def test_the_wheel_runs_in_an_empty_folder_from_the_first_visit_to_setup(
    started, installed, tmp_path
):
    process, said, base = started
    assert process.poll() is None, said
    code = re.search(r"First visit (\S+):", said)[1]
    with httpx.Client(base_url=base, follow_redirects=True, timeout=60) as client:
        first = client.get("/")
        assert first.url.path == "/first-visit"
        for address in re.findall(r'(?:href|src)="(/static/[^"]+)"', first.text):
            assert client.get(address).status_code == 200, address
        password = "a good password"
        fields = {"code": code, "name": "Ada", "login": "ada", "password": password}
        home = client.post("/first-visit", data={**fields, "again": password})
        assert "From nothing to the first sale" in home.text
        for path in ("/setup", "/setup/firm", "/setup/warehouses", "/catalogue", "/orders"):
            assert client.get(path).status_code == 200, path
        assert "Hagglet" in client.get("/setup").text, "the rulebooks are in the wheel"
        assert client.get("/api/docs").status_code == 200
    second = subprocess.run(
        [installed, "run", "--data", tmp_path / "data"],
        cwd=tmp_path,
        check=False,
        capture_output=True,
        text=True,
    )
    assert (second.returncode, "runs on" in second.stdout) == (1, True)
    process.send_signal(signal.SIGINT)
    assert process.wait(20) == 0


@pytest.mark.usefixtures("in_the_box")
def test_an_older_database_is_brought_up_to_date_after_a_backup(tmp_path):
    settings = Settings(data_dir=tmp_path, _env_file=None)
    database = Database(settings.database)
    assert schema_age(database) == SchemaAge.EMPTY
    with database.engine.begin() as connection:
        command.upgrade(alembic_config(connection), "0020")
        connection.exec_driver_sql("INSERT INTO counter (name, value) VALUES ('O', 1234)")
    assert schema_age(database) == SchemaAge.OLDER
    said = []
    backup = prepare(settings, said.append)
    assert str(backup) in said[0]
    assert schema_age(database) == SchemaAge.PRESENT
    assert prepare(settings, said.append) is None
    with database.reading() as session:
        row = session.connection().exec_driver_sql("SELECT value, pattern FROM counter").one()
    assert tuple(row) == (1234, "")
    restore(settings, backup)
    assert schema_age(database) == SchemaAge.OLDER, "as it was before"
    prepare(settings, said.append)
    assert schema_age(database) == SchemaAge.PRESENT


@pytest.mark.usefixtures("in_the_box")
def test_what_a_seller_decides_is_no_setting_of_the_server():
    told = {"RELVAN_CURRENCY": "CHF", "RELVAN_LOCALE": "", "RELVAN_THREADS": "2"}
    assert moved_to_setup(told) == ["RELVAN_CURRENCY"]
    assert not {"currency", "locale", "time_zone", "scale_url"} & set(Settings.model_fields)


def test_a_database_of_a_newer_version_is_left_alone(tmp_path):
    settings = Settings(data_dir=tmp_path, _env_file=None)
    database = Database(settings.database)
    bring_up_to_date(database)
    with database.writing() as session:
        session.connection().exec_driver_sql("UPDATE alembic_version SET version_num = '9999'")
    before = (tmp_path / "relvan.db").read_bytes()
    with pytest.raises(Refused) as refused:
        prepare(settings, lambda _: None)
    assert refused.value.first.code == "newer"
    assert (tmp_path / "relvan.db").read_bytes() == before
    assert not (tmp_path / "backups").exists()
