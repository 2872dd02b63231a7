"""The main ways of working, in a real browser on a real server with real workers."""

import contextlib
import io
import json
import re
import time
from collections.abc import Callable
from datetime import date, timedelta
from typing import Any, ClassVar

import numpy as np
from PIL import Image
from playwright.sync_api import APIResponse, Error, FilePayload, Page, Response, Route, expect

from tests.pictures import Scene
from tests.stand import PATIENCE, small_photos
from tests.web.test_server import ServerCase
from tools.browser import open_page
from tools.shots import settled
from yardchalk.host.settings import ROOT
from yardchalk.studio.context import announce
from yardchalk.studio.running import ask_runs

expect.set_options(timeout=PATIENCE * 1000)
AXE = ROOT / "page" / "node_modules" / "axe-core" / "axe.min.js"


class PageCase(ServerCase):
    page: ClassVar[Page]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        stack = contextlib.ExitStack()
        cls.addClassCleanup(stack.close)
        cls.page = stack.enter_context(open_page())
        cls.page.set_default_timeout(PATIENCE * 1000)
        cls.wrong = []
        cls.page.on("pageerror", lambda error: cls.wrong.append(str(error)))
        cls.page.on("console", lambda said: cls.wrong.append(f"{said.text} {said.location}") if said.type == "error" else None)

    wrong: ClassVar[list[str]]
    size = (480, 360)  # px, of the photos that small_photos makes

    def setUp(self) -> None:
        # What the page of the test before still asks for, and is told, is not this one's.
        self.page.unroute_all(behavior="ignoreErrors")
        self.page.goto("about:blank")
        self.wrong.clear()

    def tearDown(self) -> None:
        self.assertEqual(self.wrong, [], "errors in the browser's console")

    def go(self, path: str) -> None:
        self.page.goto(self.address + path)

    def go_to_a_photo(self) -> dict[str, Any]:
        """The bench of the one photo of a new lot, settled; the photo's row."""
        lot_id = self.filled(small_photos(1))
        self.work_here(lot_id)
        (row,) = self.rows(lot_id)
        self.go(f"/lots/{lot_id}/photos/{row['id']}")
        self.page.get_by_label("Histogram with white point").wait_for()
        settled(self.page)
        return row

    def kept(self) -> Any:
        """Waits for marks to be kept."""
        return self.page.expect_response(lambda r: "/marks?" in r.url and r.request.method == "PUT")

    def drag_along(self, *places: tuple[float, float]) -> Response:
        """Drag from place to place, px of the window; the answer that what it left is kept."""
        with self.kept() as answer:
            self.page.mouse.move(*places[0])
            self.page.mouse.down()
            for place in places[1:]:
                self.page.mouse.move(*place, steps=6)
            self.page.mouse.up()
        response: Response = answer.value
        return response

    def zoom(self) -> int:
        """Percent of real pixels, as it is shown."""
        return int(self.page.get_by_label("Zoom", exact=True).inner_text().split()[0])

    def level_at(self, across: float, down: float) -> int:
        """The mean level that the viewer shows at a place, shares of the whole photo, which is fitted to it."""
        settled(self.page)
        x, y = self.on_screen(across, down)
        shot = self.page.screenshot(clip={"x": round(x) - 1, "y": round(y) - 1, "width": 3, "height": 3})
        return round(float(np.asarray(Image.open(io.BytesIO(shot)).convert("L")).mean()))

    def on_screen(self, across: float, down: float) -> tuple[float, float]:
        """Where a place of the photo is, px of the window; shares of the whole, which is fitted to the viewer."""
        box = self.page.get_by_role("img", name=re.compile("^PW-")).first.bounding_box()
        assert box is not None
        width, height = (side * self.zoom() / 100 for side in self.size)
        return box["x"] + box["width"] / 2 + (across - 0.5) * width, box["y"] + box["height"] / 2 + (down - 0.5) * height

    def axe(self) -> None:
        """Nothing serious for a screen reader or keyboard on the page as it is now."""
        self.page.evaluate(AXE.read_text() + "; 0")
        found: list[dict[str, Any]] = self.page.evaluate("async () => (await axe.run()).violations")
        serious = [
            (one["id"], one["nodes"][0]["html"][:160], one["nodes"][0].get("failureSummary", "")[:200])
            for one in found
            if one["impact"] in ("serious", "critical")
        ]
        self.assertEqual(serious, [])


def white_point(answer: Response) -> int:
    """What was asked to be kept."""
    return int(json.loads(answer.request.post_data or "")["lift"]["white_point"])


class LotTest(PageCase):
    def test_from_a_drop_to_a_delivery(self) -> None:
        page = self.page
        self.worker()
        self.go("/")
        expect(page.get_by_text("No lots yet")).to_be_visible()
        self.axe()
        files = small_photos(3) | {"PW-9100_gone.jpg": Scene().made().jpeg[:20_000]}
        page.locator("input[type=file]").first.set_input_files(
            [FilePayload(name=name, mimeType="image/jpeg", buffer=data) for name, data in files.items()]
        )
        expect(page.get_by_text("3 photos taken in, 1 refused")).to_be_visible()
        expect(page.get_by_text("Refused: PW-9100_gone.jpg: is cut short")).to_be_visible()
        page.get_by_role("button", name="Close").click()
        expect(page.get_by_text("3 of 3 photos done")).to_be_visible()
        expect(page.get_by_text("PW-9100_gone.jpg: is cut short")).to_be_visible()
        expect(page.get_by_role("heading", name="Ready")).to_be_visible()
        page.get_by_role("radio", name="black").click()
        self.axe()
        page.get_by_label("Find by name").fill("9001")
        expect(page.locator("a[title^='PW-9001']")).to_have_count(1)
        expect(page.locator("a[title^='PW-9000']")).to_have_count(0)
        page.get_by_role("button", name="Deliver 3 ready").click()
        expect(page.get_by_role("listitem").filter(has_text="PW-9002_pot.jpg")).to_be_visible()
        page.get_by_role("checkbox", name="Cut-out PNG").check()
        expect(page.get_by_role("listitem").filter(has_text="PW-9002_pot.png")).to_be_attached()
        expect(page.get_by_role("heading", name="Deliver 6 files")).to_be_visible()
        self.axe()
        page.get_by_role("button", name="Write them").click()
        page.get_by_role("link", name="See the delivery").click()
        expect(page.get_by_role("cell", name="PW-9000_pot.png").first).to_be_visible()
        self.axe()
        expect(page.get_by_role("link", name="ZIP")).to_have_count(2)
        with page.expect_download() as download:
            page.get_by_role("link", name="ZIP").last.click()
        self.assertEqual(download.value.path().read_bytes()[:2], b"PK")
        page.get_by_role("link", name="Lot of").first.click()
        expect(page.get_by_text("3 of 3 photos done, 3 delivered")).to_be_visible()
        page.get_by_role("button", name="Deliver 3 ready").click()
        expect(page.get_by_text("All of these were delivered before, as they are.")).to_be_visible()
        page.get_by_role("button", name="Not now").click()


class LotAgainTest(PageCase):
    def test_an_answer_that_was_overtaken_changes_no_tile(self) -> None:
        page = self.page
        lot_id = self.filled(small_photos(1))
        self.work_here(lot_id)
        self.go(f"/lots/{lot_id}")
        tile = page.locator("a[data-photo]")
        expect(tile).to_contain_text("nothing found")
        late: list[tuple[Route, APIResponse]] = []
        passed: list[str] = []

        def answer(route: Route) -> None:
            got = route.fetch()
            (state,) = (one["state"] for one in got.json())
            if late or state == "done":
                passed.append(state)
                route.fulfill(response=got)
            else:
                late.append((route, got))

        def until(there: Callable[[], bool], again: Callable[[], None] = lambda: None) -> None:
            ends = time.monotonic() + PATIENCE
            while not there():
                self.assertLess(time.monotonic(), ends, "no such answer")
                again()
                page.wait_for_timeout(400)  # longer than events are gathered for

        page.route(re.compile(r"/lineup\?photo="), answer)
        (row,) = self.rows(lot_id)
        self.assertEqual(ask_runs(self.studio, lot_id, only=[row["id"]], anew=True), 1)
        expect(tile).not_to_contain_text("nothing found")

        def changed() -> None:
            with self.studio.transaction() as connection:
                announce(connection, lot_id, row["id"])

        # Held back until it is done. Once is not enough: gathered with what concerns the whole lot, the photo alone is not asked for.
        until(lambda: bool(late), changed)
        self.work_here(lot_id)
        until(lambda: "done" in passed)
        page.wait_for_timeout(600)  # for all that is still asked of the end of the run
        ((route, answered),) = late
        route.fulfill(response=answered)
        page.wait_for_timeout(400)
        expect(tile).to_contain_text("nothing found")
        page.unroute_all()

    def test_a_lot_is_renamed_given_a_day_removed_and_taken_back(self) -> None:
        page = self.page
        lot_id = self.filled(small_photos(1))
        other = self.filled({})
        tomorrow = date.today() + timedelta(days=1)
        self.go(f"/lots/{lot_id}")
        expect(page.locator("a[data-photo] img")).to_have_count(1)
        page.get_by_role("heading", level=1).get_by_role("button").click()
        page.get_by_role("textbox", name="Name", exact=True).fill("Spring shoot")
        page.get_by_label("Due").fill(tomorrow.isoformat())
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="Spring shoot")).to_be_visible()
        expect(page.get_by_text("due tomorrow")).to_be_visible()
        self.client.put(f"/api/lots/{other}/due", json={"due": (tomorrow - timedelta(days=3)).isoformat()})
        self.go("/")
        card = page.locator(".lot").filter(has_text="Spring shoot")
        page.get_by_role("radio", name="Due first").click()
        expect(page.locator(".lot").first).to_contain_text("2 days late")
        expect(page.locator(".lot").nth(1)).to_contain_text("due tomorrow")
        card.hover()
        card.get_by_role("button", name="Name and due day").click()
        page.get_by_role("button", name="No day").click()
        page.get_by_role("button", name="Keep").click()
        expect(card).not_to_contain_text("due tomorrow")
        card.hover()
        card.get_by_role("button", name="Remove").click()
        expect(page.get_by_text("Spring shoot is removed.")).to_be_visible()
        expect(card).to_have_count(0)
        page.reload()
        page.get_by_role("button", name="Show 1 removed lot").click()
        self.axe()
        page.get_by_role("button", name="Take back Spring shoot").click()
        expect(card).to_be_visible()
        expect(page.get_by_role("button", name="removed lot")).to_have_count(0)

    def test_another_spec_runs_the_lot_again_and_cancel_takes_it_back(self) -> None:
        page = self.page
        lot_id = self.filled(small_photos(4), spec="square-2000")
        self.work_here(lot_id)
        self.go(f"/lots/{lot_id}")
        page.get_by_label("Listing spec").select_option("cutout")
        expect(page.get_by_text("0 of 4 photos done")).to_be_visible()
        page.get_by_role("button", name="Pause").click()
        expect(page.get_by_text("0 of 4 photos done, paused")).to_be_visible()
        page.get_by_role("button", name="Go on").click()
        expect(page.get_by_role("button", name="Pause")).to_be_visible()
        page.get_by_role("button", name="Cancel", exact=True).click()
        expect(page.get_by_text("4 of 4 photos done")).to_be_visible()


class BenchTest(PageCase):
    def setUp(self) -> None:
        super().setUp()
        self.lot_id = self.filled({"PW-9300_cut off.jpg": Scene(width=1200, height=900, shift=0.42).made().jpeg, **small_photos(1)})
        self.work_here(self.lot_id)
        names = {row["name"]: row["id"] for row in self.rows(self.lot_id)}
        self.go(f"/lots/{self.lot_id}/photos/{names['PW-9300_cut off.jpg']}")
        self.page.get_by_label("Histogram with white point").wait_for()
        settled(self.page)

    def drag_white_point(self, by: int) -> None:
        """On the histogram, by so many px, well below the curve."""
        self.page.get_by_role("slider", name="White point on the histogram").hover(position={"x": 18, "y": 110})
        box = self.page.get_by_role("slider", name="White point on the histogram").bounding_box()
        assert box is not None
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 18 + by, box["y"] + 110, steps=4)
        self.page.mouse.up()

    def test_the_photo_is_seen_as_it_came_in_until_its_picture_is_there(self) -> None:
        page = self.page
        held: list[Route] = []
        holding = True
        page.route(re.compile(r"/tiles/"), lambda route: held.append(route) if holding else route.continue_())
        page.reload()
        expect(page.get_by_text("Reading the photo")).to_be_visible()
        photo = self.client.get(f"/api/photos/{page.url.split('/')[-1]}").json()
        shown = page.locator(f"img[src$='{photo['as_shot']}']")
        self.assertEqual(shown.evaluate("(img) => img.decode().then(() => img.naturalWidth > 100)"), True)
        expect(page.get_by_label("Zoom", exact=True)).to_be_empty()
        holding = False
        for route in held:
            route.continue_()
        expect(page.get_by_text("Reading the photo")).to_have_count(0)
        page.unroute_all()
        settled(page)
        self.assertGreater(self.zoom(), 10)

    def test_findings_by_key_before_and_test_cards(self) -> None:
        page = self.page
        self.axe()
        at_first = self.zoom()
        page.keyboard.press("n")
        place = page.locator(".place")
        expect(place).to_be_visible()
        self.assertIn("Cut off by the frame", place.get_attribute("data-label") or "")
        expect(page.get_by_label("Zoom", exact=True)).not_to_have_text(f"{at_first} %")  # the viewer flies there
        page.wait_for_timeout(500)
        self.assertGreater(self.zoom(), at_first, "not away from it")
        expect(page.get_by_role("region", name="Frame")).to_be_visible()
        page.keyboard.press("3")
        page.keyboard.press("Escape")
        expect(place).to_have_count(0)
        page.dispatch_event("body", "keydown", {"key": "é", "code": "Digit2"})  # of a French keyboard
        expect(page.get_by_role("region", name="Balance")).to_be_visible()
        page.keyboard.down("b")
        expect(page.get_by_text("before", exact=True)).to_be_visible()
        page.keyboard.up("b")
        with page.expect_response(lambda r: "/picture/black/" in r.url and r.ok):
            page.keyboard.press("v")
        page.get_by_role("radio", name="Matte").click()
        chosen = page.get_by_role("radiogroup", name="Test card").locator("[aria-checked=true]")
        expect(chosen).to_have_count(0)
        page.dispatch_event("body", "keydown", {"key": "ω", "code": "KeyV"})  # of a Greek one
        expect(page.get_by_role("radio", name="Picture")).to_be_checked()
        expect(chosen).to_have_attribute("aria-label", "grey")
        page.get_by_role("button", name="own", exact=True).click()
        page.get_by_label("Colour of a test card").fill("#d9c7a8")
        with page.expect_response(lambda r: "/picture/d9c7a8/" in r.url and r.ok):
            page.get_by_role("button", name="Add this colour").click()
        self.axe()
        page.get_by_role("button", name="Forget #d9c7a8").click()
        page.keyboard.press("Escape")
        expect(chosen).to_have_attribute("aria-label", "white")
        page.keyboard.press("?")
        expect(page.get_by_role("dialog")).to_be_visible()
        page.keyboard.press("Escape")
        page.keyboard.press("PageDown")
        expect(page.get_by_role("heading", name="PW-9000 pot")).to_be_visible()

    def test_the_white_point_is_dragged_with_live_clipping_and_never_a_flash(self) -> None:
        page = self.page
        slider = page.get_by_role("slider", name="White point", exact=True)
        box = slider.bounding_box()
        assert box is not None
        page.evaluate(
            """() => {
                const canvas = document.querySelector('.openseadragon-canvas canvas');
                window.blanks = 0;
                const look = () => {
                    const context = canvas.getContext('2d');
                    const [r, g, b, a] = context.getImageData(canvas.width / 2, canvas.height / 2, 1, 1).data;
                    if (a < 255) window.blanks += 1;
                    window.looked = (window.looked ?? 0) + 1;
                    window.watching = requestAnimationFrame(look);
                };
                look();
            }"""
        )
        start = float(slider.get_attribute("aria-valuenow") or 0)
        page.mouse.move(box["x"] + box["width"] * (start - 128) / 127, box["y"] + box["height"] / 2)
        page.mouse.down()
        with page.expect_response(lambda r: "/clip/" in r.url and r.ok):
            for share in (0.7, 0.6, 0.5, 0.4):
                page.mouse.move(box["x"] + box["width"] * share, box["y"] + box["height"] / 2)
                page.wait_for_timeout(80)
        with page.expect_response(lambda r: "/marks?" in r.url and r.ok) as kept:
            page.mouse.up()
        level = white_point(kept.value)
        self.assertAlmostEqual(level, 128 + 127 * 0.4, delta=1.5)
        settled(page)
        self.assertGreater(page.evaluate("window.looked"), 5)
        self.assertEqual(page.evaluate("cancelAnimationFrame(window.watching) ?? window.blanks"), 0, "frames without a picture")
        expect(page.get_by_text("This photo’s own values")).to_be_visible()
        self.work_here(self.lot_id)
        expect(page.get_by_role("status").filter(has_text=re.compile(r"^\s*Look$"))).to_be_visible()
        slider.focus()
        with page.expect_response(lambda r: "/marks?" in r.url and r.ok) as stepped:
            page.keyboard.press("Shift+ArrowRight")
        self.assertEqual(white_point(stepped.value), level + 10)
        typed = page.get_by_label("White point, of 255")
        typed.fill("999")
        expect(page.get_by_text("A whole number from 128 to 255.")).to_be_visible()
        typed.press("Escape")
        page.get_by_role("button", name="Back to auto").click()
        expect(page.get_by_text("As the run sheet says: auto")).to_be_visible()

    def test_a_new_picture_asks_for_what_is_in_view_alone(self) -> None:
        page = self.page
        page.get_by_role("button", name="Real pixels").click()
        expect(page.get_by_label("Zoom", exact=True)).to_have_text(re.compile("^100 ?%"))
        settled(page)
        asked: list[str] = []
        page.on("request", note := lambda request: asked.append(request.url) if "/picture/" in request.url else None)
        page.get_by_role("slider", name="White point", exact=True).focus()
        with page.expect_response(lambda r: "/marks?" in r.url and r.ok):
            page.keyboard.press("ArrowLeft")
        settled(page)
        page.wait_for_timeout(300)
        page.remove_listener("request", note)
        # What was asked for on the way to real pixels may come late; it is of the picture before.
        fresh = {url.split("/")[-2] for url in asked if "white_point" in url.split("/")[-3]}
        self.assertEqual(fresh, {"0"}, "no coarser tiles that would be seen for no moment")
        page.get_by_role("button", name="Fit", exact=True).click()
        page.wait_for_timeout(300)
        settled(page)
        self.assertLess(self.zoom(), 100)
        last = "performance.getEntriesByType('resource').map(one => one.name).filter(one => one.includes('/picture/')).at(-1)"
        self.assertEqual(page.evaluate(last).split("/")[-2], "1", "and the coarser ones once they are")

    def test_steps_on_the_graph_are_undone_and_come_back_after_a_reload(self) -> None:
        page = self.page

        def short() -> str:
            return page.get_by_text("Backdrop still short of white", exact=True).locator("xpath=following-sibling::dd").inner_text()

        def kept() -> contextlib.AbstractContextManager[Any]:
            return page.expect_response(lambda r: ("/marks?" in r.url or r.url.endswith(("/undo", "/redo"))) and r.ok)

        line = page.get_by_role("slider", name="White point on the histogram")
        auto = line.get_attribute("aria-valuenow")
        with kept() as put:
            self.drag_white_point(20)
        dragged = str(white_point(put.value))
        self.assertNotEqual(dragged, auto)
        expect(line).to_have_attribute("aria-valuenow", dragged)
        far = short()
        self.assertGreater(float(far.split()[0]), 1, "a higher white point leaves backdrop short of white")
        with kept():
            page.get_by_role("button", name="Use", exact=True).first.click()
        expect(page.get_by_text(far)).to_have_count(0)
        with kept():
            page.keyboard.press("Control+z")
        expect(line).to_have_attribute("aria-valuenow", dragged)
        with kept():
            page.get_by_role("button", name="Undo").click()
        expect(line).to_have_attribute("aria-valuenow", auto or "")
        page.reload()
        page.get_by_label("Histogram with white point").wait_for()
        with kept():
            page.keyboard.press("Control+Shift+z")
        expect(line).to_have_attribute("aria-valuenow", dragged)
        # Just after a change, before it is answered, and more often than there are steps.
        self.drag_white_point(30)
        for _ in range(4):
            page.keyboard.press("Control+z")
        expect(page.get_by_role("button", name="Nothing to undo")).to_be_disabled()
        expect(line).to_have_attribute("aria-valuenow", auto or "")

    def test_an_answer_that_comes_late_takes_no_step_back(self) -> None:
        page = self.page
        photo_id = self.page.url.rsplit("/", 1)[1]
        late: list[tuple[Route, APIResponse]] = []

        def hold(route: Route) -> None:
            if late:
                route.continue_()
            else:
                late.append((route, route.fetch()))

        page.route(f"**/api/photos/{photo_id}", hold)
        # Someone else's step: the page is told, and asks for the photo.
        elsewhere = {"lift": {"white_point": 150}}
        with page.expect_request(f"**/api/photos/{photo_id}"):
            self.client.put(f"/api/photos/{photo_id}/marks", params={"what": "White point 150"}, json=elsewhere)
        line = page.get_by_role("slider", name="White point on the histogram")
        line.evaluate(
            """line => {
                window.shown = [];
                new MutationObserver(() => window.shown.push(line.ariaValueNow)).observe(line, { attributes: true });
            }"""
        )
        with self.kept() as put:
            self.drag_white_point(-20)
        ((route, answer),) = late
        self.assertEqual(answer.json()["marks"]["lift"]["white_point"], 150)
        with contextlib.suppress(Error):  # it may not be waited for any more
            route.fulfill(response=answer)
        with page.expect_response(f"**/api/photos/{photo_id}"):
            pass
        page.unroute_all()
        settled(page)
        expect(line).to_have_attribute("aria-valuenow", str(white_point(put.value)))
        self.assertNotIn("150", page.evaluate("window.shown"))

    def test_a_touched_place_is_made_neutral_and_before_and_after_stand_side_by_side(self) -> None:
        page = self.page
        page.keyboard.press("2")
        page.get_by_role("button", name="Touch what should be neutral").click()
        picture = page.locator(".openseadragon-canvas").first.bounding_box()
        assert picture is not None
        made = self.drag_along(
            (picture["x"] + 60, picture["y"] + picture["height"] / 2), (picture["x"] + 90, picture["y"] + picture["height"] / 2 + 30)
        )
        self.assertEqual(set(json.loads(made.request.post_data or "")["balance"]), {"red", "blue"})
        expect(page.get_by_text("This photo’s own balance")).to_be_visible()
        page.get_by_role("button", name="Copy to the lot’s photos in the same light").click()
        expect(page.get_by_text("Copied to 1 photo; each can be undone.")).to_be_visible()
        page.keyboard.press("s")
        expect(page.get_by_role("slider", name="Line between before and after")).to_be_visible()
        self.axe()
        page.keyboard.press("s")
        page.get_by_role("button", name="Back to the run sheet").click()
        expect(page.get_by_text("As the run sheet says", exact=True)).to_be_visible()

    def test_a_photo_departs_from_its_spec_and_a_snapshot_brings_that_back(self) -> None:
        page = self.page
        page.keyboard.press("8")
        expect(page.get_by_text("What is moved here is this photo’s own.")).to_be_visible()
        margin = page.get_by_role("slider", name="Margin")
        before = float(margin.get_attribute("aria-valuenow") or "")
        with self.kept() as answer:
            margin.press("Shift+ArrowRight")
        (own,) = {
            name: value for name, value in json.loads(answer.value.request.post_data or "")["place"].items() if value is not None
        }.items()
        self.assertEqual(own, ("margin", before + 5))
        expect(page.get_by_text("This photo departs from")).to_be_visible()
        page.get_by_role("button", name="Snapshots").click()
        page.get_by_label("Name of the snapshot").fill("smaller")
        page.keyboard.press("Enter")
        back = page.get_by_role("button", name="Go back to it")
        expect(back).to_be_visible()
        page.keyboard.press("Escape")
        expect(back).to_be_hidden()
        with self.kept():
            page.get_by_role("button", name="Place it as the listing spec says").click()
        expect(margin).to_have_attribute("aria-valuenow", str(before).removesuffix(".0"))
        page.get_by_role("button", name="Snapshots").click()
        back.click()
        expect(margin).to_have_attribute("aria-valuenow", str(before + 5).removesuffix(".0"))
        page.get_by_role("button", name="Forget smaller").click()
        expect(back).to_have_count(0)
        self.axe()

    def test_the_frame_is_turned_and_cropped_and_lift_is_kept_from_a_painted_place(self) -> None:
        page = self.page

        def kept() -> contextlib.AbstractContextManager[Any]:
            return page.expect_response(lambda r: "/marks?" in r.url and r.ok)

        page.keyboard.press("1")
        with kept() as turned:
            page.get_by_role("button", name="Turn to the right").click()
        before, after = (turned.value.json()[name] for name in ("facts", "whole_width"))
        self.assertEqual(after, before["height"], "width and height change places")
        settled(page)
        corner = page.get_by_role("button", name="Crop: lower right corner")
        box = corner.bounding_box()
        assert box is not None
        cropped = self.drag_along((box["x"] + 7, box["y"] + 7), (box["x"] - 60, box["y"] - 80))
        left, top, right, bottom = json.loads(cropped.request.post_data or "")["frame"]["crop"]
        self.assertTrue((left, top) == (0, 0) and 0.4 < right < 0.98 and 0.4 < bottom < 0.98, (right, bottom))
        self.axe()
        page.keyboard.press("3")
        page.get_by_label("Histogram with white point").wait_for()
        settled(page)
        page.get_by_role("button", name="not here", exact=True).click()
        layer = page.get_by_role("application", name="Paint where Lift does not act").bounding_box()
        assert layer is not None
        middle = layer["x"] + layer["width"] / 2, layer["y"] + layer["height"] / 2
        painted = self.drag_along(middle, (middle[0] + 40, middle[1] + 10))
        (stroke,) = json.loads(painted.request.post_data or "")["lift"]["strokes"]
        self.assertEqual(stroke["adds"], False)
        self.assertGreater(len(stroke["points"]), 2)
        expect(page.get_by_text("1 painted; soft round the product")).to_be_visible()
        for _ in range(3):
            with page.expect_response(lambda r: r.url.endswith("/undo") and r.ok):
                page.keyboard.press("Control+z")
        expect(page.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Undo|Nothing"))
