"""Shows pages to people: routes, templates and static files."""
