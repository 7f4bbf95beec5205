"""The routes, a file per station."""
