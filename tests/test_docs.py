"""The project keeps its word: every setting and command is told, every picture is there, no file is
too long."""

import re
from pathlib import Path

from relvan.cli import MODULES
from relvan.commands.people import people_app
from relvan.settings import Settings

ROOT = Path(__file__).parent.parent


def test_every_setting_is_told():
    guide = (ROOT / "docs/guide/settings.md").read_text()
    told = set(re.findall(r"`RELVAN_([A-Z_]+)`", guide))
    assert told == {name.upper() for name in Settings.model_fields}


def test_every_command_is_told():
    guide = (ROOT / "docs/guide/commands.md").read_text()
    assert set(re.findall(r"^\| `relvan (\w+)", guide, re.MULTILINE)) == {*MODULES}
    assert people_app.registered_commands


def test_every_picture_and_page_that_the_readme_names_is_there_and_there_are_not_too_many():
    readme = (ROOT / "README.md").read_text()
    for path in re.findall(r"\]\((docs/[^)]+|[A-Z]+\.md)\)", readme):
        assert (ROOT / path).exists(), path
    assert len(list((ROOT / "docs/screenshots").glob("*.png"))) < 20


def test_no_file_is_much_longer_than_four_hundred_lines():
    long = {
        str(path.relative_to(ROOT)): lines
        for path in (ROOT / "src").rglob("*.py")
        if "migrations" not in path.parts and (lines := len(path.read_text().splitlines())) > 430
    }
    assert long == {}
