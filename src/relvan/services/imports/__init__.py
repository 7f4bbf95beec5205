"""The services for importing files."""
