"""Channels: the port that services call, an adapter for each dialect, and the rulebooks as data."""
