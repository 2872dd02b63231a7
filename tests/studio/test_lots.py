"""Intake, runs and deliveries on a real database and file store."""

import contextlib
import csv
import hashlib
import io
import json
import resource
import threading
import zipfile
from collections.abc import Iterator

import psycopg

from tests.pictures import Scene
from tests.stand import StudioCase, empty_database, small_photos
from yardchalk.core.errors import NotThere, YardError
from yardchalk.core.settings import LiftMarks, Marks
from yardchalk.jobs.queue import apply_schema
from yardchalk.store.database import migrate, migrations
from yardchalk.store.queries import run_rows
from yardchalk.studio import history, lots, reading
from yardchalk.studio.delivering import deliver, folder_of, zip_delivery
from yardchalk.studio.intake import take_in
from yardchalk.studio.running import ask_lost, ask_runs, cancel_runs
from yardchalk.studio.sweeping import sweep


def zipped(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


@contextlib.contextmanager
def no_file_over(size: int) -> Iterator[None]:
    """As if the disk were full as soon as a file has so many bytes."""
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (size, before[1]))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, before)


class IntakeTest(StudioCase):
    def test_a_zip_with_good_and_bad_files(self) -> None:
        (first, second) = small_photos(2).values()
        drop = zipped(
            {
                "shoot/PW-1.jpg": first,
                "shoot/../../PW-2.jpg": second,
                "EEtEE/notes.txt": b"and its stand",
                "shoot/again.jpg": first,
                "shoot/cut.jpg": second[: len(second) // 2],
                "shoot/notes.txt": b"ask for the lid",
                "__MACOSX/._PW-1.jpg": b"\0\5",
            }
        )
        # UTF-8, and nothing says so.
        drop = drop.replace(b"EEtEE", "été".encode())
        lot_id, (report,) = self.lot({"shoot.zip": drop})
        rows = self.rows(lot_id)
        self.assertEqual([row["name"] for row in rows], ["shoot/PW-1.jpg", "PW-2.jpg"])
        self.assertEqual(self.studio.files.get(rows[0]["digest"]), first, "the original, byte for byte")
        self.assertEqual(len(report.known), 1)
        self.assertEqual(report.known[0].reason, "shoot/again.jpg is shoot/PW-1.jpg, which the lot has already")
        reasons = {refused.name: refused.reason for refused in report.refused}
        self.assertEqual(set(reasons), {"shoot/cut.jpg", "shoot/notes.txt", "été/notes.txt"})
        self.assertIn("cut short", reasons["shoot/cut.jpg"])
        self.assertIn("not a JPEG", reasons["shoot/notes.txt"])
        self.assertEqual(len(reading.lot(self.studio, lot_id)["refusals"]), 3, "kept for later reading")

    def test_a_full_disk_is_said_and_what_fits_is_kept(self) -> None:
        *photos, other = sorted(small_photos(4).items(), key=lambda item: len(item[1]))
        # What is compiled when it is first used is kept on disk too.
        before, _ = self.lot(dict([other]))
        ask_runs(self.studio, before)
        self.work_here(before)
        lot_id = lots.add_lot(self.studio, self.id(), "white", "square-2000")
        with no_file_over(len(photos[0][1])):
            report = take_in(self.studio, lot_id, "shoot.zip", io.BytesIO(zipped(dict(photos))))
        self.assertEqual([row["name"] for row in self.rows(lot_id)], [photos[0][0]])
        self.assertEqual([refused.name for refused in report.refused], [name for name, _ in photos[1:]])
        self.assertRegex(report.refused[0].reason, f"^{photos[1][0]}: is not kept. .*Make room on its disk")
        self.assertFalse(list(self.scratch.rglob("*.part")), "nothing half is left to fill it further")
        # A run that finds no room fails by that reason, and is done when there is some.
        ask_runs(self.studio, lot_id)
        with no_file_over(2000):
            self.work_here(lot_id)
        [row] = self.rows(lot_id)
        self.assertEqual(row["state"], "failed")
        self.assertIn("Make room on its disk", row["error"])
        take_in(self.studio, lot_id, "shoot.zip", io.BytesIO(zipped(dict(photos))))
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        self.assertEqual([row["state"] for row in self.rows(lot_id)], ["done"] * 3)

    def test_a_broken_zip_is_refused_whole(self) -> None:
        whole = zipped(small_photos(1))
        _, (report,) = self.lot({"shoot.zip": whole[: len(whole) // 2]})
        self.assertEqual([refused.name for refused in report.refused], ["shoot.zip"])

    def test_the_same_file_twice_at_once_is_stored_once(self) -> None:
        lot_id, _ = self.lot({})
        data = Scene(seed=77).made().jpeg
        threads = [threading.Thread(target=take_in, args=(self.studio, lot_id, f"{i}.jpg", io.BytesIO(data))) for i in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(len(self.rows(lot_id)), 1)


class RunTest(StudioCase):
    def test_only_what_changed_is_run_again(self) -> None:
        lot_id, _ = self.lot(small_photos(3))
        self.assertEqual(ask_runs(self.studio, lot_id), 3)
        self.assertEqual(ask_runs(self.studio, lot_id), 0, "they wait already")
        self.work_here(lot_id)
        first = self.rows(lot_id)
        self.assertEqual([row["state"] for row in first], ["done"] * 3)
        self.assertEqual(ask_runs(self.studio, lot_id), 0, "nothing changed")
        history.set_marks(self.studio, first[1]["id"], Marks(lift=LiftMarks(white_point=180)), "White point")
        self.assertEqual([row["state"] for row in self.rows(lot_id)], ["done", "waiting", "done"])
        self.work_here(lot_id)
        second = self.rows(lot_id)
        self.assertNotEqual(second[1]["result"], first[1]["result"])
        self.assertEqual(lots.set_lot(self.studio, lot_id, "white", "square-2000"), 3)
        self.assertEqual(cancel_runs(self.studio, lot_id), 3)
        self.assertEqual([row["result"] for row in self.rows(lot_id)], [row["result"] for row in second])

    def test_a_photo_that_fails_says_why_and_can_be_tried_again(self) -> None:
        lot_id, _ = self.lot(small_photos(2))
        digest = self.rows(lot_id)[0]["digest"]
        path = self.scratch / "files" / "content" / digest[:2] / digest[2:4] / digest
        good = path.read_bytes()
        path.write_bytes(good[: len(good) // 2])
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        failed, other = self.rows(lot_id)
        self.assertEqual((failed["state"], other["state"]), ("failed", "done"))
        self.assertIn("damaged", failed["error"])
        path.write_bytes(good)
        self.assertEqual(ask_runs(self.studio, lot_id), 1)
        self.work_here(lot_id)
        self.assertEqual([row["state"] for row in self.rows(lot_id)], ["done", "done"])

    def test_a_photo_whose_job_is_gone_is_asked_again(self) -> None:
        lot_id, _ = self.lot(small_photos(1))
        ask_runs(self.studio, lot_id)
        with self.studio.transaction() as connection:
            connection.execute("DELETE FROM procrastinate_jobs")
            self.assertEqual(run_rows.lost(connection), [], "not at once")
            connection.execute("UPDATE photos SET updated_at = now() - interval '1 minute'")
        self.assertEqual(ask_lost(self.studio), 1)


class DeliveryTest(StudioCase):
    def test_ready_files_with_manifest_and_never_over_another(self) -> None:
        files = small_photos(2) | {"cut off.jpg": Scene(width=480, height=360, shift=0.45).made().jpeg}
        lot_id, _ = self.lot(files)
        with self.assertRaises(YardError):
            deliver(self.studio, lot_id)
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        by_name = {row["name"]: row for row in self.rows(lot_id)}
        self.assertEqual(by_name["cut off.jpg"]["verdict"], "look")
        ready = {row["name"] for row in by_name.values() if row["verdict"] == "ready"}
        self.assertTrue(ready)
        first, second = (self.delivered_here(lot_id) for _ in range(2))
        self.assertNotEqual(first["folder"], second["folder"])
        folder = folder_of(self.studio, first)
        manifest = json.loads((folder / "manifest.json").read_text())
        self.assertEqual({row["source"] for row in manifest["files"]}, ready)
        for row in manifest["files"]:
            data = (folder / row["file"]).read_bytes()
            self.assertEqual(hashlib.sha256(data).hexdigest(), row["result_sha256"])
            self.assertEqual(hashlib.sha256(files[row["source"]]).hexdigest(), row["source_sha256"])
        with (folder / "manifest.csv").open() as text:
            self.assertEqual([row["file"] for row in csv.DictReader(text)], [row["file"] for row in manifest["files"]])
        archive = zipfile.ZipFile(io.BytesIO(b"".join(zip_delivery(self.studio, first))))
        self.assertIsNone(archive.testzip())
        self.assertEqual(len(archive.namelist()), len(ready) + 2)

    def test_a_delivery_that_cannot_be_finished_leaves_nothing_under_its_name(self) -> None:
        lot_id, _ = self.lot({"mine.jpg": Scene(width=480, height=360, seed=55).made().jpeg})
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        (row,) = self.rows(lot_id)
        path = self.scratch / "files" / "content" / row["result"][:2] / row["result"][2:4] / row["result"]
        path.write_bytes(b"not what was checked")
        before = {p.name for p in self.studio.deliveries.glob("[!.]*")}
        failed = self.delivered_here(lot_id, "ready", "look", "fix")
        self.assertEqual(failed["state"], "failed")
        self.assertIn("damaged", failed["error"])
        self.assertEqual({p.name for p in self.studio.deliveries.glob("[!.]*")}, before)


class RemovedLotTest(StudioCase):
    def test_a_lot_is_renamed_put_away_taken_back_and_at_last_forgotten_but_not_what_was_delivered(self) -> None:
        lot_id, _ = self.lot(small_photos(2))
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        made = self.delivered_here(lot_id, "ready", "look")
        lots.rename_lot(self.studio, lot_id, " Spring ")
        self.assertEqual(reading.lot(self.studio, lot_id)["name"], "Spring")
        take_in(self.studio, lot_id, "late.jpg", io.BytesIO(Scene(width=480, height=360, seed=9).made().jpeg))
        self.assertEqual(ask_runs(self.studio, lot_id), 1)
        lots.remove_lot(self.studio, lot_id)
        self.assertEqual({row["state"] for row in self.rows(lot_id)}, {"done", "idle"}, "what waited is taken back")
        self.assertNotIn(lot_id, [row["id"] for row in reading.lots(self.studio)])
        for gone in (reading.lot, lots.remove_lot):
            with self.assertRaisesRegex(NotThere, f"Lot {lot_id}"):
                gone(self.studio, lot_id)
        (away,) = [row for row in lots.removed_lots(self.studio) if row["id"] == lot_id]
        self.assertEqual((away["name"], away["photos"]), ("Spring", 3))
        lots.take_back_lot(self.studio, lot_id)
        self.assertEqual(reading.lot(self.studio, lot_id)["waiting"], 1, "and asked for again")
        lots.remove_lot(self.studio, lot_id)
        sweep(self.studio, 0)
        self.assertEqual(len(self.rows(lot_id)), 3, "kept for a while")
        originals = {row["digest"] for row in self.rows(lot_id)}
        with self.studio.transaction() as connection:
            connection.execute("UPDATE lots SET removed_at = now() - interval '31 days' WHERE id = %s", (lot_id,))
        sweep(self.studio, 0)
        with self.assertRaisesRegex(NotThere, "not kept any more"):
            lots.take_back_lot(self.studio, lot_id)
        self.assertFalse(originals & self.studio.files.old_content(0))
        (record,) = [row for row in reading.deliveries(self.studio) if row["id"] == made["id"]]
        self.assertEqual((record["lot_id"], record["lot_name"], record["files"]), (None, self.id(), 2))
        self.assertGreater(len(b"".join(zip_delivery(self.studio, record))), 10_000)


class MigrationTest(StudioCase):
    def test_from_empty_step_by_step_and_side_by_side(self) -> None:
        url = empty_database()
        numbers = [number for number, _ in migrations()]
        for number in numbers:
            self.assertEqual(migrate(url, up_to=number), 1)
        self.assertEqual(migrate(url), 0)
        other = empty_database()
        threads = [threading.Thread(target=migrate, args=(other,)) for _ in range(3)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        apply_schema(other)
        apply_schema(other)
        with psycopg.connect(other) as connection:
            self.assertEqual(connection.execute("SELECT array_agg(number ORDER BY number) FROM migrations").fetchone(), (numbers,))
