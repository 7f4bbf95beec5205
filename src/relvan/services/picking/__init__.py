"""The services for picking."""
