"""PostgreSQL by plain SQL and the media files; the only layer that knows either."""
