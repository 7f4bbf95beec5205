"""The same tests on PostgreSQL and Redis as on what is in the box, for the rooms that must not differ."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

from relvan.settings import Settings
from relvan.worker.queue import Waker, open_queue, register_delivery
from tests.server import Redis, lacking

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


def test_a_worker_is_woken_through_a_queue_server(tmp_path):
    with Redis() as server:
        settings = Settings(data_dir=tmp_path, queue_url=server.url, _env_file=None)
        waking, working = open_queue(settings), open_queue(settings)
        seen = []
        register_delivery(working, seen.append)
        Waker(waking)("deliver", 7)
        working.execute(working.dequeue())
        assert seen == [7]
        for queue in (waking, working):
            queue.storage.conn.close()
            queue.storage.pool.disconnect()
