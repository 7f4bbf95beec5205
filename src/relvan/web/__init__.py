"""Pages for people: routes, templates, static files."""
