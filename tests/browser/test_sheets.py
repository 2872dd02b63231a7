"""Run sheets by example and tried on a grid, listing specs drawn and tested, what came in, and the desk's answers: in a real browser."""

import json

from playwright.sync_api import expect

from tests.browser.test_page import PageCase
from tests.pictures import Scene
from tests.stand import small_photos
from yardchalk.core.settings import Marks
from yardchalk.studio import reading
from yardchalk.studio.history import set_marks


class SheetsPageTest(PageCase):
    def done_lot(self, files: dict[str, bytes], spec: str = "cutout") -> int:
        lot_id = self.filled(files, spec=spec)
        self.work_here(lot_id)
        return lot_id

    def test_a_worked_photo_becomes_a_sheet_is_tried_and_put_in_force(self) -> None:
        page = self.page
        lot_id = self.done_lot({**small_photos(3), "PW-9700_dark.jpg": Scene(width=480, height=360, level=190).made().jpeg})
        example = self.rows(lot_id)[0]
        marks = {
            "lift": {"mid": 1.2},
            "edge": {"feather": {"value": 1}},
            "clear": {
                "regions": [
                    {"kind": "spread", "points": [[0.03, 0.03], [0.97, 0.97]], "tolerance": 12},
                    {"kind": "strokes", "name": "Lid", "strokes": [{"keeps": True, "size": 0.02, "points": [[0.5, 0.5, 1]]}]},
                ]
            },
        }
        set_marks(self.studio, example["id"], Marks.model_validate(marks), "worked")
        self.work_here(lot_id)
        self.go(f"/lots/{lot_id}/photos/{example['id']}")
        page.get_by_role("button", name="Keep as sheet").click()
        expect(page.get_by_text("becomes places in the corners")).to_be_visible()
        expect(page.get_by_text("“Lid” is drawn for this photo")).to_be_visible()
        self.axe()
        page.get_by_label("Title").fill("Soft corners")
        page.get_by_role("button", name="Keep", exact=True).click()
        self.worker()
        page.get_by_role("link", name="Try it on a few photos").click()
        row = page.get_by_role("row").filter(has_text="Soft corners")
        expect(row.get_by_text("of 4 ready")).to_be_visible()
        self.axe()
        expect(page.get_by_text("1 photo with settings of their own")).to_be_visible()
        row.get_by_role("button", name="Put in force and run").click()
        expect(page.get_by_role("combobox", name="Run sheet")).to_have_value("soft-corners@1")
        self.wait_until(lot_id, {"done"})
        self.assertEqual(reading.lot(self.studio, lot_id)["sheet"], "soft-corners@1")
        self.assertEqual(self.rows(lot_id)[0]["marks"]["lift"], {"mid": 1.2}, "departures remain")

    def test_a_variant_is_the_next_version_and_says_what_changed(self) -> None:
        page = self.page
        self.go("/sheets?sheet=white")
        page.get_by_role("button", name="Make a variant").click()
        page.get_by_label("Shadow", exact=True).select_option("keep")
        self.axe()
        page.get_by_role("button", name="Keep as next version").click()
        expect(page.get_by_text("Edge, shadow: drop, now keep")).to_be_visible()
        expect(page.get_by_text("Keeps the shadow at 100 %.")).to_be_visible()
        with page.expect_download() as download:
            page.get_by_role("link", name="JSON file").click()
        held = json.loads(download.value.path().read_text())
        self.assertEqual((held["name"], held["version"], held["edge"]["shadow"]), ("white", 2, "keep"))
        page.get_by_label("A run sheet as a JSON file").set_input_files(
            {"name": "mine.json", "mimeType": "application/json", "buffer": json.dumps(held | {"name": "mine", "title": "Mine"}).encode()}
        )
        expect(page.get_by_role("heading", name="Mine")).to_be_visible()

    def test_a_spec_is_drawn_tested_and_kept(self) -> None:
        page = self.page
        self.done_lot(small_photos(1))
        self.go("/specs?spec=portrait-4x5")
        line = page.get_by_role("slider", name="The base line")
        line.focus()
        page.keyboard.press("ArrowUp")
        expect(line).to_have_attribute("aria-valuetext", "87.5 %")
        box = line.locator("path").bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + 4, box["y"] + 6)
        page.mouse.down()
        page.mouse.move(box["x"] + 4, box["y"] - 30, steps=4)
        page.mouse.up()
        self.assertLess(float((line.get_attribute("aria-valuetext") or "").split()[0]), 85)
        self.axe()
        page.get_by_role("button", name="Test", exact=True).click()
        expect(page.get_by_alt_text("The result")).to_be_visible()
        expect(page.get_by_text("1,600 × 2,000 px")).to_have_count(2)
        page.get_by_role("button", name="What formats lose").click()
        expect(page.get_by_role("group", name="PNG").get_by_text("Nothing is lost.")).to_be_visible()
        page.get_by_label("Title").fill("Low line")
        page.get_by_role("button", name="Keep under this title").click()
        expect(page.get_by_role("heading", name="Low line")).to_be_visible()

    def test_what_came_in_and_what_was_refused(self) -> None:
        page = self.page
        self.filled({"PW-9800_gone.jpg": Scene().made().jpeg[:20_000], **small_photos(1)})
        self.go("/intake")
        expect(page.get_by_role("link", name="PW-9000_pot.jpg").first).to_be_visible()
        page.get_by_role("radio", name="Refused").click()
        expect(page.get_by_role("row").filter(has_text="PW-9800_gone.jpg")).to_contain_text("refused: is cut short")
        expect(page.get_by_role("link", name="PW-9000_pot.jpg")).to_have_count(0)
        expect(page.get_by_text("It does not answer.")).to_be_visible()
        self.axe()
