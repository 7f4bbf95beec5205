"""Deeds of the station channels."""
