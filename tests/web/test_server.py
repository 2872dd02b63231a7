"""The server over real HTTP: intake, tiles, marks, events, and what it refuses."""

import base64
import hashlib
import json
import threading
from typing import ClassVar
from urllib.parse import quote

import cv2
import httpx
import numpy as np

from tests.pictures import Scene, iou
from tests.stand import PATIENCE, StudioCase, small_photos
from yardchalk.studio.delivering import write_delivery
from yardchalk.studio.sweeping import sweep
from yardchalk.web.models import LineupTile


def white_at(level: int) -> str:
    return quote(json.dumps({"lift": {"white_point": level}}))


class ServerCase(StudioCase):
    """A web server process on this class's studio."""

    client: ClassVar[httpx.Client]
    address: ClassVar[str]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.address = cls.served("yardchalk.web")
        cls.client = httpx.Client(base_url=cls.address, timeout=PATIENCE)
        cls.addClassCleanup(cls.client.close)

    def filled(self, files: dict[str, bytes], sheet: str = "white", spec: str = "cutout") -> int:
        lot_id = int(self.client.post("/api/lots", json={"name": self.id(), "sheet": sheet, "spec": spec}).json()["id"])
        for name, data in files.items():
            answer = self.client.post(f"/api/lots/{lot_id}/files", params={"name": name}, content=data)
            self.assertEqual(answer.status_code, 200, answer.text)
        return lot_id

    def tile(self, address: str) -> np.ndarray:
        answer = self.client.get(address)
        self.assertEqual(answer.status_code, 200, answer.text)
        self.assertIn("immutable", answer.headers["cache-control"])
        picture = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR)
        assert picture is not None
        return picture[..., ::-1]


class ApiTest(ServerCase):
    def test_from_drop_to_line_up(self) -> None:
        lot_id = self.filled(small_photos(2) | {"notes.txt": b"not a photo"})
        lot = self.client.get(f"/api/lots/{lot_id}").json()
        self.assertEqual((lot["photos"], lot["waiting"], lot["refused"]), (2, 2, 1), "runs are asked for by themselves")
        self.assertIn("notes.txt: is not a JPEG", lot["refusals"][0]["reason"])
        for tile in self.client.get(f"/api/lots/{lot_id}/lineup").json():
            as_shot = cv2.imdecode(np.frombuffer(self.client.get(f"/api/pictures/{tile['as_shot']}").content, np.uint8), cv2.IMREAD_COLOR)
            assert as_shot is not None
            self.assertEqual((tile["preview"], as_shot.shape), (None, (240, 320, 3)), "seen as it came in, until it was run")
        first = self.rows(lot_id)[0]["id"]
        self.client.put(f"/api/lots/{lot_id}/photo-sheet", json={"photos": [first], "sheet": "transparent"})
        self.work_here(lot_id)
        tiles = self.client.get(f"/api/lots/{lot_id}/lineup").json()
        self.assertEqual([(tile["state"], tile["as_shot"]) for tile in tiles], [("done", None)] * 2)
        for tile in tiles:
            self.assertEqual(set(tile), set(LineupTile.model_fields), "what the database writes is what the page is told")
            LineupTile.model_validate(tile)
        preview = self.client.get(f"/api/pictures/{tiles[0]['preview']}")
        self.assertEqual(preview.headers["content-type"], "image/webp")
        made = self.client.post(f"/api/lots/{lot_id}/deliveries", json={"verdicts": ["ready", "look"]})
        self.assertEqual(made.status_code, 201, made.text)
        number = made.json()["id"]
        write_delivery(self.studio, number)
        self.assertEqual(self.client.get(f"/api/deliveries/{number}.zip").content[:4], b"PK\x03\x04")
        self.assertEqual(len(self.client.get(f"/api/deliveries/{number}/manifest.json").json()["files"]), 2)
        (delivery,) = self.client.get("/api/deliveries").json()
        self.assertEqual((delivery["files"], delivery["sent"], delivery["accepted"]), (2, 0, 0))
        files = {
            which: self.client.get(f"/api/deliveries/{number}/files", params={"which": which}).json() for which in ("all", "unaccepted")
        }
        self.assertEqual([len(some) for some in files.values()], [2, 0])
        self.assertEqual(len(self.client.get(f"/api/deliveries/{number}/files", params={"limit": 1}).json()), 1)
        one, other = files["all"]
        self.assertEqual((one["see_through"], other["see_through"]), (True, False), "by the run sheet of each")
        for file in files["all"]:
            content = self.client.get(f"/api/deliveries/{number}/files/{file['id']}")
            self.assertEqual(hashlib.sha256(content.content).hexdigest(), file["digest"])
            self.assertEqual((content.headers["content-type"], len(content.content)), ("image/png", file["bytes"]))
            self.assertIn(file["name"], content.headers["content-disposition"])
            self.assertIn(file["preview"], {tile["preview"] for tile in tiles}, "seen as it was delivered")
            self.assertEqual(file["lot_id"], lot_id)
        self.client.delete(f"/api/lots/{lot_id}")
        for file in self.client.get(f"/api/deliveries/{number}/files").json():
            self.assertIsNone(file["lot_id"], "a removed lot is not led to")

    def test_a_photo_on_which_nothing_was_found_is_still_seen(self) -> None:
        paper = np.random.default_rng(1).normal(225, 2, (300, 400, 3)).clip(0, 255).astype(np.uint8)
        lot_id = self.filled({"paper.png": cv2.imencode(".png", paper)[1].tobytes()})
        self.work_here(lot_id)
        (tile,) = self.client.get(f"/api/lots/{lot_id}/lineup").json()
        self.assertEqual((tile["verdict"], tile["found"][0]["check"]), ("fix", "missing-part"))
        self.assertTrue(tile["preview"] and tile["as_shot"])

    def test_tiles_put_together_are_the_picture_the_engine_makes(self) -> None:
        made = Scene(width=1300, height=1100).made()
        lot_id = self.filled({"pot.png": made.png})
        photo = self.client.get(f"/api/photos/{self.rows(lot_id)[0]['id']}").json()
        self.assertEqual(photo["steps"], 1)
        base = photo["tile_base"]
        rows = [np.hstack([self.tile(f"{base}/matte/white/{{}}/0/{x}-{y}") for x in (0, 1)]) for y in (0, 1)]
        matte = (np.vstack(rows)[..., 0] / 255).astype(np.float32)
        self.assertEqual(matte.shape, (1100, 1300))
        self.assertGreater(iou(matte, made.alpha), 0.98)
        for card, level in (("white", 255), ("black", 0)):
            corner = self.tile(f"{base}/picture/{card}/{{}}/0/0-0")[:40, :40]
            self.assertTrue((np.abs(corner.astype(int) - level) <= 1).all(), card)
        before, after = self.tile(f"{base}/clip/white/{white_at(255)}/1/0-0"), self.tile(f"{base}/clip/white/{white_at(150)}/1/0-0")
        self.assertGreater(np.abs(before.astype(int) - after).mean(), 10, "a white point shows at once")
        self.assertEqual(before.shape[:2], (round(1100 / 2**0.5), round(1300 / 2**0.5)), "one step smaller")
        self.assertEqual(self.client.get(f"{base}/picture/white/{{}}/0/9-9").status_code, 404)
        self.assertEqual(self.client.get(base.replace(base[-16:], "0" * 16) + "/picture/white/{}/0/0-0").status_code, 404)

    def test_a_photo_is_seen_in_the_frame_that_its_run_found(self) -> None:
        lot_id = self.filled({"far.jpg": Scene(width=2100, height=1575, room=2.5).made().jpeg})
        address = f"/api/photos/{self.rows(lot_id)[0]['id']}"
        waiting = self.client.get(address).json()
        self.assertEqual((waiting["crop"], waiting["width"], waiting["height"]), (None, 2100, 1575))
        self.work_here(lot_id)
        run = self.client.get(address).json()
        left, top, right, bottom = run["crop"]
        self.assertTrue(0.2 < left < right < 0.8 and 0.2 < top < bottom < 0.8, run["crop"])
        self.assertEqual((run["whole_width"], run["width"]), (2100, round(2100 * right) - int(2100 * left)))
        tile = self.tile(f"{run['tile_base']}/matte/white/{{}}/{run['steps']}/0-0")
        self.assertAlmostEqual(tile.shape[1] / tile.shape[0], run["width"] / run["height"], delta=0.01)
        self.assertGreater((tile > 127).mean(), 0.3, "the pot fills it")
        self.assertEqual(
            self.client.get(f"{waiting['tile_base']}/matte/white/{{}}/3/0-0").status_code, 404, "another frame, another address"
        )
        whole = self.tile(f"{run['tile_base']}/matte/white/{quote(json.dumps({'frame': {}}))}/3/0-0")
        self.assertEqual(whole.shape[:2], (557, 742))

    def test_cut_outs_are_seen_on_test_cards_of_ones_own(self) -> None:
        lot_id = self.filled({"pot.png": Scene(width=500, height=400).made().png})
        photo_id = self.rows(lot_id)[0]["id"]
        base = self.client.get(f"/api/photos/{photo_id}").json()["tile_base"]
        colour = self.client.post("/api/test-cards/colours", json={"colour": "#d9c7a8"}).json()["card"]
        # Wider than the photo: it fills it, and its sides are left out. Where it is see-through, it lies on white.
        halves = np.zeros((80, 200, 4), np.uint8)
        halves[:, 40:100] = (60, 30, 200, 255)  # B, G, R
        address = "data:image/png;base64," + base64.b64encode(cv2.imencode(".png", halves)[1].tobytes()).decode()
        made = self.client.post("/api/test-cards/pictures", json={"name": "shelf.png", "picture": address})
        self.assertEqual(made.status_code, 201, made.text)
        picture = made.json()["card"]
        self.assertEqual([one["card"] for one in self.client.get("/api/test-cards").json()], [colour, picture])
        sweep(self.studio, 0)
        for card, left, right in ((colour, (217, 199, 168), (217, 199, 168)), (picture, (200, 30, 60), (255, 255, 255))):
            seen = self.tile(f"{base}/picture/{card}/{{}}/0/0-0").astype(int)
            self.assertLess(np.abs(seen[:30, :240] - left).max(), 8, card)
            self.assertLess(np.abs(seen[:30, 260:] - right).max(), 8, card)
            pixel = self.client.get(f"/api/photos/{photo_id}/pixel", params={"x": 5, "y": 5, "card": card}).json()
            self.assertLess(np.abs(np.array(pixel["after"]) - left).max(), 8, card)
        self.client.delete(f"/api/test-cards/{picture}")
        self.assertEqual([one["card"] for one in self.client.get("/api/test-cards").json()], [colour])
        gone = self.client.get(f"{base}/picture/{'0' * 64}/{{}}/0/0-0")
        self.assertEqual((gone.status_code, gone.json()["message"][:13]), (404, "The test card"))
        self.assertEqual(self.client.get(f"{base}/picture/chartreuse/{{}}/0/0-0").status_code, 422)
        broken = self.client.post("/api/test-cards/pictures", json={"name": "x", "picture": "data:image/png;base64,AAAA"})
        self.assertEqual(broken.status_code, 422)
        full = [self.client.post("/api/test-cards/colours", json={"colour": f"#0000{i:02x}"}) for i in range(12)][-1]
        self.assertEqual((full.status_code, "12 test cards" in full.json()["message"]), (409, True))

    def test_marks_are_kept_and_checked(self) -> None:
        lot_id = self.filled(small_photos(1))
        self.work_here(lot_id)
        photo_id = self.rows(lot_id)[0]["id"]
        graph = self.client.get(f"/api/photos/{photo_id}/lift").json()["graph"]
        self.assertEqual(len(graph["levels"]), 128)
        at = f"/api/photos/{photo_id}"

        def put(level: int) -> httpx.Response:
            return self.client.put(f"{at}/marks", params={"what": f"White point {level}"}, json={"lift": {"white_point": level}})

        answer = put(201)
        self.assertEqual((answer.status_code, answer.json()["state"]), (200, "waiting"))
        self.assertEqual(self.client.get(f"{at}/lift").json()["white_point"], 201)
        refused = put(12)
        self.assertEqual(refused.status_code, 422)
        self.assertIn("128", refused.json()["message"])
        self.client.put(f"/api/lots/{lot_id}", json={"sheet": "transparent", "spec": "cutout"})
        off = put(201)
        self.assertEqual(off.status_code, 409)
        self.assertIn("leaves Lift out", off.json()["message"])

    def test_steps_are_taken_back_and_done_again_and_kept_under_names(self) -> None:
        lot_id = self.filled(small_photos(1))
        at = f"/api/photos/{self.rows(lot_id)[0]['id']}"

        def put(level: int) -> None:
            self.client.put(f"{at}/marks", params={"what": f"White point {level}"}, json={"lift": {"white_point": level}})

        def now() -> tuple[int | None, str | None, str | None]:
            photo = self.client.get(at).json()
            return photo["marks"]["lift"]["white_point"], photo["undo"], photo["redo"]

        put(220)
        put(210)
        self.assertEqual(self.client.post(f"{at}/snapshots", json={"name": "bright"}).status_code, 201)
        self.assertEqual(now(), (210, "White point 210", None))
        self.client.post(f"{at}/undo")
        self.assertEqual(now(), (220, "White point 220", "White point 210"))
        self.client.post(f"{at}/undo")
        self.assertEqual(now(), (None, None, "White point 220"))
        self.assertEqual(self.client.post(f"{at}/undo").status_code, 409, "there is nothing before the first step")
        self.client.post(f"{at}/redo")
        self.assertEqual(now(), (220, "White point 220", "White point 210"))
        put(230)
        self.assertEqual(now(), (230, "White point 230", None), "a new step leaves nothing to redo")
        kept = self.client.get(at).json()["snapshots"]
        self.client.post(f"{at}/snapshots/{kept[0]['id']}/restore")
        self.assertEqual(now(), (210, "Back to “bright”", None))
        self.assertEqual(self.client.request("DELETE", f"{at}/snapshots/{kept[0]['id']}").json()["snapshots"], [])

    def test_a_place_says_what_light_it_is_in_and_the_lots_photos_of_that_light_follow(self) -> None:
        warm, cool = Scene(width=600, height=450, lamp=(1.0, 0.88, 0.72)), Scene(width=600, height=450, lamp=(0.8, 0.9, 1.0))
        lot_id = self.filled({"a.png": warm.made().png, "b.png": warm.but(seed=7).made().png, "c.png": cool.made().png})
        self.work_here(lot_id)
        first = min(self.rows(lot_id), key=lambda row: str(row["name"]))
        at = f"/api/photos/{first['id']}"
        sample = self.client.get(f"{at}/sample", params={"x": 10, "y": 10, "width": 60, "height": 60}).json()
        self.assertEqual(sample["count"], 3600)
        self.assertGreater(sample["cast_before"], 5)
        self.assertLess(sample["cast_after"], 0.5)
        outside = self.client.get(f"{at}/sample", params={"x": 9999, "y": 0, "width": 5, "height": 5})
        self.assertEqual(outside.status_code, 404)
        balance = {"red": sample["red"], "blue": sample["blue"]}
        self.client.put(f"{at}/marks", params={"what": "Balance"}, json={"balance": balance})
        measured = self.client.get(f"{at}/lift").json()["balance"]
        self.assertLess(measured["cast_after"], 1.0)
        self.assertGreater(measured["cast_before"], 5)
        spread = self.client.post(f"{at}/same-light").json()
        self.assertEqual((spread["copied"], [name for name, _ in spread["differing"]]), (["b.png"], ["c.png"]))
        second = next(row for row in self.rows(lot_id) if row["name"] == "b.png")
        self.assertAlmostEqual(second["marks"]["balance"]["red"], balance["red"])
        pixel = self.client.get(f"{at}/pixel", params={"x": 5, "y": 5}).json()
        self.assertEqual((pixel["after"], pixel["after_off_white"]), ([255, 255, 255], 0), "backdrop is delivered white")
        self.assertGreater(pixel["before_off_white"], 5)

    def test_a_photo_of_the_empty_set_is_used_for_the_whole_lot_until_it_is_taken_back(self) -> None:
        lot_id = self.filled(small_photos(2))
        self.work_here(lot_id)
        first, second = (row["id"] for row in self.rows(lot_id))
        chosen = self.client.put(f"/api/lots/{lot_id}/empty-set", json={"photo": first})
        self.assertEqual(chosen.json(), {"count": 2}, "both run anew")
        self.work_here(lot_id)
        photo = self.client.get(f"/api/photos/{second}").json()
        self.assertEqual((photo["state"], photo["empty_id"]), ("done", first))
        self.assertEqual(self.client.put(f"/api/lots/{lot_id}/empty-set", json={"photo": 999999}).status_code, 404)
        self.client.put(f"/api/lots/{lot_id}/empty-set", json={"photo": None})
        self.assertIsNone(self.client.get(f"/api/photos/{second}").json()["empty_id"])

    def test_open_pages_are_told_what_changed(self) -> None:
        heard: list[dict[str, int | None]] = []
        ready = threading.Event()

        def listen() -> None:
            with httpx.stream("GET", f"{self.address}/api/events", timeout=PATIENCE) as stream:
                for line in stream.iter_lines():
                    if line.startswith("data:"):
                        heard.append(json.loads(line[5:]))
                        ready.set()
                        if any(event["lot"] for event in heard):
                            return

        thread = threading.Thread(target=listen)
        thread.start()
        self.assertTrue(ready.wait(PATIENCE))
        lot_id = self.filled(small_photos(1))
        thread.join(20)
        self.assertIn(lot_id, {event["lot"] for event in heard})


class RefusalTest(ServerCase):
    def test_other_hosts_and_other_sites(self) -> None:
        self.assertEqual(self.client.get("/api/lots", headers={"Host": "evil.example"}).status_code, 403)
        for headers in ({"Origin": "https://evil.example"}, {"Sec-Fetch-Site": "cross-site"}):
            self.assertEqual(self.client.post("/api/lots", json={"name": "x"}, headers=headers).status_code, 403)
        own = {"Origin": self.address, "Sec-Fetch-Site": "same-origin"}
        self.assertEqual(self.client.post("/api/lots", json={"name": "x"}, headers=own).status_code, 201)
        self.assertIn("default-src 'self'", self.client.get("/api/lots").headers["content-security-policy"])

    def test_what_is_not_there_and_what_is_wrong_is_said(self) -> None:
        for address in (
            "/api/lots/999999",
            "/api/photos/999999",
            "/api/deliveries/999999.zip",
            "/api/deliveries/999999/files",
            "/api/deliveries/999999/files/1",
            f"/api/pictures/{'0' * 64}",
        ):
            answer = self.client.get(address)
            self.assertEqual(answer.status_code, 404, address)
            self.assertTrue(answer.json()["message"])
        wrong = self.client.post("/api/lots", json={"name": "x", "sheet": "purple"})
        self.assertEqual(wrong.status_code, 422)
        self.assertIn("purple", wrong.json()["message"])
        self.assertEqual(self.client.post("/api/lots/999999/files", params={"name": "x.jpg"}, content=b"x").status_code, 404)

    def test_a_fault_of_ours_is_said_too(self) -> None:
        lot_id = self.filled(small_photos(1))
        number = self.rows(lot_id)[0]["id"]
        with self.studio.transaction() as connection:
            connection.execute("UPDATE photos SET marks = '[1]' WHERE id = %s", (number,))
        answer = self.client.get(f"/api/photos/{number}")
        self.assertEqual(answer.status_code, 500)
        self.assertIn(f"GET /api/photos/{number}: went wrong inside Yard Chalk. Nothing is lost", answer.json()["message"])

    def test_a_file_over_the_limit_is_refused_by_name_while_it_streams(self) -> None:
        lot_id = self.filled({})

        def endless() -> object:
            yield b"\xff\xd8\xff"
            for _ in range(202):
                yield bytes(1_000_000)

        answer = self.client.post(f"/api/lots/{lot_id}/files", params={"name": "huge.jpg"}, content=endless())  # type: ignore[arg-type]
        (refused,) = answer.json()["refused"]
        self.assertIn("huge.jpg", refused["reason"])
        self.assertIn("200 MB allowed", refused["reason"])

    def test_names_from_outside_stay_names(self) -> None:
        data = Scene(width=320, height=240).made().jpeg
        lot_id = self.filled({"../../etc/<b>pass wd</b>.jpg": data})
        self.assertEqual([row["name"] for row in self.rows(lot_id)], ["_b_pass wd_/b_.jpg"])
