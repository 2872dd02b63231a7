"""Edge over real HTTP: the outline's figures, marks that are kept and undone, and what is refused with the reason."""

from typing import Any

import numpy as np

from tests.stand import small_photos
from tests.web.test_server import ServerCase
from yardchalk.core.codecs import decode_photo
from yardchalk.core.render import Render
from yardchalk.core.settings import EdgeMarks, Marks, load_sheet
from yardchalk.core.settings_base import Length
from yardchalk.core.views import view
from yardchalk.studio.found import keep_decisions, known_decisions


class EdgeTest(ServerCase):
    def setUp(self) -> None:
        self.lot_id = self.filled(small_photos(1), sheet="transparent")
        (row,) = self.rows(self.lot_id)
        self.photo = row["id"]
        self.render = Render(self.studio.files.get(row["digest"]), row["name"], load_sheet("transparent"))

    def ask(self, edge: dict[str, Any], status: int = 200) -> Any:
        answer = self.client.post(f"/api/photos/{self.photo}/edge", json={"edge": edge})
        self.assertEqual(answer.status_code, status, answer.text)
        return answer.json()

    def test_the_outline_is_told_stretch_by_stretch_and_each_clean_up_by_itself(self) -> None:
        report = self.ask({})
        self.assertEqual([s["box"] for s in report["stretches"]], [list(s.box) for s in self.render.stretches])
        self.assertLess(report["fringe"], report["fringe_before"] / 3)
        self.assertEqual(
            {name: change["area"] for name, change in report["changes"].items() if name in ("grow", "feather")}, {"grow": 0, "feather": 0}
        )
        changed = self.ask({"grow": {"value": 1}, "feather": {"value": 0.2, "unit": "%"}})
        self.assertAlmostEqual(changed["changes"]["grow"]["area"] / changed["length"], 1, delta=0.25)
        self.assertGreater(changed["changes"]["feather"]["area"], 0)
        self.assertGreater(self.ask({"fringe": 0.2})["fringe"], 2 * report["fringe"])
        self.assertEqual((changed["settings"]["grow"]["value"], changed["sheet"]["grow"]["value"]), (1, 0))

    def test_an_edge_is_kept_undone_and_seen_in_tiles(self) -> None:
        edge = {"shadow": "keep", "grow": {"value": -0.5, "unit": "px"}}
        put = self.client.put(f"/api/photos/{self.photo}/marks", params={"what": "Edge"}, json={"edge": edge})
        self.assertEqual(put.json()["marks"]["edge"]["grow"], {"value": -0.5, "unit": "px"})
        tile = self.client.get(f'{put.json()["tile_base"]}/edge/white/{{"edge":{{"grow":{{"value":-0.5}}}}}}/0/0-0')
        self.assertEqual(tile.status_code, 200)
        marks = Marks(edge=EdgeMarks(grow=Length(value=-0.5)))
        own = Render(self.render.data, "own", load_sheet("transparent"), marks)
        seen = decode_photo(tile.content, "tile").pixels.astype(int)
        want = view(own, "edge", 1.0, own.whole(1.0)).astype(int)[: seen.shape[0], : seen.shape[1]]
        self.assertLess(float(np.abs(seen - want).mean()), 3, "what the engine shows, but for the tile's compression")
        undone = self.client.post(f"/api/photos/{self.photo}/undo").json()
        self.assertEqual(undone["marks"]["edge"]["shadow"], None)

    def test_what_is_out_of_range_is_refused_with_its_path(self) -> None:
        for edge, words in (
            ({"smooth": {"value": -1}}, "edge.smooth: must not be less than nothing"),
            ({"fringe": 2}, "edge.fringe: 2 is over 1"),
            ({"halo": 1}, "edge.halo: is no setting"),
        ):
            answer = self.client.post(f"/api/photos/{self.photo}/edge", json={"edge": edge})
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.text)

    def test_a_kept_solution_is_the_solution(self) -> None:
        keep_decisions(self.studio.files, self.render)
        again = Render(self.render.data, "again", load_sheet("transparent"))
        kept = known_decisions(self.studio.files, again)
        assert kept is not None
        again.adopt(kept)
        for scale in (1.0, 0.5):
            fresh, known = (r.cut(scale, r.whole(scale)) for r in (self.render, again))
            np.testing.assert_array_equal(fresh.alpha, known.alpha)
            np.testing.assert_array_equal(fresh.colour, known.colour)
        other = Render(self.render.data, "other", load_sheet("transparent"), Marks(edge=EdgeMarks(solver="known")))
        self.assertIsNone(known_decisions(self.studio.files, other), "solved otherwise")
