"""What a person says of findings, on a real database: let pass, accepted, mended in many photos, taken back; and the verdict then."""

import csv
import io
import json
from typing import ClassVar

from tests.pictures import Scene
from tests.stand import StudioCase, small_photos
from yardchalk.core.checks import Scope
from yardchalk.core.errors import YardError
from yardchalk.core.settings import Marks
from yardchalk.store.queries.rows import Row
from yardchalk.studio import history, judging, mending_alike, reading
from yardchalk.studio.running import ask_runs

CUT_OFF = Scene(width=480, height=360, shift=0.42)
SCOPES: list[tuple[Scope, set[str]]] = [("photo", {"a.jpg"}), ("lot", {"a.jpg", "b.jpg"}), ("spec", {"a.jpg", "b.jpg", "c.jpg"})]


class JudgingTest(StudioCase):
    lot_id: ClassVar[int]

    def filled(self, files: dict[str, bytes]) -> tuple[int, dict[str, Row]]:
        lot_id, _ = self.lot(files)
        ask_runs(self.studio, lot_id)
        self.work_here(lot_id)
        return lot_id, self.named(lot_id)

    def named(self, lot_id: int) -> dict[str, Row]:
        return {row["name"]: row for row in self.rows(lot_id)}

    def test_let_pass_here_in_the_lot_and_by_the_spec_and_taken_back(self) -> None:
        files = {"a.jpg": CUT_OFF.made().jpeg, "b.jpg": CUT_OFF.but(seed=5).made().jpeg}
        lot_id, rows = self.filled(files)
        other_lot, _ = self.filled({"c.jpg": CUT_OFF.but(seed=6).made().jpeg})
        self.assertEqual({row["verdict"] for row in rows.values()}, {"look"})
        at = next(i for i, f in enumerate(rows["a.jpg"]["findings"]) if f["check"] == "cut-off")
        message = rows["a.jpg"]["findings"][at]["message"]
        for scope, passing in SCOPES:
            with self.subTest(scope):
                judging.allow_finding(self.studio, rows["a.jpg"]["id"], at, message, scope, "the handle is meant to leave the frame")
                now = self.named(lot_id) | self.named(other_lot)
                self.assertEqual({name for name, row in now.items() if row["verdict"] == "ready"}, passing)
                (one,) = judging.allowances(self.studio, lot_id)
                self.assertEqual((one["scope"], one["check"], one["serves"]), (scope, "cut-off", len(passing - {"c.jpg"})))
                ask_runs(self.studio, lot_id, only=[rows["a.jpg"]["id"]], anew=True)
                self.work_here(lot_id)
                self.assertEqual(self.named(lot_id)["a.jpg"]["verdict"], "ready", "it holds for the next run")
                judging.withdraw(self.studio, one["id"])
                now = self.named(lot_id) | self.named(other_lot)
                self.assertEqual({row["verdict"] for row in now.values()}, {"look"})
        with self.assertRaisesRegex(YardError, "checked anew"):
            judging.allow_finding(self.studio, rows["a.jpg"]["id"], at, "another one", "photo", "why")

    def test_an_accepted_photo_is_delivered_with_the_reasons(self) -> None:
        lot_id, rows = self.filled({"a.jpg": CUT_OFF.made().jpeg})
        judging.accept(self.studio, rows["a.jpg"]["id"])
        self.assertEqual(self.named(lot_id)["a.jpg"]["verdict"], "ready")
        delivery = self.delivered_here(lot_id)
        folder = self.place.deliveries / delivery["folder"]
        (file,) = json.loads((folder / "manifest.json").read_text())["files"]
        self.assertIn(judging.ACCEPTED, [f["allowed"]["reason"] for f in file["findings"] if f["allowed"]])
        (line,) = csv.DictReader(io.StringIO((folder / "manifest.csv").read_text()))
        self.assertIn(f"cut-off (look, allowed for this photo: {judging.ACCEPTED})", line["findings"])

    def test_what_is_to_be_fixed_is_not_accepted(self) -> None:
        lot_id, rows = self.filled(small_photos(1))
        (row,) = rows.values()
        to_fix = {"check": "file", "severity": "fix", "message": "m", "figure": 1, "limit": 0, "unit": "files", "stage": "deliver"}
        with self.studio.transaction() as connection:
            connection.execute("UPDATE photos SET checked = %s WHERE id = %s", (json.dumps([to_fix]), row["id"]))
            judging.judge(connection, [row["id"]])
        with self.assertRaisesRegex(YardError, "1 finding to fix"):
            judging.accept(self.studio, row["id"])
        self.assertEqual(self.named(lot_id)[row["name"]]["verdict"], "fix")

    def test_a_finding_is_mended_in_many_photos_at_once_and_taken_back(self) -> None:
        lamp = (1.0, 0.9, 0.7)
        files = {f"{i}.jpg": Scene(width=480, height=360, seed=i, lamp=lamp).made().jpeg for i in range(3)}
        lot_id, rows = self.filled(
            files | {"cut.jpg": CUT_OFF.but(lamp=lamp).made().jpeg, "plain.jpg": Scene(width=480, height=360).made().jpeg}
        )
        ids = [row["id"] for row in rows.values()]
        made = mending_alike.mend_alike(self.studio, lot_id, ids, "cast")
        warm = {name for name in rows if name != "plain.jpg"}
        self.assertEqual(made.photos, [rows[name]["id"] for name in rows if name in warm])
        self.assertEqual([(one.words, one.photos) for one in made.done], [("Make the backdrop neutral", 4)])
        self.work_here(lot_id)
        now = self.named(lot_id)
        self.assertEqual([f for row in now.values() for f in row["findings"] if f["check"] == "cast"], [])
        self.assertEqual({name for name, row in now.items() if row["marks"].get("balance")}, warm)
        nothing = mending_alike.mend_alike(self.studio, lot_id, ids, "cut-off")
        self.assertEqual((nothing.photos, nothing.left), ([], ["cut.jpg"]), "the whole photo is there already")

        history.set_marks(self.studio, rows["0.jpg"]["id"], Marks.model_validate(now["0.jpg"]["marks"] | {"lift": {"mid": 1.1}}), "Lighter")
        self.assertEqual(mending_alike.take_back_alike(self.studio, lot_id, made.photos), 3, "one was changed since")
        self.work_here(lot_id)
        now = self.named(lot_id)
        self.assertEqual({name for name, row in now.items() if row["marks"].get("balance")}, {"0.jpg"})
        self.assertIn("cast", [f["check"] for f in now["1.jpg"]["findings"]])

    def test_a_lot_is_looked_at_as_a_whole_paged_and_given_sheets_photo_by_photo(self) -> None:
        files = {f"{i}.jpg": Scene(width=480, height=360, seed=i, level=232 + i % 3).made().jpeg for i in range(7)}
        lot_id, _ = self.filled(files | {"dark.jpg": Scene(width=480, height=360, level=120).made().jpeg, "cut.jpg": CUT_OFF.made().jpeg})
        rows = self.named(lot_id)
        odd = [f["message"] for f in rows["dark.jpg"]["findings"] if f["check"] == "odd-one-out"]
        self.assertTrue(any(message.startswith("Light is far from the lot's") for message in odd), odd)
        self.assertEqual([f for f in rows["1.jpg"]["findings"] if f["check"] == "odd-one-out"], [])
        light = next(strip for strip in reading.strips(self.studio, lot_id) if strip["title"] == "Light")
        self.assertEqual(len(light["dots"]), 9)
        self.assertEqual([dot["name"] for dot in light["dots"] if dot["value"] < light["low"]], ["dark.jpg"])

        whole = json.loads(reading.lineup(self.studio, lot_id))
        self.assertEqual(whole[0]["name"], "cut.jpg", "the worst first")
        pages, after = [], None
        while page := json.loads(reading.lineup(self.studio, lot_id, after=after, limit=4)):
            pages += page
            after = page[-1]["id"]
        self.assertEqual(pages, whole)
        self.assertEqual([tile["id"] for tile in json.loads(reading.lineup(self.studio, lot_id, only=[whole[3]["id"]]))], [whole[3]["id"]])

        chosen = [rows["1.jpg"]["id"], rows["2.jpg"]["id"]]
        self.assertEqual(reading.set_photo_sheet(self.studio, lot_id, chosen, "transparent"), 2)
        self.work_here(lot_id)
        self.assertEqual(reading.photo(self.studio, chosen[0])["sheet"], "transparent")
        self.assertEqual(self.named(lot_id)["1.jpg"]["figures"]["white point (level)"], 255)
        self.assertEqual(reading.set_photo_sheet(self.studio, lot_id, chosen, None), 2)
        self.work_here(lot_id)
        self.assertEqual(reading.photo(self.studio, chosen[0])["sheet"], "white")
        judging.allow_alike(self.studio, lot_id, [row["id"] for row in rows.values()], "cut-off", "meant so")
        self.assertNotIn("cut-off", [f["check"] for f in self.named(lot_id)["cut.jpg"]["findings"] if not f["allowed"]])
