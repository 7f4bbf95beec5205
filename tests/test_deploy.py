"""What lies in deploy/ fits the commands, the settings and the files of the project."""

import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
import yaml

from relvan.cli import MODULES
from relvan.settings import Settings

ROOT = Path(__file__).parent.parent
DEPLOY = ROOT / "deploy"
UNITS = sorted((DEPLOY / "systemd").glob("*.service"))
OF_COMPOSE = {"DATABASE_PASSWORD"}  # which becomes a part of the database's address


def commands():
    return {*MODULES}


def settings_in(text):
    return set(re.findall(r"RELVAN_([A-Z_]+)", text))


def known_settings():
    return {name.upper() for name in Settings.model_fields} | OF_COMPOSE


def test_compose_runs_commands_that_there_are_with_settings_that_there_are():
    text = (DEPLOY / "compose.yaml").read_text()
    services = yaml.safe_load(text)["services"]
    assert services.keys() == {"database", "queue", "web", "worker"}
    ours = [one for one in services.values() if one.get("command", [""])[0] == "relvan"]
    assert {one["command"][1] for one in ours} == {"serve", "worker"} <= commands()
    assert settings_in(text) <= known_settings()
    for one in ours:
        assert (DEPLOY / one["build"]["context"] / one["build"]["dockerfile"]).exists()
        assert set(one["depends_on"]) <= services.keys()
    assert services["worker"]["environment"]["RELVAN_DATABASE_URL"]


def test_the_container_copies_files_that_there_are_and_runs_a_command():
    text = (DEPLOY / "Containerfile").read_text()
    copied = [
        name
        for line in re.findall(r"^COPY (?!--from)(.+)$", text, re.MULTILINE)
        for name in line.split()[:-1]
    ]
    assert copied
    assert [name for name in copied if not (ROOT / name).exists()] == []
    command = re.search(r'^CMD \["relvan", "(\w+)"', text, re.MULTILINE)[1]
    assert command in commands()
    assert settings_in(text) <= known_settings()


@pytest.mark.parametrize("unit", UNITS, ids=[unit.stem for unit in UNITS])
def test_units_are_sound_and_start_commands_that_there_are(unit, tmp_path):
    text = unit.read_text()
    started = re.search(r"^ExecStart=/opt/relvan/bin/relvan (\w+)", text, re.MULTILINE)[1]
    assert started in commands()
    assert settings_in(text) <= known_settings()
    if shutil.which("systemd-analyze"):
        copy = tmp_path / unit.name
        here = text.replace("/opt/relvan/bin/relvan", sys.executable)
        copy.write_text(re.sub(r"^(User|Group)=.*\n", "", here, flags=re.MULTILINE))
        checked = subprocess.run(
            ["systemd-analyze", "verify", "--man=no", copy],
            capture_output=True,
            text=True,
            check=False,
        )
        assert (checked.returncode, checked.stderr.count(unit.name)) == (0, 0), checked.stderr


def test_the_proxy_leads_to_the_port_on_which_relvan_answers_and_takes_large_files():
    text = (DEPLOY / "proxy.nginx.conf").read_text()
    assert text.count("{") == text.count("}")
    assert "proxy_pass http://127.0.0.1:8100;" in text
    assert "client_max_body_size 64m;" in text
    assert settings_in(text) <= known_settings()
