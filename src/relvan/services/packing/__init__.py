"""The services for packing."""
