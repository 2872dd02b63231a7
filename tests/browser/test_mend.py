"""Mend and Colour at the bench: strokes that become entries, a piece nudged by keys, dust in one press, colours for the lot."""

import json
from typing import Any

from playwright.sync_api import Request, Response, Route, expect

from tests.browser.test_page import PageCase
from tools.shots import settled

# What a busy machine does: what is set to run at once comes after all else that waits.
LATE_TIMERS = "const set = setTimeout; window.setTimeout = (act, ms, ...given) => set(act, ms || 30, ...given); 0"


class MendPageTest(PageCase):
    def setUp(self) -> None:
        super().setUp()
        self.go_to_a_photo()
        self.page.keyboard.press("6")
        expect(self.page.get_by_role("heading", name="Mend")).to_be_visible()

    def marks(self, answer: Response) -> dict[str, Any]:
        self.assertTrue(answer.ok, answer.text())
        found: dict[str, Any] = json.loads(answer.request.post_data or "")
        return found

    def drag(self, label: str, *places: tuple[float, float]) -> dict[str, Any]:
        """Draw over the layer of a tool, in shares of it; the marks that are kept."""
        box = self.page.get_by_role("application", name=label).bounding_box()
        assert box is not None
        points = [(box["x"] + x * box["width"], box["y"] + y * box["height"]) for x, y in places]
        return self.marks(self.drag_along(*points))

    def test_strokes_become_entries_that_are_switched_off_changed_and_removed(self) -> None:
        page = self.page
        page.get_by_role("button", name="Fill", exact=True).click()
        kept = self.drag("Paint over what is filled", (0.45, 0.45), (0.5, 0.5))
        self.assertEqual([one["kind"] for one in kept["mend"]["entries"]], ["fill"])
        page.get_by_role("button", name="To backdrop", exact=True).click()
        kept = self.drag("Paint what becomes backdrop", (0.1, 0.9))
        self.assertEqual([one["kind"] for one in kept["mend"]["entries"]], ["fill", "cover"])
        expect(page.get_by_text("Touched:")).to_be_visible()
        page.get_by_role("button", name="1. Fill").click()
        with self.kept() as answer:
            page.get_by_role("slider", name="Strength").press("Shift+ArrowLeft")
        self.assertEqual(self.marks(answer.value)["mend"]["entries"][0]["strength"], 0.9)
        with self.kept() as answer:
            page.get_by_role("button", name="On: mend 1, Fill").click()
        self.assertFalse(self.marks(answer.value)["mend"]["entries"][0]["on"])
        with self.kept() as answer:
            page.get_by_role("button", name="Remove mend 2, To backdrop").click()
        self.assertEqual(len(self.marks(answer.value)["mend"]["entries"]), 1)
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("button", name="2. To backdrop")).to_be_visible()

    def test_a_clone_takes_its_source_first_and_goes_on_beside_it(self) -> None:
        page = self.page
        page.get_by_role("button", name="Clone", exact=True).click()
        source = page.get_by_role("application", name="Touch where the clone comes from")
        box = source.bounding_box()
        assert box is not None
        page.mouse.click(box["x"] + 0.4 * box["width"], box["y"] + 0.4 * box["height"])
        (first,) = self.drag("Paint the copy", (0.5, 0.5), (0.52, 0.5))["mend"]["entries"]
        _, second = self.drag("Paint the copy", (0.55, 0.6))["mend"]["entries"]
        for axis in (0, 1):
            apart = [one["source"][axis] - one["area"]["points"][0][axis] for one in (first, second)]
            self.assertAlmostEqual(*apart, delta=0.002)

    def test_a_piece_is_nudged_by_keys_and_pushed_shapes_are_kept(self) -> None:
        page = self.page
        page.get_by_role("button", name="Nudge", exact=True).click()
        kept = self.drag("Draw round the piece to nudge", (0.45, 0.45), (0.55, 0.45), (0.55, 0.55), (0.45, 0.55))
        self.assertEqual(kept["mend"]["entries"][0]["by"], [0, 0])
        expect(page.get_by_role("application", name="Drag to move Nudge")).to_be_visible()
        with self.kept() as answer:
            for key in ("ArrowRight", "ArrowRight", "Shift+ArrowDown"):
                page.keyboard.press(key)
        across, down = self.marks(answer.value)["mend"]["entries"][0]["by"]
        self.assertAlmostEqual(across * 480, 2, delta=0.05)
        self.assertAlmostEqual(down * 360, 10, delta=0.05)
        page.get_by_role("button", name="Push", exact=True).click()
        kept = self.drag("Push along the stroke", (0.5, 0.5), (0.56, 0.5))
        self.assertEqual(kept["mend"]["entries"][1]["kind"], "push")
        kept = self.drag("Push along the stroke", (0.5, 0.4), (0.56, 0.4))
        self.assertEqual(len(kept["mend"]["entries"]), 2, "one field holds them all")

    def test_a_push_is_seen_by_its_key_and_one_that_fails_changes_nothing(self) -> None:
        page = self.page
        asked: list[Request] = []
        page.get_by_role("button", name="Push", exact=True).click()
        page.on("request", lambda request: asked.append(request))

        def late(route: Route) -> None:
            page.wait_for_timeout(800)
            route.continue_()

        # The push is shown long before its marks are kept, and stays when they are.
        page.evaluate(LATE_TIMERS)
        page.route("**/marks?*", late, times=1)
        self.drag("Push along the stroke", (0.5, 0.5), (0.56, 0.5))
        settled(page)
        (push,) = (one for one in asked if one.url.endswith("/push"))
        key = json.loads(push.post_data or "")["key"]
        tiles = [one.url for one in asked if "/tiles/" in one.url and "/picture/" in one.url]
        self.assertTrue(tiles and all(f"/~{key}/" in url for url in tiles), tiles)
        self.assertFalse([one.url for one in asked if "/api/marks/" in one.url], "the server has them already")
        refusal = {"message": "The pot could not be pushed. Try again."}
        page.route("**/push", lambda route: route.fulfill(status=409, json=refusal), times=1)
        box = page.get_by_role("application", name="Push along the stroke").bounding_box()
        assert box is not None
        page.mouse.click(box["x"] + 0.5 * box["width"], box["y"] + 0.4 * box["height"])
        expect(page.get_by_text("could not be pushed")).to_be_visible()
        page.wait_for_selector("[data-busy='false']")
        kept = self.drag("Push along the stroke", (0.5, 0.6), (0.56, 0.6))
        self.assertEqual(len(kept["mend"]["entries"]), 1)
        expect(page.get_by_text("could not be pushed")).to_be_hidden()
        self.wrong.clear()  # of the one that was refused

    def test_dust_guides_and_colours(self) -> None:
        page = self.page
        page.get_by_role("button", name="Find dust").click()
        expect(page.get_by_text("On the backdrop: none left")).to_be_visible()
        with self.kept() as answer:
            page.get_by_role("button", name="Level line").click()
        self.assertEqual(self.marks(answer.value)["mend"]["guides"], [{"runs": "level", "at": 0.5}])
        expect(page.get_by_role("slider", name="Level guide 1")).to_be_visible()
        page.keyboard.press("7")
        with self.kept() as answer:
            page.get_by_role("slider", name="Saturation").press("Shift+ArrowRight")
        self.assertEqual(self.marks(answer.value)["colour"]["saturation"], 10)
        page.get_by_role("button", name="Copy these colours to the lot").click()
        expect(page.get_by_text("All other photos of the lot have them already.")).to_be_visible()
        self.axe()
