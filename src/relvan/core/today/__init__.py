"""What the first page of the day says: what to do first, and how things are."""
