"""Putting picked goods into parcels."""
