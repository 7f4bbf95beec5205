"""Carriers: the port that services call, and an adapter for each."""
