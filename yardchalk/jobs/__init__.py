"""The background queue: Procrastinate on the application's own PostgreSQL."""
