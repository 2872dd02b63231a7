"""Clear over real HTTP: what regions come to, what tolerances reach, and what is refused with the reason."""

import uuid
from pathlib import Path
from typing import Any

import numpy as np

from tests.stand import small_photos
from tests.web.test_server import ServerCase
from yardchalk.core.clear_settings import SpreadRegion
from yardchalk.core.pixels import Region
from yardchalk.core.render import Render
from yardchalk.core.settings import Marks, load_sheet
from yardchalk.core.stages.clear.spread import spread
from yardchalk.core.views import view
from yardchalk.studio.found import keep_decisions, known_decisions

AUTOMATIC = {"kind": "automatic"}
TOUCHED = {"kind": "spread", "points": [[0.05, 0.05]], "tolerance": 6}


def under(*regions: dict[str, Any]) -> dict[str, Any]:
    return {"clear": {"regions": list(regions)}}


class ClearTest(ServerCase):
    def setUp(self) -> None:
        self.lot_id = self.filled(small_photos(1), sheet="transparent")
        (row,) = self.rows(self.lot_id)
        self.photo, self.digest = row["id"], row["digest"]
        self.data = self.studio.files.get(row["digest"])
        self.render = Render(self.data, row["name"], load_sheet("transparent"))

    def ask(self, what: str, body: object, status: int = 200) -> Any:
        answer = self.client.post(f"/api/photos/{self.photo}/clear{what}", json=body)
        self.assertEqual(answer.status_code, status, answer.text)
        return answer.json()

    def put(self, marks: dict[str, Any], status: int = 200) -> Any:
        answer = self.client.put(f"/api/photos/{self.photo}/marks", params={"what": "Clear"}, json=marks)
        self.assertEqual(answer.status_code, status, answer.text)
        return answer.json()

    def test_the_reach_map_thresholded_is_what_the_engine_takes(self) -> None:
        answer = self.client.post(f"/api/photos/{self.photo}/clear/reach-map", json=TOUCHED)
        size = int(answer.headers["height"]), int(answer.headers["width"])
        levels = np.frombuffer(answer.content, np.uint8).reshape(size)
        for tolerance in (0, 1.25, 6, 20, 60):
            taken = spread(SpreadRegion.model_validate(TOUCHED | {"tolerance": tolerance}), self.render.ground)
            np.testing.assert_array_equal(levels <= 4 * tolerance, taken == 1)
        offer = self.ask("/spread-offer", TOUCHED)
        areas = np.cumsum(np.bincount(levels.ravel(), minlength=256)[:241]) / levels.size
        np.testing.assert_allclose(offer["areas"], areas, atol=1e-5)

    def test_regions_are_reported_one_by_one_and_undone_exactly(self) -> None:
        off = {"kind": "automatic", "on": False}
        lost = {"kind": "gaps", "points": []}
        report = self.ask("", under(AUTOMATIC, off, {"kind": "strokes", "strokes": []}, {"kind": "ink"}, {"kind": "contrast"}, lost))
        automatic, nothing, *_, ink, contrast, _ = report["regions"]
        self.assertAlmostEqual(automatic["share"], float((~self.render.clearing.product).mean()), places=4)
        self.assertIsNone(nothing["share"])
        self.assertLess(ink["figures"]["floor"], ink["figures"]["full"])
        self.assertGreater(contrast["figures"]["separation"], 0)
        before = self.client.get(f"/api/photos/{self.photo}").json()
        rub = {"keeps": False, "size": 0.1, "points": [[0.5, 0.5, 1]]}
        plain = self.ask("", before["marks"])
        painted = under(AUTOMATIC, {"kind": "strokes", "strokes": [rub]})
        self.assertEqual(self.put(painted)["marks"]["clear"]["regions"][1]["strokes"][0]["points"], [[0.5, 0.5, 1.0]])
        self.assertGreater(self.ask("", painted)["removed"], plain["removed"] + 0.001)
        back = self.client.post(f"/api/photos/{self.photo}/undo").json()
        self.assertEqual(back["marks"], before["marks"])
        self.assertEqual(self.ask("", back["marks"]), plain)
        self.work_here(self.lot_id)
        self.assertEqual(self.rows(self.lot_id)[0]["state"], "done")

    def test_a_tile_under_long_marks_is_what_the_engine_makes_and_so_are_kept_decisions(self) -> None:
        wavy = [[0.2 + 0.001 * k, 0.5 + 0.1 * np.sin(k / 20), 1] for k in range(300)]
        marks = under(AUTOMATIC, {"kind": "strokes", "strokes": [{"keeps": False, "size": 0.02, "softness": 0.5, "points": wavy}]})
        key = str(uuid.uuid4())
        self.assertEqual(self.client.put(f"/api/marks/{key}", json=marks).status_code, 204)
        self.assertEqual(self.client.put(f"/api/marks/{key}", json=marks).status_code, 204)
        self.assertEqual(self.client.put(f"/api/marks/{key}", json=under(AUTOMATIC)).status_code, 409)
        base = self.client.get(f"/api/photos/{self.photo}").json()["tile_base"]
        tile = self.tile(f"{base}/matte/white/~{key}/0/0-0")
        render = Render(self.data, "pot", load_sheet("transparent"), Marks.model_validate(marks))
        h, w = tile.shape[:2]
        np.testing.assert_array_equal(tile, view(render, "matte", 1.0, Region(0, h, 0, w)))
        gone = self.client.get(f"{base}/matte/white/~{uuid.uuid4()}/0/0-0")
        self.assertEqual(gone.status_code, 404)
        keep_decisions(self.studio.files, render)
        again = Render(self.data, "pot", load_sheet("transparent"), Marks.model_validate(marks))
        known = known_decisions(self.studio.files, again)
        assert known is not None
        again.adopt(known)
        np.testing.assert_array_equal(again.cut(1.0, again.whole(1.0)).alpha, render.cut(1.0, render.whole(1.0)).alpha)

    def test_of_a_print_the_ink_is_kept_with_what_was_decided(self) -> None:
        (photo,) = (Path(__file__).parents[2] / "demo" / "photos").glob("PW-1060*")
        first, again = (Render(photo.read_bytes(), photo.stem, load_sheet("transparent")) for _ in range(2))
        self.assertIsNotNone(first.one_ink)
        keep_decisions(self.studio.files, first)
        known = known_decisions(self.studio.files, again)
        assert known is not None
        again.adopt(known)
        self.assertEqual(again.one_ink, first.one_ink)
        whole = first.whole(0.5)
        for one, other in zip(vars(again.cut(0.5, whole)).values(), vars(first.cut(0.5, whole)).values(), strict=True):
            np.testing.assert_array_equal(one, other)

    def test_gaps_ways_variants_traces_and_svg_are_answered(self) -> None:
        self.assertIsInstance(self.ask("/gaps", under(AUTOMATIC))["gaps"], list)
        variants = self.ask("/variants", {"kind": "contrast"})["variants"]
        self.assertGreater(len(variants), 5)
        self.assertTrue(all(one["picture"].startswith("data:image/webp;base64,") for one in variants))
        way = self.ask("/way", {"start": [0.3, 0.3], "end": [0.6, 0.6]})["points"]
        self.assertEqual((way[0], way[-1]), ([0.3, 0.3], [0.6, 0.6]))
        paths = self.ask("/trace", under(AUTOMATIC))["paths"]
        outline = {"kind": "outline", "paths": paths}
        svg = self.ask("/svg", outline)["svg"]
        again = self.ask("/from-svg", {"d": svg.split(' d="')[1].split('"')[0]})["paths"]
        self.assertEqual([len(path) for path in again], [len(path) for path in paths])
        plain, traced = (self.ask("", under(one))["removed"] for one in (AUTOMATIC, outline))
        self.assertAlmostEqual(plain, traced, delta=0.004)

    def test_a_region_is_kept_for_other_photos(self) -> None:
        kept = self.client.post("/api/kept-regions", json={"name": "corner touch", "region": TOUCHED}).json()
        (one,) = [row for row in kept if row["name"] == "corner touch"]
        self.put(under(one["region"]))
        replaced = self.client.post("/api/kept-regions", json={"name": "corner touch", "region": AUTOMATIC}).json()
        self.assertEqual([row["region"]["kind"] for row in replaced if row["name"] == "corner touch"], ["automatic"])
        left = self.client.delete(f"/api/kept-regions/{replaced[0]['id']}").json()
        self.assertEqual(len(left), len(replaced) - 1)

    def test_what_is_wrong_with_a_region_is_said_in_place_and_nothing_is_kept(self) -> None:
        crossing = [{"at": [0.2, 0.2]}, {"at": [0.8, 0.8]}, {"at": [0.8, 0.2]}, {"at": [0.2, 0.8]}]
        cases: list[tuple[dict[str, Any], str]] = [
            (
                {"kind": "outline", "paths": [crossing]},
                "clear.regions.0: the line crosses itself at 50 % from the left, 50 % from the top: it has to go round one area",
            ),
            (TOUCHED | {"tolerance": 300}, "clear.regions.0.tolerance: 300 is over 60"),
            (TOUCHED | {"points": [[1.2, 0.5]]}, "clear.regions.0.points.0.0: 1.2 is over 1"),
            (TOUCHED | {"points": []}, "clear.regions.0.points: holds 0, at least 1 is needed"),
            ({"kind": "guess"}, "clear.regions.0"),
            ({"kind": "strokes", "strokes": [{"keeps": True, "size": 0.01, "points": [[0.5, 0.5, 1]] * 401}]}, "strokes.0.points"),
        ]
        for region, message in cases:
            self.assertIn(message, self.put(under(region), 422)["message"])
        self.assertIsNone(self.client.get(f"/api/photos/{self.photo}").json()["marks"]["clear"])
        self.assertRegex(self.ask("/from-svg", {"d": "no path"}, 409)["message"], "The SVG path: (cannot be read|holds no closed line)")
        outside = {"frame": {"crop": [0.5, 0.5, 1, 1]}, **under(TOUCHED)}
        self.put(outside)
        self.assertIn("outside the frame", self.ask("", outside)["regions"][0]["trouble"])
        self.assertIn("outside the frame", self.ask("/spread-offer", TOUCHED, 409)["message"])
