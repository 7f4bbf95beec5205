"""Bringing files in and taking them out."""
