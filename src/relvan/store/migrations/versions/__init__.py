"""Holds the steps, in order."""
