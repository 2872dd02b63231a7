"""Edge at the bench: the walk along the outline, sliders, brushes and shadows, by keyboard and mouse."""

import json
from typing import Any

from playwright.sync_api import Response, expect

from tests.browser.test_page import PageCase
from tools.shots import settled


class EdgePageTest(PageCase):
    def setUp(self) -> None:
        super().setUp()
        self.go_to_a_photo()
        self.page.keyboard.press("5")
        expect(self.page.get_by_role("slider", name="Place along the outline")).to_be_visible()

    def edge(self, answer: Response) -> dict[str, Any]:
        self.assertTrue(answer.ok, answer.text())
        found: dict[str, Any] = json.loads(answer.request.post_data or "")["edge"]
        return found

    def test_the_walk_follows_the_outline_and_leads_to_the_brush(self) -> None:
        page = self.page
        place = page.get_by_role("slider", name="Place along the outline")
        page.keyboard.press("w")
        expect(page.get_by_text("200", exact=False).first).to_be_visible()
        expect(place).to_have_attribute("aria-valuenow", "3")
        page.keyboard.press("Shift+W")
        expect(place).to_have_attribute("aria-valuenow", "2")
        page.wait_for_timeout(1_000)
        expect(place).to_have_attribute("aria-valuenow", "2")
        page.keyboard.press("m")
        layer = page.get_by_role("application", name="Paint the band wider")
        box = layer.bounding_box()
        assert box is not None
        answer = self.drag_along((box["x"] + 300, box["y"] + 300), (box["x"] + 380, box["y"] + 320))
        (stroke,) = self.edge(answer)["wider"]
        self.assertGreater(len(stroke["points"]), 1)
        expect(page.get_by_text("1 painted")).to_be_visible()
        page.keyboard.press("Escape")
        expect(layer).to_have_count(0)

    def test_settings_by_keyboard_with_what_they_changed_and_back_again(self) -> None:
        page = self.page
        grow = page.get_by_role("slider", name="Grow or shrink")
        with self.kept() as answer:
            grow.press("Shift+ArrowRight")
        self.assertEqual(self.edge(answer.value)["grow"], {"value": 1, "unit": "px"})
        expect(page.get_by_text("changed").first).to_be_visible()
        page.get_by_label("Unit of lengths").first.select_option("%")
        expect(page.get_by_label("Grow or shrink, %")).to_be_visible()
        with self.kept() as answer:
            page.get_by_label("Shadow", exact=True).select_option("draw")
        self.assertEqual(self.edge(answer.value)["shadow"], "draw")
        expect(page.get_by_role("slider", name="Softness")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("slider", name="Softness")).to_have_count(0)
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_label("Grow or shrink, %")).to_have_value("0.000")
        page.get_by_label("Unit of lengths").first.select_option("px")

    def test_a_photo_is_treated_as_a_drawing_and_as_measured_again(self) -> None:
        page = self.page
        treated = page.get_by_label("Treated as", exact=True)
        expect(treated).to_have_value("auto")
        tiles: list[str] = []
        page.on("request", lambda request: tiles.append(request.url) if "/tiles/" in request.url else None)
        with self.kept() as answer:
            treated.select_option(label="a drawing")
        self.assertEqual(self.edge(answer.value)["mixing"], "codes")
        settled(page)
        self.assertTrue(tiles, "its edges are seen as a drawing's")
        page.reload()
        page.get_by_label("Histogram with white point").wait_for()
        page.keyboard.press("5")
        expect(treated).to_have_value("codes")
        page.get_by_role("button", name="Undo").click()
        expect(treated).to_have_value("auto")

    def test_glass_is_painted_and_a_shadow_kept_where_they_are_seen(self) -> None:
        page = self.page
        body, shade = (0.5, 0.5), (0.71, 0.6)  # on the product, and in the shadow beside it
        page.get_by_role("radio", name="Picture").click()
        self.assertEqual(self.level_at(*shade), 255, "left out")
        with self.kept() as answer:
            page.get_by_label("Shadow", exact=True).select_option("keep")
        self.assertEqual(self.edge(answer.value)["shadow"], "keep")
        self.assertLess(self.level_at(*shade), 250)
        page.get_by_role("radio", name="black", exact=True).click()
        solid = self.level_at(*body)
        page.get_by_role("button", name="Seen through: paint here").click()
        x, y = self.on_screen(*body)
        answer = self.drag_along((x - 30, y), (x + 30, y))
        self.assertEqual(len(self.edge(answer)["glass"]), 1)
        through = self.level_at(*body)
        self.assertLess(through, solid - 6, "the card shows through")
        how_far = page.get_by_role("slider", name="How far")
        with self.kept() as answer:
            how_far.press("Home")
        self.assertEqual(self.edge(answer.value)["see_through"], 0)
        self.assertGreater(self.level_at(*body), solid - 3)
        page.get_by_role("button", name="Take them away").click()
        expect(how_far).to_have_count(0)
