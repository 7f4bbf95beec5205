"""Answers JSON over HTTP under /api/v1."""
