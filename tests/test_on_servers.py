"""The same tests on PostgreSQL and Redis as on what is in the box, for the rooms that could differ
most. All of them: `pytest --on-servers tests/store tests/services tests/worker`."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.server import lacking

ROOT = Path(__file__).parent.parent
SAME = [
    "tests/store",
    "tests/worker",
    "tests/services/test_backup.py",
    "tests/services/outbox/test_killed_worker.py",
    "tests/services/webhooks/test_webhooks.py",
    "tests/services/outbox/test_many_workers.py",
    "tests/services/test_sale.py",
]
pytestmark = pytest.mark.skipif(bool(lacking()), reason=lacking() or "all is there")


def test_what_differs_most_is_the_same_on_servers():
    command = [sys.executable, "-m", "pytest", "-q", "-n", "0", "--on-servers", *SAME]
    alone = {
        name: value for name, value in os.environ.items() if not name.startswith("PYTEST_XDIST")
    }
    done = subprocess.run(
        command, cwd=ROOT, env=alone, capture_output=True, text=True, timeout=1_200
    )
    assert done.returncode == 0, done.stdout[-6_000:]
    assert " passed" in done.stdout
