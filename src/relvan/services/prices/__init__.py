"""Deeds of the station prices."""
