"""Nothing is ever lost: server, worker and PostgreSQL killed in the middle of intake, run and delivery, against an undisturbed run."""

import os
import signal
import tempfile
import threading
import time
from collections.abc import Callable
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import httpx
import psycopg
from psycopg.rows import dict_row

from tests.stand import PATIENCE, StudioCase, small_photos
from yardchalk.core.errors import YardError
from yardchalk.host.service import Service
from yardchalk.host.settings import Place
from yardchalk.jobs.queue import RunQueue
from yardchalk.studio.context import Studio
from yardchalk.studio.running import ask_runs
from yardchalk.studio.sweeping import sweep

FILES = small_photos(8)


@dataclass
class Running:
    """The whole application, with what starts again what died."""

    service: Service

    def request(self, method: str, path: str, **options: Any) -> httpx.Response:
        """As the page does: what is not answered is sent again until it is."""
        until = time.monotonic() + PATIENCE
        while True:
            try:
                answer = httpx.request(method, f"{self.service.address}{path}", timeout=20, **options)
                if answer.status_code < 500:
                    return answer
            except httpx.TransportError:
                pass
            if time.monotonic() > until:
                raise AssertionError(f"{path} is not answered")
            time.sleep(0.1)

    def child(self, module: str) -> int:
        return next(child.pid for command, child in self.service.children if module in command)

    def kill(self, module: str) -> None:
        if module == "postgres":
            os.kill(int((self.service.cluster.data / "postmaster.pid").read_text().split()[0]), signal.SIGKILL)
        else:
            os.kill(self.child(module), signal.SIGKILL)

    def rows(self, sql: str) -> list[dict[str, Any]]:
        until = time.monotonic() + PATIENCE
        while True:
            try:
                with psycopg.connect(self.service.place.database_url, row_factory=dict_row) as connection:
                    return connection.execute(sql.encode()).fetchall()
            except psycopg.OperationalError:
                if time.monotonic() > until:
                    raise
                time.sleep(0.2)

    def wait(self, there: Callable[[], bool], what: str, seconds: float = 2 * PATIENCE, every: float = 0.05) -> None:
        until = time.monotonic() + seconds
        while not there():
            if time.monotonic() > until:
                raise AssertionError(f"not {what} after {seconds} s")
            time.sleep(every)

    def states(self) -> list[str]:
        return [row["state"] for row in self.rows("SELECT state FROM photos")]

    def swept(self) -> int:
        """Orphans of any age that are found now that nothing is being done."""
        place = self.service.place
        queue = RunQueue(place.database_url)
        studio = Studio.opened(place.database_url, place.files_url, place.deliveries, queue, connections=1)
        try:
            return sweep(studio, older_s=0)
        finally:
            studio.close()


def outcome(place: Place) -> dict[str, Any]:
    """All that a person would miss: rows, and bytes of what is stored and delivered."""
    with psycopg.connect(place.database_url, row_factory=dict_row) as connection:
        photos = connection.execute(
            "SELECT name, digest, state, verdict, result, preview, runs, checked FROM photos ORDER BY name"
        ).fetchall()
        files = connection.execute("SELECT name, source_digest, digest, bytes, verdict FROM delivery_files ORDER BY name").fetchall()
    delivered = {
        path.name: path.read_bytes()
        for folder in place.deliveries.iterdir()
        for path in folder.iterdir()
        if not path.name.startswith("manifest")
    }
    content = Path(place.files_url.removeprefix("file://")) / "content"
    stored = {path.name for path in content.rglob("*") if path.is_file()}
    return {"photos": photos, "files": files, "delivered": delivered, "stored": stored}


@contextmanager
def running(first_port: int) -> Any:
    with tempfile.TemporaryDirectory() as folder:
        service = Service(Path(folder), "crash", workers=2, warm=False)
        stopped = threading.Event()

        def watch() -> None:
            while not stopped.wait(0.3):
                service.watch()

        watcher = threading.Thread(target=watch)
        try:
            service.start(first_port)
            watcher.start()
            yield Running(service)
        finally:
            stopped.set()
            if watcher.is_alive():
                watcher.join()
            service.stop()
            service.cluster.remove()


class NothingLostTest(StudioCase):
    def undisturbed(self) -> dict[str, Any]:
        """The same in this process, one thing after the other."""
        lot_id, _ = self.lot(FILES, spec="cutout")
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        self.delivered_here(lot_id, "ready", "look", "fix")
        return outcome(self.place)

    def worked(self, first_port: int, disturb: Callable[[Running, str, int], None]) -> dict[str, Any]:
        """Intake, run and delivery; `disturb` is called in the middle of each, with the number of the step."""
        with running(first_port) as there:
            lot_id = there.request("POST", "/api/lots", json={"name": "Lot", "sheet": "white", "spec": "cutout"}).json()["id"]
            for number, (name, data) in enumerate(FILES.items()):
                timer = threading.Timer(0.01, disturb, (there, "intake", number))
                timer.start()
                there.request("POST", f"/api/lots/{lot_id}/files", params={"name": name}, content=data)
                timer.join()
            there.request("POST", f"/api/lots/{lot_id}/run", json={})
            for number in range(3):
                there.wait(lambda: "running" in there.states() or set(there.states()) == {"done"}, "running")
                disturb(there, "run", number)
            there.wait(lambda: set(there.states()) == {"done"}, "done")
            there.request("POST", f"/api/lots/{lot_id}/deliveries", json={"verdicts": ["ready", "look", "fix"]})
            parts = there.service.place.deliveries
            there.wait(lambda: any(parts.glob(".*.part/*")) or any(parts.glob("[!.]*")), "being written", every=0.001)
            disturb(there, "delivery", 0)
            there.wait(lambda: [row["state"] for row in there.rows("SELECT state FROM deliveries")] == ["done"], "delivered")
            self.assertEqual(len(there.rows("SELECT id FROM deliveries")), 1)
            swept = there.swept()
            self.assertFalse(any(parts.glob(".*")), "no half delivery")
            self.assertFalse(list((there.service.state / "files").rglob("*.part")), "no half file")
            found = outcome(there.service.place)
            print(f"\n{len(found['photos'])} photos, {len(found['delivered'])} files delivered; {swept} left over and swept")
            return found

    def test_killed_in_the_middle_it_comes_to_the_same(self) -> None:
        quiet = self.undisturbed()
        self.assertEqual(len(quiet["delivered"]), len(FILES))
        killed: list[str] = []

        def disturb(there: Running, step: str, number: int) -> None:
            what = {
                ("intake", 2): "yardchalk.web",
                ("intake", 6): "postgres",
                ("run", 0): "yardchalk.jobs.worker",
                ("run", 1): "postgres",
                ("run", 2): "yardchalk.web",
                ("delivery", 0): "yardchalk.jobs.worker",
            }.get((step, number))
            if what is None:
                return
            there.kill(what)
            killed.append(f"{step}: {what}")
            if step == "delivery":
                # Whichever of the two workers had it.
                for command, child in list(there.service.children):
                    if "yardchalk.jobs.worker" in command:
                        os.kill(child.pid, signal.SIGKILL)

        disturbed = self.worked(9440, disturb)
        print("; ".join(killed))
        self.assertEqual(len(killed), 6)
        self.assertEqual([row["runs"] for row in disturbed["photos"]], [1] * len(FILES), "nothing twice")
        for part in quiet:
            self.assertEqual(disturbed[part], quiet[part], part)

    def test_a_cluster_that_cannot_come_back_is_said(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            service = Service(Path(folder), "broken", workers=1)
            self.addCleanup(service.cluster.remove)
            service.cluster.start(9470)
            service.cluster.stop()
            (service.cluster.data / "global" / "pg_control").unlink()
            with self.assertRaisesRegex(YardError, "did not start"):
                service.cluster.start(9470)
