"""Relvan sells the same goods on several channels, from one catalogue and one pool of stock."""

__version__ = "0.1.0"
