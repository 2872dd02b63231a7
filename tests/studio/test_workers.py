"""Worker processes: killed in mid-run, nothing is lost and nothing done twice."""

import signal
import time

from tests.stand import StudioCase, small_photos
from yardchalk.studio.running import ask_runs


class WorkerTest(StudioCase):
    def test_a_killed_workers_photos_are_taken_up_again(self) -> None:
        files = small_photos(10)
        undisturbed, _ = self.lot(files)
        ask_runs(self.studio, undisturbed)
        self.work_here(undisturbed)
        lot_id, _ = self.lot(files)
        ask_runs(self.studio, lot_id)
        workers = [self.worker(), self.worker()]
        until = time.monotonic() + 60
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
