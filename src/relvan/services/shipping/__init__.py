"""Deeds of the station shipping."""
