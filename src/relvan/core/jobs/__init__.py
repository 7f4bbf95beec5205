"""Bulk jobs: their life, and what becomes of each row."""
