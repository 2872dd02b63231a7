"""What every action of the studio works with."""

import json
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Protocol

from psycopg import Connection
from psycopg_pool import ConnectionPool

from yardchalk.core.codecs.reading import Limits
from yardchalk.store.database import open_pool
from yardchalk.store.files import FileStore
from yardchalk.store.queries.rows import EVENTS as EVENTS
from yardchalk.store.queries.rows import notify


class Queue(Protocol):
    """The background queue, as far as the studio needs it."""

    def ask_run(self, connection: Connection[Any], photo_id: int, key: str, *, turn: int | None) -> int:
        """Queue a run inside the caller's transaction, at its turn, or before all others without one; returns the job's number."""
        ...

    def ask_try(self, connection: Connection[Any], try_id: int) -> int:
        """Queue a try."""
        ...

    def ask_delivery(self, connection: Connection[Any], delivery_id: int) -> int:
        """Queue the writing of a delivery."""
        ...

    def ask_sending(self, connection: Connection[Any], delivery_id: int) -> int:
        """Queue the sending of a delivery to the listing desk."""
        ...

    def cancel(self, job_id: int) -> bool:
        """Take a job back that has not begun; whether that was in time."""
        ...


@dataclass(frozen=True)
class Studio:
    """Database, file store, queue, where deliveries are written, and where the stand-ins answer, if they run."""

    pool: ConnectionPool
    files: FileStore
    queue: Queue
    deliveries: Path
    limits: Limits = field(default_factory=Limits)
    desk_url: str = ""
    capture_url: str = ""

    @classmethod
    def opened(
        cls,
        database_url: str,
        files_url: str,
        deliveries: Path,
        queue: Queue,
        *,
        connections: int = 8,
        desk_url: str = "",
        capture_url: str = "",
    ) -> "Studio":
        """A studio on a database and a file store, with a pool of so many connections."""
        pool = open_pool(database_url, connections)
        return cls(pool, FileStore(files_url), queue, deliveries, desk_url=desk_url, capture_url=capture_url)

    def close(self) -> None:
        self.pool.close()

    @contextmanager
    def transaction(self) -> Iterator[Connection[Any]]:
        """One transaction: a user's action happens whole or not at all."""
        with self.pool.connection() as connection, connection.transaction():
            yield connection


def announce(connection: Connection[Any], lot_id: int | None, photo_id: int | None = None) -> None:
    """Tell open pages, once the transaction is through, that something of a lot changed, or anything at all."""
    notify(connection, json.dumps({"lot": lot_id, "photo": photo_id}))
