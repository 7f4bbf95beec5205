"""Deeds of the station orders."""
