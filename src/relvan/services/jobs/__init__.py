"""Bulk jobs: opening them, carrying them out in the background, and undoing them."""
