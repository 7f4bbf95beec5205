"""Deeds of the station catalogue."""
