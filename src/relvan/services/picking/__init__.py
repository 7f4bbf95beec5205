"""Deeds of the station picking."""
