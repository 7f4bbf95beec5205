"""Defines the port that services call to reach a carrier, and has an adapter for each carrier."""
