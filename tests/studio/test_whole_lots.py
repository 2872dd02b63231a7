"""Whole lots: turns, pauses and holds; the shelf and tries; names and deliveries; the watched folder, the station and the desk."""

import json
import os
import time
from dataclasses import replace
from pathlib import Path
from unittest import mock
from unittest.mock import DEFAULT

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from tests.pictures import Scene
from tests.stand import StudioCase, small_photos
from yardchalk.core.codecs import decode_photo, inspect_photo
from yardchalk.core.errors import BadSettings, YardError
from yardchalk.core.settings import LiftMarks, ListingSpec, Marks, RunSheet, load_sheet, load_spec
from yardchalk.host.settings import ROOT
from yardchalk.jobs.watch import LOOSE, Inbox
from yardchalk.standins.capture import captured
from yardchalk.standins.desk import judge
from yardchalk.store.queries import delivery_rows, try_rows
from yardchalk.studio import capturing, history, judging, lots, reading, running, sending, shelf, trying
from yardchalk.studio.context import Studio
from yardchalk.studio.delivering import deliver, plan, retry, write_delivery
from yardchalk.studio.names import plan_names, sku_of, slug
from yardchalk.studio.running import ask_runs, compute
from yardchalk.studio.sweeping import sweep


class QueueTest(StudioCase):
    def setUp(self) -> None:
        # What another test left waiting.
        with self.studio.transaction() as connection:
            connection.execute("DELETE FROM lots")
            connection.execute("DELETE FROM procrastinate_jobs")

    def turns(self) -> list[int]:
        """Lots of this test in the order in which the queue will have their photos."""
        with self.studio.transaction() as connection:
            rows = connection.execute(
                """SELECT p.lot_id FROM procrastinate_jobs j JOIN photos p ON p.job_id = j.id
                   WHERE j.status = 'todo' ORDER BY j.priority DESC, j.id"""
            ).fetchall()
        return [int(row["lot_id"]) for row in rows]

    def test_lots_take_turns_and_a_late_one_does_not_wait_for_the_end_of_a_long_one(self) -> None:
        long_lot, _ = self.lot(small_photos(6))
        ask_runs(self.studio, long_lot)
        short_lot, _ = self.lot(small_photos(3))
        ask_runs(self.studio, short_lot)
        self.assertEqual(self.turns()[:6], [long_lot, short_lot] * 3)
        # After three of the long lot, one more comes: it begins where the queue is, not before it.
        for row in self.rows(long_lot)[:3]:
            running.run_photo(self.studio, row["id"], row["asked_key"])
            with self.studio.transaction() as connection:
                connection.execute("UPDATE procrastinate_jobs SET status = 'succeeded' WHERE id = %s", (row["job_id"],))
        third, _ = self.lot(small_photos(2))
        ask_runs(self.studio, third)
        self.assertEqual(set(self.turns()[:2]), {short_lot, third})

    def test_a_paused_lot_waits_and_goes_on_in_order(self) -> None:
        lot_id, _ = self.lot(small_photos(3))
        ask_runs(self.studio, lot_id)
        self.assertEqual(running.pause(self.studio, lot_id), 3)
        self.assertNotIn(lot_id, self.turns())
        self.assertTrue(reading.lot(self.studio, lot_id)["paused"])
        with self.studio.transaction() as connection:
            connection.execute("UPDATE photos SET updated_at = now() - interval '1 minute'")
        self.assertEqual(running.ask_lost(self.studio), 0, "a paused photo is not lost")
        first = self.rows(lot_id)[0]
        ask_runs(self.studio, lot_id, only=[first["id"]], urgent=True)
        self.assertEqual(running.go_on(self.studio, lot_id), 3)
        self.assertEqual(self.turns().count(lot_id), 3)
        self.work_here(lot_id)
        self.assertEqual({row["state"] for row in self.rows(lot_id)}, {"done"})
        self.assertEqual(ask_runs(self.studio, lot_id), 0, "only what changed is run")

    def test_only_what_failed_is_tried_again(self) -> None:
        lot_id, _ = self.lot(small_photos(2))
        failed, _ = self.rows(lot_id)
        ask_runs(self.studio, lot_id, only=[failed["id"]])
        with self.studio.transaction() as connection:
            connection.execute("UPDATE photos SET state = 'failed', error = 'x' WHERE id = %s", (failed["id"],))
        self.assertEqual(ask_runs(self.studio, lot_id, failed=True), 1)
        self.assertEqual([row["state"] for row in self.rows(lot_id)], ["waiting", "idle"])
        running.cancel_runs(self.studio, lot_id)

    def test_a_photo_at_the_bench_is_not_overwritten_by_a_run(self) -> None:
        lot_id, _ = self.lot(small_photos(2), sheet="white", spec="cutout")
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        held, free = self.rows(lot_id)
        running.hold(self.studio, held["id"])
        lots.set_lot(self.studio, lot_id, "transparent", "cutout")
        self.work_here(lot_id)
        now = {row["id"]: row for row in self.rows(lot_id)}
        self.assertEqual(now[held["id"]]["result"], held["result"])
        self.assertNotEqual(now[free["id"]]["result"], free["result"])
        self.assertEqual(running.let_go(self.studio, held["id"]), 1)
        self.work_here(lot_id)
        self.assertNotEqual(self.rows(lot_id)[0]["result"], held["result"])
        self.assertEqual(running.let_go(self.studio, free["id"]), 0)
        # A hold that was never ended runs out.
        running.hold(self.studio, held["id"])
        lots.set_lot(self.studio, lot_id, "white", "cutout")
        with self.studio.transaction() as connection:
            connection.execute("UPDATE photos SET held_until = now() - interval '1 second' WHERE id = %s", (held["id"],))
        self.assertEqual(running.let_go(self.studio), 1)


class ShelfTest(StudioCase):
    def test_versions_are_kept_told_apart_and_not_kept_twice(self) -> None:
        mine = RunSheet.model_validate({"name": "linen", "title": "Linen", "edge": {"feather": {"value": 1}}})
        self.assertEqual(shelf.keep(self.studio, mine, origin="test"), "linen@1")
        self.assertEqual(shelf.keep(self.studio, mine, origin="test"), "linen@1")
        text = json.dumps({**json.loads(mine.model_dump_json()), "edge": {"feather": {"value": 3}}})
        self.assertEqual(shelf.taken_in(self.studio, "sheet", text, "linen.json"), "linen@2")
        self.assertEqual(shelf.difference(self.studio, "sheet", "linen@1", "linen@2"), ["Edge, feather: 1 px, now 3 px"])
        with self.assertRaisesRegex(BadSettings, "linen.json: edge.feather.value"):
            shelf.taken_in(self.studio, "sheet", text.replace('"value": 3', '"value": 3000'), "linen.json")
        newest = next(one for one in shelf.listed(self.studio, "sheet") if one.name == "linen")
        self.assertEqual((newest.ref, newest.changes), ("linen@2", ["Edge, feather: 1 px, now 3 px"]))
        again = RunSheet.model_validate(json.loads(shelf.as_file(newest.content)))
        self.assertEqual(again.edge.feather.value, 3)
        changed = load_spec("cutout").model_copy(update={"margin": 10.0})
        self.assertEqual(shelf.keep(self.studio, changed, origin="test"), "cutout@2", "a shipped one is its first version")
        lot_id = lots.add_lot(self.studio, "Lot", "linen@2", "cutout@2")
        with self.assertRaisesRegex(YardError, "in force"):
            shelf.forget(self.studio, "sheet", "linen@2")
        shelf.forget(self.studio, "sheet", "linen@1")
        with self.assertRaisesRegex(YardError, "ships"):
            shelf.forget(self.studio, "sheet", "white")
        with self.assertRaisesRegex(BadSettings, "not on the shelf"):
            lots.set_lot(self.studio, lot_id, "linen@1", "cutout")

    def test_a_kept_sheet_runs_and_a_new_name_alone_runs_nothing_anew(self) -> None:
        lot_id, _ = self.lot(small_photos(1), sheet="white", spec="cutout")
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        ref = shelf.keep(self.studio, load_sheet("white").model_copy(update={"name": "mine", "title": "Mine"}), origin="test")
        self.assertEqual(lots.set_lot(self.studio, lot_id, ref, "cutout"), 0, "it does the same")
        wide = shelf.keep(self.studio, load_spec("cutout").model_copy(update={"margin": 20.0, "name": "wide"}), origin="test")
        before = self.rows(lot_id)[0]["result_width"]
        self.assertEqual(lots.set_lot(self.studio, lot_id, ref, wide), 1)
        self.work_here(lot_id)
        self.assertGreater(self.rows(lot_id)[0]["result_width"], before)

    def test_a_grid_of_tries(self) -> None:
        files = {f"{i}.jpg": Scene(width=480, height=360, seed=i, level=235).made().jpeg for i in range(5)}
        lot_id, _ = self.lot(files | {"dark.jpg": Scene(width=480, height=360, level=150).made().jpeg}, spec="cutout")
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        photos = trying.samples(self.studio, lot_id, 3)
        names = {row["id"]: row["name"] for row in self.rows(lot_id)}
        self.assertIn("dark.jpg", {names[i] for i in photos})
        results = [row["result"] for row in self.rows(lot_id)]
        cells = trying.try_sheets(self.studio, lot_id, ["white", "transparent"], photos[:2])
        self.assertEqual({cell["state"] for cell in cells}, {"waiting"})
        for cell in cells:
            trying.run_try(self.studio, cell["id"])
        done = trying.try_sheets(self.studio, lot_id, ["white", "transparent"], photos[:2])
        self.assertEqual({(cell["state"], bool(cell["preview"]), bool(cell["figures"])) for cell in done}, {("done", True, True)})
        self.assertNotEqual(done[0]["preview"], done[2]["preview"])
        self.assertEqual([row["result"] for row in self.rows(lot_id)], results, "nothing of the lot was touched")
        with self.studio.transaction() as connection:
            try_rows.fail_try(connection, done[0]["id"], "out of memory")
        self.assertEqual(trying.try_sheets(self.studio, lot_id, ["white"], photos[:1])[0]["state"], "failed", "not again by itself")
        (cell,) = trying.try_sheets(self.studio, lot_id, ["white"], photos[:1], again=True)
        self.assertEqual((cell["state"], cell["error"]), ("waiting", None))
        with self.assertRaisesRegex(YardError, "at most"):
            trying.try_sheets(self.studio, lot_id, ["white"] * 9, photos)


class NamesTest(StudioCase):
    def test_patterns_clashes_and_unsafe_characters(self) -> None:
        photos = [("PW-1004_jug.jpg", ".png"), ("PW-1004_jug.tif", ".png"), ("100%/=x.jpg", ".png"), ("pw-1004_JUG.webp", ".png")]
        named = plan_names("{sku}_{n:03}", photos, lot="Spring", spec="cutout")
        self.assertEqual(named[0].name, "PW-1004_001.png")
        named = plan_names("{name}", photos, lot="Spring", spec="cutout")
        self.assertEqual([one.name for one in named], ["PW-1004_jug.png", "PW-1004_jug-2.png", "=x.png", "pw-1004_JUG-3.png"])
        self.assertIn("numbered", named[1].why)
        (odd,) = plan_names("{lot}: {spec}/{n}", photos[:1], lot="a%b", spec="cutout")
        self.assertEqual((odd.name, bool(odd.why)), ("a_b_ cutout_1.png", True))
        self.assertEqual([sku_of(name) for name in ("PW-1004_jug.jpg", "teapot.jpg", "123456 x.jpg")], ["PW-1004", "teapot", "123456"])
        by_folder = [("PW-1004/front.jpg", ".png"), ("PW-1011/front.jpg", ".png"), ("PW-1011/IMG_0231.jpg", ".png"), ("loose.jpg", ".png")]
        for pattern, names in {
            "{folder} {name}": ["PW-1004 front", "PW-1011 front", "PW-1011 IMG_0231", "Spring loose"],
            "{sku}-{n}": ["PW-1004-1", "PW-1011-2", "PW-1011-3", "loose-4"],
            "{name}": ["PW-1004_front", "PW-1011_front", "IMG_0231", "loose"],
        }.items():
            self.assertEqual(
                [one.name for one in plan_names(pattern, by_folder, lot="Spring", spec="x")], [f"{name}.png" for name in names]
            )
        for pattern in ("{what}", "{n:3}", "{name", "x}"):
            with self.assertRaises(ValueError):
                ListingSpec.model_validate({"name": "x", "names": pattern})

    @given(st.text(max_size=60))
    def test_whatever_a_person_calls_it_there_is_a_name_for_it(self, title: str) -> None:
        name = slug(title, 40)
        if name or any(c.isalnum() for c in title):
            ListingSpec.model_validate({"name": name})

    def test_letters_of_any_script_tell_names_apart(self) -> None:
        self.assertEqual([slug(title, 40) for title in ("Crème, Größe 2", "Spring: pots & pans")], ["creme-grosse-2", "spring-pots-pans"])
        self.assertEqual(len({slug(title, 40) for title in ("Весна 2026", "Лето 2026", "2026")}), 3)
        self.assertEqual(slug("!?", 40), "")

    def test_a_plan_is_what_is_written(self) -> None:
        ref = shelf.keep(self.studio, load_spec("cutout").model_copy(update={"name": "numbered", "names": "{sku}-{n:02}"}), origin="test")
        lot_id, _ = self.lot(small_photos(2), spec=ref)
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        planned = plan(self.studio, lot_id, frozenset({"ready", "look", "fix"}))
        delivery = self.delivered_here(lot_id, "ready", "look", "fix")
        folder = self.place.deliveries / delivery["folder"]
        self.assertEqual({one["name"] for one in planned} | {"manifest.csv", "manifest.json"}, {path.name for path in folder.iterdir()})
        self.assertEqual([one["name"] for one in planned], ["PW-9000-01.png", "PW-9001-02.png"])

    def test_what_was_delivered_as_it_is_can_be_left_out_of_the_next_delivery(self) -> None:
        lot_id, _ = self.lot(small_photos(2))
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        everything = frozenset({"ready", "look", "fix"})
        self.assertEqual([one["delivered"] for one in plan(self.studio, lot_id, everything, new_only=True)], [False, False])
        self.delivered_here(lot_id, *everything)
        self.assertEqual(reading.lot(self.studio, lot_id)["delivered"], 2)
        with self.assertRaisesRegex(YardError, "no photo to deliver"):
            deliver(self.studio, lot_id, everything, new_only=True)
        first = self.rows(lot_id)[0]
        self.assertEqual(ask_runs(self.studio, lot_id, only=[first["id"]], anew=True), 1)
        self.work_here(lot_id)
        self.assertEqual(reading.lot(self.studio, lot_id)["delivered"], 2, "worked again to the same bytes")
        history.set_marks(self.studio, first["id"], Marks(lift=LiftMarks(white_point=200)), "White point")
        ask_runs(self.studio, lot_id)
        self.assertEqual(reading.lot(self.studio, lot_id)["delivered"], 1)
        self.work_here(lot_id)
        self.assertEqual([one["photo"] for one in plan(self.studio, lot_id, everything, new_only=True)], [first["id"]])
        self.assertEqual([one["delivered"] for one in plan(self.studio, lot_id, everything)], [False, True])

    def test_a_lot_is_delivered_for_another_spec_as_if_that_were_its_own(self) -> None:
        lot_id, _ = self.lot(small_photos(3), spec="square-2000")
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        turned = self.rows(lot_id)[2]
        history.set_marks(self.studio, turned["id"], Marks(lift=LiftMarks(white_point=210)), "White point")
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        everything = frozenset({"ready", "look"})
        sweep(self.studio, older_s=0)
        number = deliver(self.studio, lot_id, everything, spec="cutout")
        # What is changed from now on belongs into the next one.
        history.set_marks(self.studio, turned["id"], Marks(lift=LiftMarks(white_point=190)), "White point")
        with mock.patch("yardchalk.studio.making.compute", side_effect=[DEFAULT, OSError(28, "No space left")], wraps=compute):
            write_delivery(self.studio, number)
        (listed,) = [one for one in reading.deliveries(self.studio) if one["id"] == number]
        self.assertEqual((listed["state"], listed["files"], listed["made"]), ("failed", 3, 1))
        self.assertEqual(sweep(self.studio, older_s=0), 0, "what is still to be made is not swept away")
        retry(self.studio, number)
        with mock.patch("yardchalk.studio.making.compute", wraps=compute) as made:
            write_delivery(self.studio, number)
        self.assertEqual(made.call_count, 2, "what was made before is not made again")
        delivery = reading.delivery(self.studio, number)
        folder = self.place.deliveries / delivery["folder"]
        planned = plan(self.studio, lot_id, everything | {"fix"}, spec="cutout")
        self.assertEqual({path.name for path in folder.glob("PW*")}, {"PW-9000_pot.png", "PW-9001_pot.png", "PW-9002_pot.png"})
        self.assertLessEqual({one["name"] for one in planned}, {path.name for path in folder.iterdir()})
        history.set_marks(self.studio, turned["id"], Marks(lift=LiftMarks(white_point=210)), "White point")
        lots.set_lot(self.studio, lot_id, "white", "cutout")
        self.work_here(lot_id)
        manifest = json.loads((folder / "manifest.json").read_text())["files"]
        self.assertEqual({file["listing_spec"] for file in manifest}, {"cutout"})
        for file, row in zip(manifest, self.rows(lot_id), strict=True):
            self.assertEqual(file["result_sha256"], row["result"])
            self.assertEqual((file["verdict"], file["findings"]), (row["verdict"], row["findings"]))

    def test_what_does_not_pass_for_another_spec_is_left_out_until_it_is_allowed_there(self) -> None:
        # The photo is too small for that canvas.
        unlarged = load_spec("square-2000").model_copy(update={"name": "unlarged", "enlarge": False})
        ref = shelf.keep(self.studio, unlarged, origin="test")
        lot_id, _ = self.lot(small_photos(1))
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        number = deliver(self.studio, lot_id, frozenset({"ready", "look"}), spec=ref)
        write_delivery(self.studio, number)
        (file,) = reading.delivery_files(self.studio, number, "found", 9)
        self.assertRegex(file["left_out"], "^To fix, for this listing spec: .*fill")
        (listed,) = [one for one in reading.deliveries(self.studio) if one["id"] == number]
        self.assertEqual((listed["state"], listed["files"], listed["left_out"]), ("failed", 0, 1))
        self.assertIn("all were left out", listed["error"])
        # Elsewhere somebody allows it wherever that spec is in force.
        other, _ = self.lot(small_photos(1), spec=ref)
        ask_runs(self.studio, other)
        self.work_here(other)
        (row,) = self.rows(other)
        at, found = next((i, one) for i, one in enumerate(row["findings"]) if one["check"] == "framing")
        judging.allow_finding(self.studio, row["id"], at, found["message"], "spec", "The channel takes them")
        retry(self.studio, number)
        write_delivery(self.studio, number)
        (file,) = reading.delivery_files(self.studio, number, "all", 9)
        self.assertEqual((reading.delivery(self.studio, number)["state"], file["left_out"]), ("done", None))
        allowed = next(one["allowed"] for one in file["findings"] if one["check"] == "framing")
        self.assertEqual(allowed["reason"], "The channel takes them")


class StandInTest(StudioCase):
    def with_urls(self, desk_url: str = "", capture_url: str = "") -> Studio:
        return replace(self.studio, desk_url=desk_url, capture_url=capture_url)

    def test_the_desk_takes_a_delivery_and_says_why_not(self) -> None:
        desk = self.served("yardchalk.standins.desk", "--folder", str(self.scratch / "desk"))
        studio = self.with_urls(desk_url=desk)
        lot_id, _ = self.lot(small_photos(2), spec="square-2000")
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        delivery = self.delivered_here(lot_id, "ready", "look")
        with self.assertRaisesRegex(YardError, "listing desk"):
            sending.ask_sending(self.studio, delivery["id"])
        self.assertEqual(sending.ask_sending(studio, delivery["id"]), 2)
        path = self.place.deliveries / delivery["folder"] / "PW-9001_pot.jpg"
        good = path.read_bytes()
        pixels = decode_photo(good, "x").pixels.copy()
        pixels[0, 0] = 250
        Image.fromarray(pixels).save(path, quality=95)
        sending.send_delivery(studio, delivery["id"])

        def answers() -> dict[str, tuple[str, str]]:
            with self.studio.transaction() as connection:
                rows = delivery_rows.delivery_files(connection, delivery["id"])
            return {row["name"]: (row["answer"], " ".join(row["reasons"])) for row in rows}

        self.assertEqual(answers()["PW-9000_pot.jpg"], ("accepted", ""))
        refused, why = answers()["PW-9001_pot.jpg"]
        self.assertEqual(refused, "refused")
        self.assertIn("not tagged sRGB", why)
        path.write_bytes(good)
        self.assertEqual(sending.ask_sending(studio, delivery["id"]), 1, "only what was not accepted")
        sending.send_delivery(studio, delivery["id"])
        self.assertEqual({answer for answer, _ in answers().values()}, {"accepted"})
        with self.studio.transaction() as connection:
            delivery_rows.ask_answers(connection, delivery["id"])
            connection.execute("UPDATE delivery_files SET answer = 'asked' WHERE delivery_id = %s", (delivery["id"],))
        sending.send_delivery(self.with_urls(desk_url="http://127.0.0.1:9"), delivery["id"])
        self.assertEqual({answer for answer, _ in answers().values()}, {"unanswered"})

    def test_the_desks_rules(self) -> None:
        def file(pixels: np.ndarray, kind: str) -> bytes:
            import io

            out = io.BytesIO()
            Image.fromarray(pixels).save(out, kind)
            return out.getvalue()

        white = np.full((600, 600, 3), 255, np.uint8)
        for data, name, words in (
            (b"no picture", "a.png", "no picture"),
            (file(white, "PNG"), "ä b.png", "The name has"),
            (file(white, "PNG"), "a.png", "nothing on it"),
            (file(white - 1, "PNG"), "a.png", "not pure white"),
            (file(white[:100, :100], "PNG"), "a.png", "500 are needed"),
            (file(white, "TIFF"), "a.tif", "TIFF is not taken"),
        ):
            self.assertIn(words, " ".join(judge(name, data)))

    def test_the_station_takes_new_pictures_of_a_scene(self) -> None:
        scenes = ROOT / "demo" / "photos"
        studio = self.with_urls(capture_url=self.served("yardchalk.standins.capture", "--scenes", str(scenes)))
        offered = capturing.station(studio)
        assert offered is not None
        scene = next(name for name in offered["scenes"] if "teacup" in name)
        lot_id = lots.add_lot(self.studio, "Captured", "white", "square-2000")
        for device, dpi in (("camera", 300), ("camera", 300), ("flatbed", 150)):
            self.assertEqual(len(capturing.capture(studio, lot_id, scene, device, dpi).added), 1, "each is new")
        first, second, scan = self.rows(lot_id)
        self.assertEqual((scan["facts"]["format"], scan["facts"]["dpi"], scan["source"]), ("TIFF", 150.0, "capture station"))
        self.assertAlmostEqual(scan["facts"]["width"], first["facts"]["width"] / 2, delta=1)
        self.assertNotEqual(first["digest"], second["digest"])
        self.assertEqual(captured(scenes / f"{scene}.jpg", "camera", 300, 7), captured(scenes / f"{scene}.jpg", "camera", 300, 7))
        with self.assertRaisesRegex(YardError, "no scene"):
            capturing.capture(studio, lot_id, "none such", "camera", 300)

    def test_the_watched_folder(self) -> None:
        folder = self.scratch / "inbox"
        inbox = Inbox(self.studio, folder)
        inbox.look()
        (folder / "Spring" / "PW-9").mkdir(parents=True)
        pages = [Image.fromarray(np.full((300, 400, 3), level, np.uint8)) for level in (200, 210)]
        pages[0].save(folder / "Spring" / "PW-9" / "scan.tif", save_all=True, append_images=pages[1:])
        photo = small_photos(1)["PW-9000_pot.jpg"]
        (folder / "PW-9000_pot.jpg").write_bytes(photo)
        odd = folder / os.fsdecode(b"caf\xe9")
        odd.mkdir()
        (odd / "broken.jpg").write_bytes(photo[: len(photo) // 2])
        self.assertEqual(inbox.look(), 0, "not while they may be written still")
        time.sleep(2.1)
        (folder / "Spring" / "late.jpg").write_bytes(photo)
        self.assertEqual(inbox.look(), 3)
        by_name = {row["name"]: row for row in reading.arrivals(self.studio) if row["source"] == "watched folder"}
        self.assertEqual(set(by_name), {"PW-9/scan p1.tif", "PW-9/scan p2.tif", "PW-9000_pot.jpg", "broken.jpg"})
        self.assertEqual(by_name["PW-9000_pot.jpg"]["lot_name"], LOOSE)
        self.assertEqual((by_name["broken.jpg"]["kind"], by_name["broken.jpg"]["lot_name"]), ("refused", "café"))
        self.assertEqual(by_name["PW-9/scan p1.tif"]["lot_name"], "Spring")
        left = {str(path.relative_to(folder)) for path in folder.rglob("*") if path.is_file()}
        self.assertEqual(
            left, {".taken/Spring/PW-9/scan.tif", ".taken/PW-9000_pot.jpg", f".refused/{odd.name}/broken.jpg", "Spring/late.jpg"}
        )
        # The same again is said, not taken twice; and a lot that was renamed is still the one of its folder.
        (folder / "again.jpg").write_bytes(photo)
        spring = by_name["PW-9/scan p1.tif"]["lot_id"]
        lots.rename_lot(self.studio, spring, "Easter table")
        inbox.look()
        time.sleep(2.1)
        inbox.look()
        self.assertEqual({row["name"] for row in self.rows(spring)}, {"PW-9/scan p1.tif", "PW-9/scan p2.tif", "late.jpg"})
        self.assertEqual([row["name"] for row in reading.arrivals(self.studio) if row["kind"] == "known"], ["again.jpg"])
        self.assertEqual(inspect_photo((folder / ".taken" / "again.jpg").read_bytes(), "x").format, "JPEG")


class SweepTest(StudioCase):
    def test_only_what_nothing_names_goes(self) -> None:
        lot_id, _ = self.lot(small_photos(2))
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        self.delivered_here(lot_id, "ready", "look", "fix")
        orphan = self.studio.files.put(b"nobody's")
        half = Path(self.place.files_url.removeprefix("file://")) / "content" / "ab" / "cd" / "x.1-2.part"
        half.parent.mkdir(parents=True, exist_ok=True)
        half.write_bytes(b"half")
        (self.studio.deliveries / ".gone.part").mkdir()
        self.assertEqual(sweep(self.studio), 1, "a young file may be in use soon; a folder that no delivery has is not")
        self.assertEqual(sweep(self.studio, older_s=0), 2)
        with self.assertRaises(FileNotFoundError):
            self.studio.files.get(orphan)
        for row in self.rows(lot_id):
            for digest in (row["digest"], row["result"], row["preview"]):
                self.studio.files.get(digest)
