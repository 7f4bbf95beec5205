"""Holds the steps that bring a database from one version of the tables to the next."""
