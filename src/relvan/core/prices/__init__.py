"""The rules of prices: what a channel asks for a product."""
