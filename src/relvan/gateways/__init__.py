"""Talking to the outside: a small port for each kind, an adapter for each dialect."""
