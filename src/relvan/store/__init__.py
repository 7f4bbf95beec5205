"""Holds the tables, migrations and queries. It is the only floor that knows SQLAlchemy."""
