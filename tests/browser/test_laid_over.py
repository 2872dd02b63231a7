"""What is laid over the picture stays on its place while one looks around, and tools work where they are seen to."""

import json
from typing import Any

from playwright.sync_api import Locator, expect

from tests.browser.test_page import PageCase
from tools.shots import settled

_BOX = """of => {
  const svg = of.ownerSVGElement?.getBoundingClientRect();
  const { x, y, width, height } = svg ? of.getBBox() : of.getBoundingClientRect();
  return { x: x + (svg?.x ?? 0), y: y + (svg?.y ?? 0), width, height };
}"""


class LaidOverTest(PageCase):
    def setUp(self) -> None:
        super().setUp()
        self.go_to_a_photo()

    def box(self, of: Locator) -> dict[str, float]:
        """Of a line what it goes round, without its width."""
        found: dict[str, float] = of.evaluate(_BOX)
        return found

    def assert_zoomed(self, of: Locator, before: dict[str, float], about: tuple[float, float], factor: float) -> None:
        """A layer's box is where zooming by a factor about a place takes it, within what the rounded figure tells."""
        now = self.box(of)
        self.assertAlmostEqual(now["width"], factor * before["width"], delta=0.03 * factor * before["width"])
        self.assertAlmostEqual(now["height"], factor * before["height"], delta=0.03 * factor * before["height"])
        for axis, at in zip("xy", about, strict=True):
            self.assertAlmostEqual(now[axis], at + factor * (before[axis] - at), delta=0.03 * factor * abs(before[axis] - at) + 2)

    def test_an_outline_follows_and_is_taken_where_it_is(self) -> None:
        page = self.page
        page.keyboard.press("4")
        page.get_by_role("button", name="Outline", exact=True).click()
        page.get_by_role("button", name="Follow edges", exact=True).click()
        layer = self.box(page.get_by_role("application"))
        x, y = layer["x"] + layer["width"] / 2, layer["y"] + layer["height"] / 2
        corners = [(-80, -60), (90, -60), (90, 70), (-80, 70)]
        for across, down in corners:
            page.mouse.click(x + across, y + down)
        with self.kept() as answer:
            page.mouse.click(x - 80, y - 60)
        (drawn,) = self.paths(answer.value.request.post_data)
        settled(page)
        line = page.locator("[role=application] path").first
        before, zoom = self.box(line), self.zoom()
        page.mouse.move(x + 40, y + 20)
        page.mouse.wheel(0, -350)
        page.wait_for_function("before => parseInt(document.querySelector('[aria-label=Zoom]').textContent) > 1.8 * before", arg=zoom)
        settled(page)
        factor = self.zoom() / zoom
        self.assert_zoomed(line, before, (x + 40, y + 20), factor)
        zoomed = self.box(line)
        page.keyboard.down(" ")
        page.mouse.down()
        page.mouse.move(x - 20, y + 50, steps=4)
        page.mouse.up()
        page.keyboard.up(" ")
        moved = self.box(line)
        self.assertAlmostEqual(moved["x"] - zoomed["x"], -60, delta=1)
        self.assertAlmostEqual(moved["y"] - zoomed["y"], 30, delta=1)
        # A point is taken where it is seen now, and put where it is let go.
        answer = self.drag_along(
            (moved["x"] + moved["width"], moved["y"] + moved["height"]), (moved["x"] + moved["width"] - 50, moved["y"] + moved["height"])
        )
        (changed,) = self.paths(answer.request.post_data)
        self.assertEqual([a["at"] == b["at"] for a, b in zip(drawn, changed, strict=True)], [True, True, False, True])
        width = (drawn[1]["at"][0] - drawn[0]["at"][0]) / 170  # of the photo, for one px of the screen as it was drawn
        self.assertAlmostEqual(changed[2]["at"][0], drawn[2]["at"][0] - 50 / factor * width, delta=0.03 * 50 * width)
        page.get_by_role("button", name="Fit", exact=True).click()
        settled(page)
        fitted = self.box(line)
        self.assertAlmostEqual(fitted["x"], before["x"], delta=2)
        self.assertAlmostEqual(fitted["y"], before["y"], delta=2)

    def test_guides_and_the_crop_follow_and_are_taken_where_they_are(self) -> None:
        page = self.page
        page.keyboard.press("6")
        for name in ("Level", "Upright"):
            with self.kept():
                page.get_by_role("button", name=f"{name} line").click()
        settled(page)
        guide = page.get_by_role("slider", name="Level guide 1")
        upright = page.get_by_role("slider", name="Upright guide 2")
        apart = self.apart(guide, upright)
        zoom = self.zoom()
        page.get_by_role("button", name="Real pixels").click()
        page.wait_for_function("document.querySelector('[aria-label=Zoom]').textContent.startsWith('100')")
        settled(page)
        factor = self.zoom() / zoom
        for then, now in zip(apart, self.apart(guide, upright), strict=True):
            self.assertAlmostEqual(now, factor * then, delta=0.03 * factor * abs(then) + 2)
        page.keyboard.press("1")
        corner = page.get_by_role("button", name="Crop: lower right corner")
        whole = page.get_by_role("button", name="Crop: the whole of it")
        settled(page)
        page.get_by_role("button", name="Fit", exact=True).click()
        settled(page)
        before, zoom = self.box(whole), self.zoom()
        place = (before["x"] + before["width"] - 30, before["y"] + before["height"] - 30)
        page.locator(".openseadragon-canvas").first.evaluate(
            """(element, [x, y]) => element.dispatchEvent(
                new WheelEvent('wheel', { deltaY: -400, clientX: x, clientY: y, bubbles: true, cancelable: true }))""",
            place,
        )
        page.wait_for_function("before => parseInt(document.querySelector('[aria-label=Zoom]').textContent) > before", arg=zoom)
        settled(page)
        self.assert_zoomed(whole, before, place, self.zoom() / zoom)
        grip = self.box(corner)
        answer = self.drag_along((grip["x"] + 7, grip["y"] + 7), (grip["x"] - 93, grip["y"] - 43))
        framed = self.box(whole)
        _, _, right, bottom = json.loads(answer.request.post_data or "")["frame"]["crop"]
        width, height = framed["width"] / right, framed["height"] / bottom
        self.assertAlmostEqual((1 - right) * width, 100, delta=2)
        self.assertAlmostEqual((1 - bottom) * height, 50, delta=2)
        expect(corner).to_be_visible()

    def apart(self, a: Locator, b: Locator) -> tuple[float, float]:
        """From one handle to another on the screen, px."""
        one, other = self.box(a), self.box(b)
        return other["x"] - one["x"], other["y"] - one["y"]

    @staticmethod
    def paths(body: str | None) -> Any:
        return json.loads(body or "")["clear"]["regions"][-1]["paths"]
