"""What a render process at the bench keeps from one look to the next."""

import tempfile
import unittest
from unittest import mock

import numpy as np

from tests.pictures import Scene
from yardchalk.core.clear_settings import BoxRegion, ClearMarks
from yardchalk.core.codecs import decode_photo
from yardchalk.core.settings import Marks, load_sheet
from yardchalk.core.settings_base import Stroke
from yardchalk.core.stages.edge.solve import solve_matte
from yardchalk.store.files import FileStore
from yardchalk.studio.asking import Subject, TileAsked
from yardchalk.studio.viewing import Viewing

BOX = BoxRegion(kind="box", loop=((0.15, 0.08), (0.85, 0.08), (0.85, 0.96), (0.15, 0.96)))
STROKES = tuple(Stroke(adds=False, size=0.02, points=((x, y), (x, y + 0.02))) for x, y in ((0.304, 0.65), (0.62, 0.5)))


class ViewingTest(unittest.TestCase):
    def test_after_a_stroke_in_a_box_the_matte_is_solved_round_it_alone_and_looks_as_if_all_of_it_were(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            files = FileStore(f"file://{folder}")
            digest = files.put(Scene(width=1600, height=1200, shadow=0.1).made().jpeg)

            def matte(viewing: Viewing, strokes: int) -> np.ndarray:
                marks = Marks(clear=ClearMarks(regions=(BOX.model_copy(update={"strokes": STROKES[:strokes]}),)))
                tile, _ = viewing.answer(TileAsked(Subject(digest, "pot", load_sheet("white"), marks), "matte", "white", 2, 0, 0))
                return decode_photo(tile, "tile").pixels[..., 0].astype(int)

            bench = Viewing(files)
            first = matte(bench, 1)
            with mock.patch("yardchalk.core.render.edge.solve_matte", wraps=solve_matte) as solving:
                second = matte(bench, 2)
            places = [call.args[-1] for call in solving.call_args_list]
            self.assertTrue(places and all(places), "round the stroke")
            solved = sum((rows.stop - rows.start) * (columns.stop - columns.start) for rows, columns in places)
            self.assertLess(solved, first.size / 4)
            self.assertGreater(int((np.abs(second - first) > 100).sum()), 50, "the stroke is seen")
            at_once = matte(Viewing(files), 2)
            self.assertGreaterEqual(float((np.abs(second - at_once) <= 3).mean()), 0.999)
