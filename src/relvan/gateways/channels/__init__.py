"""Defines the port that services call to reach a channel, and has an adapter for each dialect and
the rulebooks as data.
"""
