"""Tables, migrations and queries: the only floor that knows SQLAlchemy."""
