"""The services that send messages to a seller's own tools."""
