"""What a channel asks for a product."""
