"""Holds the commands of `relvan`, each kind in a module of its own, which is imported when it is used."""
