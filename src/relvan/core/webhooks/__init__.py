"""The rules of webhooks: messages to a seller's own tools."""
