"""PostgreSQL through plain SQL, and the file store for pictures."""
