"""Holds the routes of the pages, in a file per station."""
