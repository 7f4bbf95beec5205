"""Talks to the outside through a small port for each kind of service, with an adapter for each
dialect.
"""
