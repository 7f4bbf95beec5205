"""Deeds of the station packing."""
