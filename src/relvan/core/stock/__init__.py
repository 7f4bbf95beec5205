"""How many there are, how many may be sold, and how many a channel shows."""
