"""Waiting in tests for what another thread or process does."""

import time


def wait_until(true, seconds=10.0):
    """Wait until something is so."""
    start = time.monotonic()
    while not true():
        assert time.monotonic() - start < seconds, "it did not come to pass"
        time.sleep(0.05)
