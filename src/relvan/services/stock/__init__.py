"""Deeds of the station stock."""
