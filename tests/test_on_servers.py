"""The same tests on PostgreSQL and Redis as on what is in the box, for the rooms that must not differ."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.server import lacking

ROOT = Path(__file__).parent.parent
SAME = [
    "tests/services/test_sale.py",
    "tests/services/test_listeners.py",
]
pytestmark = pytest.mark.skipif(bool(lacking()), reason=lacking() or "all is there")


def test_sales_and_listeners_are_the_same_on_a_database_server():
    command = [sys.executable, "-m", "pytest", "-q", "-n", "0", "--on-servers", *SAME]
    alone = {name: value for name, value in os.environ.items() if not name.startswith("PYTEST_")}
    done = subprocess.run(command, cwd=ROOT, env=alone, capture_output=True, text=True, timeout=540)
    assert done.returncode == 0, done.stdout[-6_000:]
    assert " passed" in done.stdout
    assert "skipped" not in done.stdout
