"""What a product is, and what may be said of it."""
