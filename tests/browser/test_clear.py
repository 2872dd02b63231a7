"""Clear at the bench, by mouse, keyboard and fingers."""

import json
from typing import Any

from playwright.sync_api import Locator, Response, expect

from tests.browser.test_page import PageCase
from tools.shots import settled
from yardchalk.core.clear_settings import SpreadRegion
from yardchalk.core.render import Render
from yardchalk.core.settings import load_sheet
from yardchalk.core.stages.clear.spread import spread

_PAINTED = """() => {
  const canvas = document.querySelector('canvas[aria-label^="What a tolerance"]');
  const words = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height).data;
  let n = 0;
  for (let i = 3; i < words.length; i += 4) n += words[i] > 0;
  return n;
}"""


class ClearPageTest(PageCase):
    def setUp(self) -> None:
        super().setUp()
        row = self.go_to_a_photo()
        self.render = Render(self.studio.files.get(row["digest"]), row["name"], load_sheet("white"))
        self.page.keyboard.press("4")
        expect(self.page.get_by_text("Removed:")).to_be_visible()

    def regions(self, answer: Response) -> list[dict[str, Any]]:
        self.assertTrue(answer.ok, answer.text())
        found: list[dict[str, Any]] = json.loads(answer.request.post_data or "")["clear"]["regions"]
        return found

    def press(self, name: str) -> Locator:
        button = self.page.get_by_role("button", name=name, exact=True)
        button.click()
        return button

    def middle(self) -> tuple[float, float]:
        box = self.page.locator("[role=application]").bounding_box()
        assert box is not None
        return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2

    def test_a_spread_follows_the_pointer_and_what_is_kept_is_what_was_shown(self) -> None:
        page = self.page
        with self.kept():
            page.get_by_role("switch", name="Automatic counts").click()
        self.press("Spread")
        x, y = self.middle()
        with page.expect_response(lambda r: r.url.endswith("/reach-map")):
            page.mouse.move(x - 240, y - 200)
            page.mouse.down()
        shown = page.locator("canvas[aria-label^='What a tolerance']")
        expect(shown).to_be_visible()
        counts = []
        for across in (20, 50, 80, 20):
            page.mouse.move(x - 240 + across, y - 200, steps=3)
            expect(shown).to_have_attribute("aria-label", f"What a tolerance of {round(4 * (4 + across / 6)) / 4:.2f} reaches")
            counts.append(page.evaluate(_PAINTED))
        self.assertEqual(counts[0], counts[3], "there and back")
        self.assertTrue(counts[0] <= counts[1] <= counts[2])
        with self.kept() as answer:
            page.mouse.up()
        _, region = self.regions(answer.value)
        taken = spread(SpreadRegion.model_validate(region), self.render.ground) > 0
        self.assertEqual(int(taken.sum()), counts[3], "what the page drew is what the engine takes")
        best = page.get_by_role("button", name="Best plateau")
        expect(best).to_be_visible()
        with self.kept() as answer:
            best.click()
        self.assertNotEqual(self.regions(answer.value)[1]["tolerance"], region["tolerance"])
        self.axe()

    def test_the_list_is_ordered_switched_named_and_undone(self) -> None:
        page = self.page
        with self.kept() as answer:
            self.press("Chalk and Rub")
        self.assertEqual([one["kind"] for one in self.regions(answer.value)], ["automatic", "strokes"])
        self.press("Rub: drop")
        x, y = self.middle()
        answer = self.drag_along((x, y), (x + 60, y + 20))
        (stroke,) = self.regions(answer)[1]["strokes"]
        self.assertFalse(stroke["keeps"])
        expect(page.get_by_text("1 stroke", exact=True)).to_be_visible()
        page.get_by_label("Brush width").fill("9999")
        expect(page.get_by_role("alert")).to_contain_text("from 1 to")
        page.keyboard.press("Escape")
        with self.kept() as answer:
            page.get_by_label("Name of the region").fill("lid by hand")
            page.keyboard.press("Enter")
        with self.kept() as answer:
            page.get_by_label("Move lid by hand: drag, or press an arrow key").press("ArrowUp")
        self.assertEqual([one["name"] for one in self.regions(answer.value)], ["lid by hand", ""])
        grip = page.get_by_label("Move lid by hand: drag, or press an arrow key").bounding_box()
        assert grip is not None
        answer = self.drag_along((grip["x"] + 5, grip["y"] + 10), (grip["x"] + 5, grip["y"] + 45))
        self.assertEqual([one["name"] for one in self.regions(answer)], ["", "lid by hand"])
        with self.kept() as answer:
            page.get_by_role("button", name="Automatic adds to the backdrop; press for another").click()
        self.assertEqual(self.regions(answer.value)[0]["how"], "take")
        self.axe()
        for _ in range(6):
            with page.expect_response(lambda r: r.url.endswith("/undo")):
                page.keyboard.press("Control+z")
        expect(page.get_by_role("button", name="Nothing to undo")).to_be_visible()
        expect(page.get_by_role("list", name="Regions, in order").get_by_role("listitem")).to_have_count(1)

    def test_a_box_and_an_outline_are_drawn_and_a_crossing_one_is_refused_in_place(self) -> None:
        page = self.page
        self.press("Box")
        x, y = self.middle()
        answer = self.drag_along((x - 200, y - 200), (x + 200, y + 220))
        self.assertEqual(len(self.regions(answer)[1]["loop"]), 4)
        expect(page.get_by_role("button", name="This is product")).to_have_attribute("aria-pressed", "true")
        self.press("Outline")
        self.press("Follow edges")
        corners = [(-80, -80), (80, 80), (80, -80), (-80, 80)]
        for across, down in corners:
            page.mouse.click(x + across, y + down)
        with self.kept() as answer:
            page.keyboard.press("Enter")
        self.assertEqual(answer.value.status, 422)
        expect(page.get_by_role("alert")).to_contain_text("The line crosses itself")
        # The refused step is taken back on the picture too before the line goes on; its own tile was refused as well.
        settled(page)
        self.wrong[:] = [line for line in self.wrong if "422" not in line and not line.startswith("Tile")]
        points = page.locator("[role=application] circle")
        expect(points).to_have_count(4)
        for _ in range(3):
            page.keyboard.press("Backspace")
        expect(points).to_have_count(1)
        for across, down in [corners[2], corners[1], corners[3]]:
            page.mouse.click(x + across, y + down)
        with self.kept() as answer:
            page.mouse.click(x - 80, y - 80)
        self.assertEqual(self.regions(answer.value)[2]["how"], "add", "round the same product as the box")
        (path,) = self.regions(answer.value)[2]["paths"]
        self.assertEqual(len(path), 4)
        answer = self.drag_along((x + 80, y + 80), (x + 120, y + 110))
        (moved,) = self.regions(answer)[2]["paths"]
        self.assertEqual([a["at"] == b["at"] for a, b in zip(path, moved, strict=True)], [True, True, False, True])
        # Along edges, the last piece goes along them too.
        self.press("Follow edges")
        self.press("Draw another")
        for across in (-150, 150):
            before = points.count()
            page.mouse.click(x + across, y - 150)
            expect(points).not_to_have_count(before)
        drawn = points.count() - 4
        with self.kept() as answer:
            page.keyboard.press("Enter")
        self.assertGreater(len(self.regions(answer.value)[2]["paths"][1]), drawn)
        page.get_by_role("button", name="Box", exact=True).last.click()
        answer = self.drag_along((x + 250, y - 200), (x + 300, y - 100))
        self.assertEqual(self.regions(answer)[3]["how"], "intersect", "round another product")
        page.get_by_role("button", name="Outline", exact=True).last.click()
        self.press("Round backdrop")
        page.keyboard.down("Shift")
        for across, down in corners[:3]:
            page.mouse.click(x + across, y + down)
        with self.kept() as answer:
            page.keyboard.press("Enter")
        page.keyboard.up("Shift")
        made = self.regions(answer.value)[4]
        self.assertEqual((made["backdrop"], made["how"], len(made["paths"][0])), ("inside", "add", 3))

    def test_a_family_a_map_ink_and_gaps_take_what_they_say(self) -> None:
        page = self.page
        self.press("Colour family")
        x, y = self.middle()
        answer = self.drag_along((x - 260, y - 200), (x - 200, y - 190))
        self.assertEqual([one["adds"] for one in self.regions(answer)[1]["samples"]], [True])
        self.press("This does not belong")
        answer = self.drag_along((x - 10, y), (x + 30, y + 10))
        self.assertEqual([one["adds"] for one in self.regions(answer)[1]["samples"]], [True, False])
        with self.kept() as answer:
            self.press("Contrast map")
        self.assertEqual(self.regions(answer.value)[2]["kind"], "contrast")
        maps = page.get_by_role("button").filter(has=page.locator("img"))
        expect(maps).to_have_count(12)
        said = maps.all_inner_texts()
        figures = [float(one.replace(",", "")) for one in said]
        self.assertEqual(figures, sorted(figures, reverse=True), "best apart first")
        with self.kept() as answer:
            maps.nth(1).click()
        expect(maps.nth(1)).to_have_attribute("aria-pressed", "true")
        taken = self.regions(answer.value)[2]["map"]
        with self.kept() as answer:
            self.press("Take the best")
        self.assertNotEqual(self.regions(answer.value)[2]["map"], taken)
        expect(page.get_by_text("Separation now")).to_contain_text(said[0].strip())
        with self.kept() as answer:
            self.press("Gaps")
        self.assertEqual(self.regions(answer.value)[3]["kind"], "gaps")
        with self.kept() as answer:
            self.press("Ink")
        self.assertEqual(self.regions(answer.value)[4]["floor"], "auto")
        expect(page.get_by_text("measured on this photo")).to_have_count(2)
        with self.kept() as answer:
            page.get_by_role("slider", name="Floor").press("Shift+ArrowRight")
        self.assertIsInstance(self.regions(answer.value)[4]["floor"], float)
        rows = page.get_by_role("list", name="Regions, in order").get_by_role("listitem")
        expect(rows).to_have_count(5)
        self.axe()

    def test_two_fingers_zoom_while_a_tool_is_in_hand(self) -> None:
        page = self.page
        page.set_viewport_size({"width": 1024, "height": 768})
        with self.kept():
            self.press("Chalk and Rub")
        settled(page)
        x, y = self.middle()
        before = page.get_by_label("Zoom").inner_text()
        session = page.context.new_cdp_session(page)

        def touch(kind: str, apart: float) -> None:
            points = [] if kind == "touchEnd" else [{"x": x - apart, "y": y, "id": 0}, {"x": x + apart, "y": y, "id": 1}]
            session.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})

        touch("touchStart", 40)
        for apart in (60, 80, 100, 120):
            touch("touchMove", apart)
        touch("touchEnd", 0)
        expect(page.get_by_label("Zoom")).not_to_have_text(before)
        self.assertGreater(int(page.get_by_label("Zoom").inner_text().split()[0]), 2 * int(before.split()[0]))
        expect(page.get_by_text("0 strokes", exact=True)).to_be_visible()
        page.set_viewport_size({"width": 1280, "height": 800})
