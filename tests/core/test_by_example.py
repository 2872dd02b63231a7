"""Run sheets from worked photos: what goes in, what becomes a rule, what is told as left out; and the words of sheets and specs."""

import unittest

import numpy as np
from pydantic import ValidationError

from tests.pictures import Scene, iou
from yardchalk.core.by_example import sheet_from
from yardchalk.core.clear_settings import (
    AnyRegion,
    BoxRegion,
    BrushStroke,
    ClearMarks,
    ContrastRegion,
    FamilyRegion,
    SpreadRegion,
    StrokesRegion,
)
from yardchalk.core.render import Render
from yardchalk.core.sampling import unlike
from yardchalk.core.settings import (
    BalanceMarks,
    ClearSettings,
    EdgeMarks,
    FrameMarks,
    LiftMarks,
    Marks,
    RunSheet,
    load_sheet,
    load_spec,
    shipped,
)
from yardchalk.core.settings_base import Length, Stroke
from yardchalk.core.wording import differences, sheet_in_words, spec_in_words

WHITE = load_sheet("white")
MADE = Scene().made()
OTHER = Scene(shift=0.12, seed=5, colour=(40, 70, 120), level=228).made()


def worked(marks: Marks) -> Render:
    return Render(MADE.jpeg, "pot", WHITE, marks)


def found_by(sheet: RunSheet, data: bytes) -> np.ndarray:
    render = Render(data, "pot", sheet)
    return render.cut(1.0, render.whole(1.0)).alpha


class ByExampleTest(unittest.TestCase):
    def test_found_dust_becomes_a_rule_colours_go_in_and_what_was_drawn_stays(self) -> None:
        spot = {"shape": "stroke", "size": 0.02, "points": [[0.1, 0.1]]}
        entries = [{"kind": "fill", "area": spot, "found": True}, {"kind": "cover", "to": "backdrop", "area": spot}]
        marks = Marks.model_validate({"mend": {"entries": entries}, "colour": {"saturation": 12, "shadows": [4, 0, -4]}})
        example = sheet_from(worked(marks), "kept", "Kept")
        self.assertEqual(
            [(c.stage, c.how) for c in example.carried],
            [("mend", "left out"), ("mend", "as a rule"), ("colour", "as it is"), ("colour", "as it is")],
        )
        self.assertTrue(example.sheet.mend.dust)
        self.assertEqual(example.sheet.colour.shadows, (4, 0, -4))
        words = " ".join(sheet_in_words(example.sheet))
        for part in ("Finds dust on the backdrop and mends it", "saturation +12 %", "a balance by tones"):
            self.assertIn(part, words)

    def test_regions_become_rules_that_hold_on_another_photo(self) -> None:
        corners = tuple((x, y) for x in (0.04, 0.96) for y in (0.04, 0.96))
        cases: dict[str, AnyRegion] = {
            "spread-rule": SpreadRegion(kind="spread", points=corners, tolerance=12),
            "family-rule": FamilyRegion(kind="family", samples=(Stroke(size=0.03, points=((0.03, 0.5), (0.03, 0.9))),), reach=5),
            "box-rule": BoxRegion(kind="box", loop=((0.1, 0.1), (0.85, 0.1), (0.85, 0.9), (0.1, 0.9))),
            "contrast": ContrastRegion(kind="contrast", level=0.5, hints=(Stroke(size=0.05, points=((0.5, 0.5),)),)),
        }
        for kind, region in cases.items():
            with self.subTest(kind):
                example = sheet_from(worked(Marks(clear=ClearMarks(regions=(region,)))), "kept", "Kept")
                (rule,) = example.sheet.clear.regions
                self.assertEqual(rule.kind, kind)
                self.assertEqual([c.how for c in example.carried], ["as a rule"])
                again = RunSheet.model_validate_json(example.sheet.model_dump_json())
                self.assertEqual(again, example.sheet)
                least = 0.87 if kind != "contrast" else 0.8
                self.assertGreater(iou(found_by(again, OTHER.jpeg), OTHER.alpha), least)

    def test_what_cannot_go_along_is_told(self) -> None:
        chalk = StrokesRegion(kind="strokes", name="Lid", strokes=(BrushStroke(keeps=True, size=0.05, points=((0.5, 0.5, 1.0),)),))
        frame, light = FrameMarks(turns=1, angle=3, crop=(0.1, 0.1, 0.9, 0.9)), BalanceMarks(red=1.0, blue=1.0)
        offer = worked(Marks(frame=frame, balance=light, clear=ClearMarks(regions=(chalk,)))).graph.offer
        marks = Marks(
            frame=frame,
            balance=light,
            lift=LiftMarks(white_point=offer, mid=1.1, strokes=(Stroke(size=0.1, points=((0.5, 0.5),)),)),
            edge=EdgeMarks(feather=Length(value=2), wider=(Stroke(size=0.1, points=((0.5, 0.5),)),)),
            clear=ClearMarks(regions=(chalk,)),
        )
        example = sheet_from(worked(marks), "kept", "Kept")
        sheet, said = example.sheet, {(c.stage, c.how) for c in example.carried}
        self.assertEqual((sheet.frame.turns, sheet.frame.crop, sheet.balance.neutral), (1, "close", "backdrop"))
        self.assertEqual((sheet.lift.white_point, sheet.lift.mid, sheet.edge.feather.value), ("auto", 1.1, 2))
        self.assertEqual(sheet.clear, WHITE.clear, "nothing is left that says what is backdrop")
        left_out = " ".join(c.words for c in example.carried if c.how == "left out")
        for word in ("Straightened", "Lift acts", "band", "Lid"):
            self.assertIn(word, left_out)
        self.assertLessEqual({("frame", "as a rule"), ("lift", "as a rule"), ("balance", "as a rule"), ("edge", "as it is")}, said)

    def test_a_light_that_leaves_a_tint_goes_in_as_it_is(self) -> None:
        light = BalanceMarks(temperature=4200, tint=5)
        example = sheet_from(worked(Marks(balance=light)), "kept", "Kept")
        self.assertEqual(example.sheet.balance.light, light)
        render = Render(OTHER.jpeg, "pot", example.sheet)
        self.assertEqual(render.gains, Render(OTHER.jpeg, "pot", WHITE, Marks(balance=light)).gains)

    def test_a_sheet_names_no_place_of_one_photo(self) -> None:
        with self.assertRaisesRegex(ValidationError, "belongs into that photo's marks"):
            ClearSettings(regions=(SpreadRegion(kind="spread", points=((0.1, 0.1),)),))

    def test_words(self) -> None:
        for name in shipped("sheets"):
            self.assertGreater(len(sheet_in_words(load_sheet(name))), 2)
        for name in shipped("specs"):
            self.assertGreater(len(spec_in_words(load_spec(name))), 1)
        changed = WHITE.model_copy(update={"version": 2, "lift": WHITE.lift.model_copy(update={"white_point": 238})})
        self.assertEqual(differences(WHITE, changed), ["Lift, white point: auto, now 238"])
        self.assertEqual(differences(WHITE, WHITE), [])

    def test_samples_are_unlike_each_other(self) -> None:
        rng = np.random.default_rng(1)
        rows: list[dict[str, float | None]] = [{"light of the backdrop (level)": 235 + float(rng.normal(0, 1))} for _ in range(20)]
        rows[7] = {"light of the backdrop (level)": 200.0}
        rows[13] = {"light of the backdrop (level)": 236.0, "cast of the backdrop (ΔE00)": None}
        chosen = unlike(rows, 3)
        self.assertEqual(len(set(chosen)), 3)
        self.assertIn(7, chosen)
        self.assertEqual(unlike([], 3), [])
        self.assertEqual(unlike([{}, {}], 5), [0, 1])
