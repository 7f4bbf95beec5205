"""Walking through a warehouse and taking the right things."""
