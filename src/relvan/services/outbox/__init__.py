"""The services that send updates to channels."""
