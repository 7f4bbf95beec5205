"""Tests papers in the seller's own layout."""
