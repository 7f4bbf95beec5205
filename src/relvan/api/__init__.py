"""JSON over HTTP, /api/v1."""
