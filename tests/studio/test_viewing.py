"""What a render process at the bench keeps from one look to the next."""

import tempfile
import unittest
from unittest import mock

import numpy as np

from tests.pictures import Scene
from yardchalk.core.clear_settings import BoxRegion, ClearMarks
from yardchalk.core.codecs import decode_photo
from yardchalk.core.render import Render
from yardchalk.core.settings import FrameMarks, Marks, load_sheet
from yardchalk.core.settings_base import Stroke
from yardchalk.core.stages.edge.solve import solve_matte
from yardchalk.store.files import FileStore
from yardchalk.studio.asking import Subject, TileAsked
from yardchalk.studio.found import take_frame
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

    def test_under_the_frame_that_a_run_found_it_shows_the_same_as_where_it_is_found_anew(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            files = FileStore(f"file://{folder}")
            data = Scene(width=2100, height=1575, room=2.5).made().jpeg
            sheet, digest = load_sheet("white"), files.put(data)
            take_frame(files, first := Render(data, "pot", sheet))
            found = first.frame
            assert found is not None and found.crop is not None
            with mock.patch("yardchalk.core.render.clearing.crop_close", side_effect=AssertionError("it was found before")):
                take_frame(files, again := Render(data, "pot", sheet))
                self.assertEqual(again.frame, found)
            said = FrameMarks.model_validate_json(found.model_dump_json())
            anew, known = (
                Viewing(files).answer(TileAsked(Subject(digest, "pot", sheet, Marks(), found=frame), "picture", "black", 1, 0, 0))
                for frame in (None, said)
            )
            self.assertEqual(anew, known)
            own = Subject(digest, "pot", sheet, Marks(frame=FrameMarks()), found=said)
            with mock.patch("yardchalk.core.render.edge.solve_matte", side_effect=AssertionError("nothing has to be solved")):
                tile, _ = Viewing(files).answer(TileAsked(own, "before", "white", 3, 0, 0))
            self.assertEqual(decode_photo(tile, "tile").pixels.shape, (557, 742, 3), "its own frame comes first")
