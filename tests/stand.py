"""A real PostgreSQL, file store and worker processes for tests; one cluster for the whole run, a database for each class."""

import atexit
import io
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
import unittest
import uuid
from dataclasses import replace
from pathlib import Path
from typing import Any, ClassVar

import httpx
import psycopg

from tests.pictures import Scene
from yardchalk.host.cluster import Cluster, free_port
from yardchalk.host.settings import ROOT, Place
from yardchalk.jobs.queue import RunQueue, apply_schema
from yardchalk.store.database import migrate
from yardchalk.store.queries import photo_rows
from yardchalk.store.queries.rows import Row
from yardchalk.studio.context import Studio
from yardchalk.studio.delivering import deliver, write_delivery
from yardchalk.studio.intake import IntakeReport, take_in
from yardchalk.studio.lots import add_lot
from yardchalk.studio.reading import delivery
from yardchalk.studio.running import run_photo

# s; what is waited for at most. Long, since a machine may be slow, or have much else to do.
PATIENCE = 120

_started: list[Cluster] = []


def cluster() -> Cluster:
    """The run's own cluster, started when it is first needed and removed at the end."""
    if not _started:
        state = tempfile.TemporaryDirectory()
        made = Cluster(Path(state.name), f"test-{os.getpid()}")
        made.start(56432)
        atexit.register(state.cleanup)
        atexit.register(made.remove)
        _started.append(made)
    return _started[0]


def empty_database() -> str:
    """Address of a new database without any table."""
    base = cluster().url.rsplit("/", 1)[0]
    name = f"t{uuid.uuid4().hex[:12]}"
    with psycopg.connect(f"{base}/postgres", autocommit=True) as connection:
        connection.execute(f'CREATE DATABASE "{name}"'.encode())
    return f"{base}/{name}"


def small_photos(count: int) -> dict[str, bytes]:
    """Names and files of photos that differ."""
    return {f"PW-{9000 + i}_pot.jpg": Scene(width=480, height=360, seed=i, shift=0.02 * (i % 5)).made().jpeg for i in range(count)}


class StudioCase(unittest.TestCase):
    """A studio of its own for each class."""

    place: ClassVar[Place]
    studio: ClassVar[Studio]
    queue: ClassVar[RunQueue]
    scratch: ClassVar[Path]

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.scratch = Path(folder.name)
        url = empty_database()
        migrate(url)
        apply_schema(url)
        # Most tests ask for little: reading in the rest would take the processor from them.
        cls.place = Place(url, f"file://{cls.scratch / 'files'}", cls.scratch / "deliveries", warm=False)
        cls.place = replace(cls.place, **cls.beside())
        cls.queue = RunQueue(url)
        cls.queue.open()
        cls.addClassCleanup(cls.queue.close)
        cls.studio = Studio.opened(
            cls.place.database_url, cls.place.files_url, cls.place.deliveries, cls.queue, connections=4,
            desk_url=cls.place.desk_url, capture_url=cls.place.capture_url,
        )  # fmt: skip
        cls.addClassCleanup(cls.studio.close)

    def lot(self, files: dict[str, bytes], sheet: str = "white", spec: str = "cutout") -> tuple[int, list[IntakeReport]]:
        lot_id = add_lot(self.studio, self.id(), sheet, spec)
        return lot_id, [take_in(self.studio, lot_id, name, io.BytesIO(data)) for name, data in files.items()]

    def rows(self, lot_id: int) -> list[Row]:
        with self.studio.transaction() as connection:
            return photo_rows.photos(connection, lot_id)

    def work_here(self, lot_id: int) -> None:
        """Do what is queued, in this process."""
        for row in self.rows(lot_id):
            if row["state"] == "waiting":
                run_photo(self.studio, row["id"], row["asked_key"])

    def delivered_here(self, lot_id: int, *verdicts: str) -> Row:
        """A delivery, written in this process."""
        number = deliver(self.studio, lot_id, frozenset(verdicts or ("ready",)))
        write_delivery(self.studio, number)
        return delivery(self.studio, number)

    def worker(self, **environment: str) -> subprocess.Popen[bytes]:
        """A worker process, killed at the latest when the test ends."""
        return self.process("yardchalk.jobs.worker", **environment)

    def process(self, module: str, *arguments: str, **environment: str) -> subprocess.Popen[bytes]:
        """A process of the application, killed at the latest when the test ends."""
        process = subprocess.Popen(
            [sys.executable, "-m", module, *arguments], cwd=ROOT, env={**os.environ, **self.place.environment(), **environment},
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True,
        )  # fmt: skip

        def end() -> None:
            if process.poll() is None:
                process.send_signal(signal.SIGKILL)
            process.wait()

        self.addCleanup(end)
        return process

    @classmethod
    def beside(cls) -> dict[str, Any]:
        """What the place says of stand-ins that run beside this class's studio: none."""
        return {}

    @classmethod
    def served(cls, module: str, *arguments: str) -> str:
        """The address of a server process of the application, which answers, and is ended after the class's last test."""
        # Tests run side by side: each looks for a free port elsewhere.
        port = free_port(random.randrange(20_000, 30_000))
        address = f"http://127.0.0.1:{port}"
        process = subprocess.Popen(
            [sys.executable, "-m", module, "--port", str(port), *arguments], cwd=ROOT, env={**os.environ, **cls.place.environment()}
        )
        cls.addClassCleanup(process.wait)
        cls.addClassCleanup(process.terminate)
        until = time.monotonic() + PATIENCE
        while process.poll() is None and time.monotonic() < until:
            try:
                httpx.get(address, timeout=2)
                return address
            except httpx.TransportError:
                time.sleep(0.1)
        raise AssertionError(f"{module} does not answer")

    def wait_until(self, lot_id: int, states: set[str], seconds: float = 2 * PATIENCE) -> list[Row]:
        """Wait until every photo of the lot is in one of the states."""
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            rows = self.rows(lot_id)
            if all(row["state"] in states for row in rows):
                return rows
            time.sleep(0.1)
        self.fail(f"still {[row['state'] for row in self.rows(lot_id)]} after {seconds} s")
