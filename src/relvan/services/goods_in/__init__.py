"""Receives goods by scanner: what was expected, what comes back, and into which bins it is put."""
