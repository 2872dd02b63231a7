"""The connection pool and the migrations."""

from importlib.resources import files

import psycopg
from psycopg.rows import dict_row
from psycopg_pool import ConnectionPool

_LOCK = 7421  # advisory lock: one migrator at a time


def open_pool(url: str, size: int = 8) -> ConnectionPool:
    """A pool of connections that give rows as dicts; a broken connection is replaced, so a restart of the server heals."""
    pool = ConnectionPool(
        url, min_size=1, max_size=size, kwargs={"row_factory": dict_row}, check=ConnectionPool.check_connection, open=False
    )
    pool.open(wait=True, timeout=20)
    return pool


def migrations() -> list[tuple[int, str]]:
    """Number and SQL of each migration, in order."""
    folder = files("yardchalk.store") / "migrations"
    names = sorted(item.name for item in folder.iterdir() if item.name.endswith(".sql"))
    return [(int(name.split("_")[0]), (folder / name).read_text()) for name in names]


def migrate(url: str, up_to: int | None = None) -> int:
    """Bring the database forward; returns how many migrations were applied. Safe to run again, and side by side."""
    applied = 0
    with psycopg.connect(url, autocommit=True) as connection:
        connection.execute("SELECT pg_advisory_lock(%s)", (_LOCK,))
        connection.execute("CREATE TABLE IF NOT EXISTS migrations (number int PRIMARY KEY, at timestamptz NOT NULL DEFAULT now())")
        done = {row[0] for row in connection.execute("SELECT number FROM migrations")}
        for number, sql in migrations():
            if number in done or (up_to is not None and number > up_to):
                continue
            with connection.transaction():
                connection.execute(sql)
                connection.execute("INSERT INTO migrations (number) VALUES (%s)", (number,))
            applied += 1
    return applied
