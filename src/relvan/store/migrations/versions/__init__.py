"""The steps, in order."""
