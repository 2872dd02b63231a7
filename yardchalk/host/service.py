"""Start and stop the application: PostgreSQL, workers, web server; and load the demo lot."""

import contextlib
import ctypes
import fcntl
import hashlib
import json
import os
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
from datetime import date, timedelta
from pathlib import Path
from typing import IO, Any

from yardchalk.core.errors import YardError
from yardchalk.host.cluster import Cluster, free_port
from yardchalk.host.settings import ROOT, Place

_ANSWERS_S = 90.0  # a web server that has not answered by then will not; a slow machine takes half of that
STATE = Path(os.environ.get("YARD_STATE", ROOT / ".yard"))


class Service:
    """The processes of one running application.

    Parameters
    ----------
    state : Path
        Where its files live.
    label : str
        Of its cluster.
    workers : int, optional
        Worker processes; one per core by default.
    warm : bool, optional
        Whether render processes read in what the bench needs before somebody asks.
    """

    def __init__(self, state: Path, label: str, workers: int | None = None, warm: bool = True) -> None:
        self.state = state
        self.cluster = Cluster(state, label)
        self.workers = workers or os.cpu_count() or 1
        self.warm = warm
        self.children: list[tuple[list[str], subprocess.Popen[bytes]]] = []
        self.port = self.desk_port = self.capture_port = 0
        self._log: IO[bytes] | None = None

    @property
    def place(self) -> Place:
        return Place(
            self.cluster.url,
            f"file://{self.state / 'files'}",
            self.state / "deliveries",
            inbox=self.state / "inbox",
            desk_url=f"http://127.0.0.1:{self.desk_port}",
            capture_url=f"http://127.0.0.1:{self.capture_port}",
            warm=self.warm,
        )

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self, first_port: int) -> None:
        """Start everything; returns once the web server answers."""
        from yardchalk.jobs.queue import apply_schema
        from yardchalk.store.database import migrate

        self.state.mkdir(parents=True, exist_ok=True)
        self._log = open(self.state / "service.log", "ab")
        self.cluster.start()
        migrate(self.cluster.url)
        apply_schema(self.cluster.url)
        # The stand-ins' ports are told to the server when it starts; they themselves come after it.
        self.desk_port = free_port(first_port + 10)
        self.capture_port = free_port(self.desk_port + 1)
        for _ in range(5):
            self.port = free_port(first_port)
            web = [sys.executable, "-m", "yardchalk.web", "--port", str(self.port)]
            self._spawn(web)
            if self._answers():
                # Workers come after the server: loading the engine takes both processors, and who starts waits for the page.
                for _ in range(self.workers):
                    self._spawn([sys.executable, "-m", "yardchalk.jobs.worker"])
                standin = [sys.executable, "-m"]
                self._spawn([*standin, "yardchalk.standins.desk", "--port", str(self.desk_port), "--folder", str(self.state / "desk")])
                scenes = str(ROOT / "demo" / "photos")
                self._spawn([*standin, "yardchalk.standins.capture", "--port", str(self.capture_port), "--scenes", scenes])
                self._spawn([sys.executable, "-m", "yardchalk.jobs.watch"])
                return
            self._forget(web)
            first_port = self.port + 1
        raise YardError("does not answer", where="the web server", remedy=f"See {self.state / 'service.log'}")

    def watch(self) -> None:
        """Start again what died; once. Workers hold nothing that another cannot take up."""
        if not self.cluster.alive():
            port = self.cluster.port
            try:
                self.cluster.start(port)
            except YardError as error:
                # What is left of it may be ending still; the next look tries again.
                self._note(f"PostgreSQL ended and is not back yet: {error.message}")
                return
            if self.cluster.port != port:
                for _, child in self.children:  # they know its old address
                    child.kill()
                    child.wait()
        for i, (command, child) in enumerate(self.children):
            if child.poll() is not None:
                self.children[i] = (command, self._popen(command))

    def _note(self, words: str) -> None:
        if self._log is not None:
            self._log.write(f"{words}\n".encode())
            self._log.flush()

    def stop(self) -> None:
        """Stop everything; nothing is left running."""
        for _, child in self.children:
            with contextlib.suppress(ProcessLookupError):
                child.terminate()
        until = time.monotonic() + 8
        for _, child in self.children:
            try:
                child.wait(max(0.1, until - time.monotonic()))
            except subprocess.TimeoutExpired:
                child.kill()
                child.wait()
        self.children.clear()
        self.cluster.stop()
        if self._log is not None:
            self._log.close()

    def _spawn(self, command: list[str]) -> None:
        self.children.append((command, self._popen(command)))

    def _popen(self, command: list[str]) -> subprocess.Popen[bytes]:
        # A session of its own: Ctrl-C reaches only us, and we stop the children in order.
        return subprocess.Popen(
            command, cwd=ROOT, env={**os.environ, **self.place.environment()}, stdin=subprocess.DEVNULL,
            stdout=self._log, stderr=self._log, start_new_session=True, preexec_fn=_end_with_parent,
        )  # fmt: skip

    def _forget(self, command: list[str]) -> None:
        for pair in [pair for pair in self.children if pair[0] == command]:
            pair[1].kill()
            pair[1].wait()
            self.children.remove(pair)

    def _answers(self) -> bool:
        child = self.children[-1][1]
        until = time.monotonic() + _ANSWERS_S
        while time.monotonic() < until and child.poll() is None:
            with contextlib.suppress(urllib.error.URLError, ConnectionError, TimeoutError):
                with urllib.request.urlopen(f"{self.address}/api/health", timeout=2) as answer:
                    if json.load(answer).get("pid") == child.pid:
                        return True
            time.sleep(0.1)
        return False


def _end_with_parent() -> None:
    """Have the kernel end this process when its parent is killed, so that nothing is left running (prctl PR_SET_PDEATHSIG)."""
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)


def demo(first_port: int) -> int:
    """`./yard demo`: start, load the demo lot, print the address, and stay until stopped."""
    STATE.mkdir(parents=True, exist_ok=True)
    lock = open(STATE / "running.lock", "a+")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        running = _read_running()
        print(f"Yard Chalk runs already: {running.get('address', 'starting')}. Stop it with ./yard stop.", flush=True)
        return 0
    service = Service(STATE, "demo")
    for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        signal.signal(number, _interrupt)
    try:
        service.start(first_port)
        if service.port != first_port:
            print(f"Port {first_port} is taken; took {service.port}.", flush=True)
        (STATE / "running.json").write_text(json.dumps({"pid": os.getpid(), "address": service.address}))
        load_demo(service)
        print(f"\n  Yard Chalk is at {service.address}", flush=True)
        print(f"  Watched folder: {service.place.inbox}", flush=True)
        print(f"  Stand-ins: listing desk {service.place.desk_url}, capture station {service.place.capture_url}", flush=True)
        print("  Ctrl-C or ./yard stop ends it.\n", flush=True)
        while True:
            time.sleep(1)
            service.watch()
    except KeyboardInterrupt:
        print("Stopping.", flush=True)
        return 0
    finally:
        for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
            signal.signal(number, signal.SIG_IGN)
        service.stop()
        (STATE / "running.json").unlink(missing_ok=True)
        lock.close()


def _interrupt(*_: Any) -> None:
    raise KeyboardInterrupt


def load_demo(service: Service) -> None:
    """Put the demo shop's photos into lots and run them; does nothing if they are there, under whatever name, or were removed."""
    import psycopg
    from psycopg.rows import dict_row

    from yardchalk.store.queries import lot_rows, photo_rows

    place = service.place
    with psycopg.connect(place.database_url, row_factory=dict_row) as connection:
        lots = json.loads((ROOT / "demo" / "lots.json").read_text())
        missing = [lot for lot in lots if not photo_rows.is_held(connection, _digest_of(_demo_photos(lot)[0]))]
    if not missing:
        return  # before anything that loads the engine, which takes seconds

    from yardchalk.jobs.queue import RunQueue
    from yardchalk.studio.context import Studio
    from yardchalk.studio.intake import take_in
    from yardchalk.studio.running import ask_runs

    queue = RunQueue(place.database_url)
    queue.open()
    studio = Studio.opened(place.database_url, place.files_url, place.deliveries, queue, connections=2)
    try:
        for lot in missing:
            with studio.transaction() as connection:
                lot_id = lot_rows.add_lot(connection, lot["name"], lot["sheet"], lot["spec"])
                if "due_in_days" in lot:
                    lot_rows.set_due(connection, lot_id, date.today() + timedelta(days=lot["due_in_days"]))
            for path in _demo_photos(lot):
                with path.open("rb") as file:
                    take_in(studio, lot_id, path.name, file)
            ask_runs(studio, lot_id)
    finally:
        queue.close()
        studio.close()


def _demo_photos(lot: dict[str, Any]) -> list[Path]:
    return [path for pattern in lot["photos"] for path in sorted((ROOT / "demo" / "photos").glob(pattern))]


def _digest_of(path: Path) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest()


def _read_running() -> dict[str, Any]:
    with contextlib.suppress(OSError, json.JSONDecodeError):
        found: dict[str, Any] = json.loads((STATE / "running.json").read_text())
        return found
    return {}


def stop() -> int:
    """`./yard stop`: end the running application, and a cluster that was left behind."""
    running = _read_running()
    stopped = False
    if "pid" in running:
        with contextlib.suppress(ProcessLookupError):
            os.kill(int(running["pid"]), signal.SIGTERM)
            stopped = True
    until = time.monotonic() + 20
    while stopped and time.monotonic() < until and (STATE / "running.json").exists():
        time.sleep(0.1)
    cluster = Cluster(STATE, "demo")
    if cluster.data.exists():
        cluster.stop()
    (STATE / "running.json").unlink(missing_ok=True)
    print("Stopped." if stopped else "Nothing was running.")
    return 0
