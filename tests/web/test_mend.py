"""Mend and Colour over real HTTP: shares, dust, pushes, colours for the lot, and what a delivery says of them."""

import json
import uuid
from typing import Any

import cv2
import numpy as np

from tests.pictures import Scene
from tests.web.test_server import ServerCase
from yardchalk.core.codecs import encode_picture
from yardchalk.core.settings import Marks

SPOT = {"shape": "stroke", "size": 0.06, "points": [[0.5, 0.5]]}


class MendTest(ServerCase):
    def setUp(self) -> None:
        pixels = Scene().made().pixels.copy()
        for x, y in ((60, 60), (560, 400), (80, 380)):
            cv2.circle(pixels, (x, y), 3, (70, 66, 62), -1, cv2.LINE_AA)
        self.lot_id = self.filled({"pot.png": encode_picture(pixels, "png"), "other.png": Scene(seed=2).made().png})
        self.photo, self.other = (row["id"] for row in self.rows(self.lot_id))

    def ask(self, what: str, body: dict[str, Any] | None = None, status: int = 200) -> Any:
        answer = self.client.post(f"/api/photos/{self.photo}/{what}", json=body or {})
        self.assertEqual(answer.status_code, status, answer.text)
        return answer.json()

    def keep(self, marks: dict[str, Any]) -> Any:
        answer = self.client.put(f"/api/photos/{self.photo}/marks", params={"what": "Mend"}, json=marks)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def test_dust_is_listed_mended_and_gone_from_the_list(self) -> None:
        specks = self.ask("dust")["specks"]
        self.assertEqual([speck["on"] for speck in specks], ["backdrop"] * 3)
        marks = {"mend": {"entries": [speck["mend"] for speck in specks]}}
        self.assertEqual(self.ask("dust", marks)["specks"], [])
        off = {"mend": {"entries": [{**specks[0]["mend"], "on": False}, *(speck["mend"] for speck in specks[1:])]}}
        self.assertEqual(len(self.ask("dust", off)["specks"]), 1)
        report = self.ask("mends", off)
        self.assertEqual((report["shares"][0], report["dust"], round(report["total"], 2)), (None, 0, 0.0))
        self.assertEqual(self.ask("mends", {"mend": {"dust": True}})["dust"], 3)

    def test_entries_are_kept_as_given_undone_and_refused_with_their_path(self) -> None:
        entries = [
            {"kind": "fill", "area": SPOT},
            {"kind": "cover", "to": "backdrop", "area": {"shape": "loop", "points": [[0.1, 0.1], [0.2, 0.1], [0.2, 0.2]]}},
        ]
        kept = self.keep({"mend": {"entries": entries, "guides": [{"runs": "level", "at": 0.4}]}})
        # What the server keeps is read again by anyone who asks.
        again = self.client.get(f"/api/photos/{self.photo}").json()
        self.assertEqual(again["marks"], kept["marks"])
        self.assertEqual([entry["kind"] for entry in again["marks"]["mend"]["entries"]], ["fill", "cover"])
        self.assertEqual(Marks.model_validate(again["marks"]).mend.guides[0].at, 0.4)
        undone = self.client.post(f"/api/photos/{self.photo}/undo").json()
        self.assertEqual(undone["marks"]["mend"]["entries"], [])
        for wrong, words in (
            ({"kind": "fill", "area": SPOT, "strength": 2}, "mend.entries.0.strength: 2 is over 1"),
            ({"kind": "push", "across": 10, "down": 10, "field": "eJw="}, "field holds 0 bytes"),
            ({"kind": "clone", "area": SPOT}, "mend.entries.0.source: is missing"),
        ):
            answer = self.client.post(f"/api/photos/{self.photo}/mends", json={"mend": {"entries": [wrong]}})
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.text)

    def test_pushes_are_put_one_on_the_other(self) -> None:
        fill, key = {"kind": "fill", "area": SPOT}, str(uuid.uuid4())
        stroke = {"tool": "push", "points": [[0.6, 0.5], [0.65, 0.5]], "size": 0.2}
        first = self.ask("push", {**stroke, "marks": {"mend": {"entries": [fill]}}, "key": str(uuid.uuid4())})
        marks = {"mend": {"entries": [fill, first]}}
        both = self.ask("push", {"tool": "let-out", "points": [[0.4, 0.5]] * 3, "size": 0.2, "marks": marks, "at": 1, "key": key})
        self.assertEqual((first["kind"], first["across"]), ("push", 160))
        self.assertNotEqual(first["field"], both["field"])
        marks = {"mend": {"entries": [fill, both]}}
        self.assertGreater(self.ask("mends", marks)["total"], 1)
        # The key stands for just what came of it, and a push goes on from a push.
        self.assertEqual(self.client.put(f"/api/marks/{key}", json=marks).status_code, 204)
        self.assertEqual(self.client.put(f"/api/marks/{key}", json={}).status_code, 409)
        self.assertIn("no push as mend 1", self.ask("push", {**stroke, "marks": marks, "at": 0, "key": key}, 422)["message"])

    def test_colours_are_measured_and_copied_to_the_lot(self) -> None:
        self.assertIn("no colours of its own", self.ask("same-colour", status=409)["message"])
        self.keep({"colour": {"saturation": 30, "contrast": 10}})
        report = self.ask("colour", {"colour": {"saturation": 30}})
        self.assertEqual((report["settings"]["saturation"], report["sheet"]["saturation"]), (30, 0))
        self.assertGreaterEqual(report["left"], 0)
        self.assertEqual(self.ask("same-colour"), {"copied": ["other.png"]})
        theirs = self.client.get(f"/api/photos/{self.other}").json()
        self.assertEqual((theirs["marks"]["colour"]["contrast"], theirs["undo"]), (10, "Colour as pot.png"))
        self.assertEqual(self.ask("same-colour"), {"copied": []})

    def test_a_delivery_lists_what_is_no_longer_the_photo(self) -> None:
        self.keep({"mend": {"entries": [{"kind": "fill", "name": "A scratch", "area": SPOT}]}})
        self.work_here(self.lot_id)
        folder = self.studio.deliveries / self.delivered_here(self.lot_id, "ready", "look", "fix")["folder"]
        manifest = json.loads((folder / "manifest.json").read_text())
        mends = {file["source"]: file["mends"] for file in manifest["files"]}
        self.assertEqual(mends["other.png"], [])
        (mend,) = mends["pot.png"]
        self.assertEqual((mend["kind"], mend["name"]), ("fill", "A scratch"))
        self.assertAlmostEqual(mend["share"], 100 * np.pi * 19.2**2 / float(Scene().made().alpha.sum()), delta=0.5)
        self.assertIn("A scratch: ", (folder / "manifest.csv").read_text())
