"""Deeds of the station outbox."""
