"""Telling a seller's own tools of changes, at addresses of theirs."""
