"""The services for channels."""
