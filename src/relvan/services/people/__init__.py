"""Deeds of the station people."""
