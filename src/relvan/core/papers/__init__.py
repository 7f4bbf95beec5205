"""Papers in the seller's own layout."""
