"""Deeds of the station listings."""
