"""Worker processes: killed in mid-run, nothing is lost and nothing done twice."""

import asyncio
import signal
import subprocess
import sys
import time
import unittest

from tests.stand import PATIENCE, StudioCase, small_photos
from yardchalk.jobs.worker import retry_stalled, worker_app
from yardchalk.studio.running import ask_runs
from yardchalk.studio.trying import try_sheets

# As a worker's jobs: one after the other, on threads of which each is still there. Prints the most memory that was held, in MB.
_ON_THREADS = """
import concurrent.futures, pathlib, re
import numpy as np
from yardchalk.studio.folder_run import one_core

def job():
    held = [np.ones(20_000_000, np.uint8) for _ in range(15)]

one_core()
pools = [concurrent.futures.ThreadPoolExecutor(1) for _ in range(6)]
for pool in pools:
    pool.submit(job).result()
# Not what getrusage says: that begins with what the process held that started this one.
print(int(re.search(r"VmHWM:\\s+(\\d+)", pathlib.Path("/proc/self/status").read_text())[1]) // 1024)
"""


class MemoryTest(unittest.TestCase):
    def test_what_one_photo_took_serves_the_next_whatever_thread_it_runs_on(self) -> None:
        said = subprocess.run([sys.executable, "-c", _ON_THREADS], capture_output=True, text=True, check=True)
        self.assertLess(int(said.stdout), 750, "six times 300 MB, or once and what the libraries take")


class WorkerTest(StudioCase):
    def test_a_killed_workers_photos_are_taken_up_again(self) -> None:
        files = small_photos(10)
        undisturbed, _ = self.lot(files)
        ask_runs(self.studio, undisturbed)
        self.work_here(undisturbed)
        lot_id, _ = self.lot(files)
        ask_runs(self.studio, lot_id)
        workers = [self.worker(), self.worker()]
        until = time.monotonic() + PATIENCE
        while not any(row["state"] == "running" for row in self.rows(lot_id)) and time.monotonic() < until:
            time.sleep(0.02)
        workers[0].send_signal(signal.SIGKILL)
        workers[0].wait()
        # Kill the other one too, so that whatever was in hand is left behind, and let a new one find it.
        while not any(row["state"] == "running" for row in self.rows(lot_id)) and time.monotonic() < until:
            time.sleep(0.02)
        workers[1].send_signal(signal.SIGKILL)
        workers[1].wait()
        left = [row for row in self.rows(lot_id) if row["state"] != "done"]
        self.assertTrue(left, "killed too late to prove anything")
        self.worker()
        rows = self.wait_until(lot_id, {"done"})
        self.assertEqual([row["runs"] for row in rows], [1] * len(files), "none twice")
        self.assertEqual([row["result"] for row in rows], [row["result"] for row in self.rows(undisturbed)], "the same bytes")

    def test_what_one_worker_after_the_other_dies_of_is_given_up_and_can_be_retried(self) -> None:
        lot_id, _ = self.lot(small_photos(1))
        ask_runs(self.studio, lot_id)
        photo_id = self.rows(lot_id)[0]["id"]
        [cell] = try_sheets(self.studio, lot_id, ["transparent"], [photo_id])
        for deaths in (1, 2, 3):
            self.die_at_every_job()
            [photo], [tried] = self.rows(lot_id), try_sheets(self.studio, lot_id, ["transparent"], [photo_id])
            self.assertEqual({photo["state"], tried["state"]}, {"failed" if deaths == 3 else "waiting"}, f"after {deaths}")
        self.assertEqual(tried["id"], cell["id"])
        for row in (photo, tried):
            self.assertRegex(row["error"], "^PW-9000_pot.jpg: .*memory.*smaller")
        self.assertEqual(ask_runs(self.studio, lot_id, failed=True), 1)
        self.worker()
        self.wait_until(lot_id, {"done"})

    def die_at_every_job(self) -> None:
        """As the queue sees it: a worker has taken what waits, and is heard of no more."""
        with self.studio.transaction() as connection:
            connection.execute("UPDATE procrastinate_jobs SET status = 'doing', worker_id = NULL WHERE status = 'todo'")

        async def find() -> None:
            app = worker_app(self.place.database_url)
            async with app.open_async():
                await retry_stalled(app, self.studio)

        asyncio.run(find())
