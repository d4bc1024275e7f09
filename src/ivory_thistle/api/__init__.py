"""The web application's interface, under /api/v1."""
