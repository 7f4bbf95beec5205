"""Bulk jobs: opening them, carrying them out in the background, taking them back."""
