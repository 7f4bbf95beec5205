"""The rules for shipments, from the release until they leave."""
