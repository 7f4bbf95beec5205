"""Steps from one shape of the database to the next."""
