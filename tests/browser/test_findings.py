"""Findings as the work list: mended, let pass and accepted by keyboard; the line-up chosen from; the whole way without a mouse."""

import re

from playwright.sync_api import expect

from tests.browser.test_page import PageCase
from tests.pictures import Scene
from tests.stand import small_photos
from tools.shots import settled
from yardchalk.host.settings import ROOT

CUT_OFF = Scene(width=800, height=600, shift=0.42)
WARM = Scene(width=800, height=600, lamp=(1.0, 0.9, 0.7))
# Photos of the demo: cut off by the frame; bristles with places that are mended; another colour of light; and two that are ready.
KINDS = ("1015", "1040", "1042", "1011", "1027")
# What a person would mend as it is offered; the rest is looked at and accepted.
MENDED = ("Stray piece", "Pinhole", "Ghost", "Fringe", "Ragged edge", "Lost highlights")


class FindingsPageTest(PageCase):
    def on_the_bench(self, files: dict[str, bytes]) -> tuple[int, dict[str, int]]:
        """A lot of these photos, done, with the bench of the first one open; the photos by name."""
        lot_id = self.filled(files)
        self.work_here(lot_id)
        ids = {row["name"]: row["id"] for row in self.rows(lot_id)}
        self.go(f"/lots/{lot_id}/photos/{next(iter(ids.values()))}")
        self.page.get_by_label("Histogram with white point").wait_for()
        settled(self.page)
        return lot_id, ids

    def chosen(self) -> str:
        return self.page.locator("aside [aria-pressed=true]").inner_text()

    def test_a_finding_is_previewed_mended_and_gone_and_undo_brings_it_back(self) -> None:
        page = self.page
        lot_id, _ = self.on_the_bench({"PW-9500_warm pot.jpg": WARM.made().jpeg})
        page.keyboard.press("n")
        self.assertIn("Cast", self.chosen())
        expect(page.get_by_role("region", name="Balance")).to_be_visible()
        with page.expect_response(lambda r: "/picture/" in r.url and "balance" in r.url and r.ok):
            page.keyboard.down("p")
        settled(page)
        page.keyboard.up("p")
        self.axe()
        with self.kept():
            page.keyboard.press("m")
        self.work_here(lot_id)
        expect(page.get_by_text("“Make the backdrop neutral” put it right.")).to_be_visible()
        expect(page.locator("aside").get_by_text("Cast", exact=True)).to_have_count(0)
        with page.expect_response(lambda r: r.url.endswith("/undo")):
            page.keyboard.press("Control+z")
        self.work_here(lot_id)
        expect(page.locator("aside").get_by_text("Cast", exact=True)).to_be_visible()

    def test_a_finding_is_mended_in_the_whole_lot_and_taken_back(self) -> None:
        page = self.page
        lot_id = self.filled({f"PW-951{i}_warm pot.jpg": WARM.but(seed=i).made().jpeg for i in range(2)} | small_photos(1))
        self.work_here(lot_id)
        self.go(f"/lots/{lot_id}")
        page.get_by_role("button", name="Cast 2").click()
        strip = page.get_by_role("region", name="Mend in many photos")
        expect(strip.get_by_role("button", name="Mend “Cast” in 2 photos")).to_be_visible()
        self.axe()
        page.keyboard.press("m")
        expect(strip.get_by_role("status")).to_contain_text("Make the backdrop neutral: 2 photos.")
        self.work_here(lot_id)
        expect(strip.get_by_role("status")).to_contain_text("“Cast” is gone from 2 of 2.")
        expect(page.get_by_text("warm pot")).to_have_count(2)
        expect(page.get_by_role("button", name="Cast 2")).to_have_count(0)
        strip.get_by_role("button", name="Take back").click()
        expect(strip.get_by_role("button", name="Take back")).to_have_count(0)
        self.work_here(lot_id)
        self.go(f"/lots/{lot_id}")
        page.get_by_role("button", name="Cast 2").click()
        page.locator("a[data-photo]").first.click()
        expect(page.locator("aside [aria-pressed=true]")).to_contain_text("Cast")
        # From there on that check's alone, through the lot and back to where one came from.
        expect(page.get_by_text("Cast alone, 2 photos")).to_be_visible()
        name = page.locator("h1").inner_text()
        page.keyboard.press("n")
        expect(page.locator("h1")).not_to_have_text(name)
        expect(page.locator("aside [aria-pressed=true]")).to_contain_text("Cast")
        page.keyboard.press("Escape")
        page.keyboard.press("Escape")
        expect(page.get_by_role("button", name="Cast 2", pressed=True)).to_be_visible()
        page.keyboard.press("n")
        page.get_by_role("button", name="All findings").click()
        expect(page.get_by_text("Cast alone, 2 photos")).to_have_count(0)

    def test_let_pass_with_a_reason_taken_back_and_accepted(self) -> None:
        page = self.page
        lot_id, _ = self.on_the_bench({"PW-9500_cut off.jpg": CUT_OFF.made().jpeg, "PW-9501_cut too.jpg": CUT_OFF.but(seed=4).made().jpeg})
        page.keyboard.press("n")
        self.assertIn("Cut off by the frame", self.chosen())
        page.keyboard.press("a")
        expect(page.get_by_role("dialog")).to_be_visible()
        self.axe()
        page.keyboard.type("meant to leave the frame")
        page.keyboard.press("Enter")
        expect(page.get_by_role("dialog")).to_be_hidden()
        expect(page.get_by_text("for this photo: meant to leave the frame")).to_be_visible()
        expect(page.get_by_role("status").filter(has_text="Ready")).to_be_visible()
        page.keyboard.press("a")
        expect(page.get_by_role("status").filter(has_text=re.compile(r"^\s*Look$"))).to_be_visible()
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="PW-9501 cut too")).to_be_visible()
        expect(page.locator("aside [aria-pressed=true]")).to_contain_text("Cut off by the frame")
        page.keyboard.press("n")
        expect(page.get_by_text("No other photo of this lot wants a look")).to_be_visible()
        page.keyboard.press("Escape")
        page.keyboard.press("Escape")
        expect(page.get_by_role("region", name="Allowed")).to_contain_text("Looked at and accepted")
        self.axe()
        page.get_by_role("button", name="Take back: Cut off by the frame, Looked at and accepted").click()
        expect(page.get_by_role("region", name="Allowed")).to_have_count(0)
        self.assertEqual({row["verdict"] for row in self.rows(lot_id)}, {"look"})

    def test_while_the_server_is_away_nothing_typed_is_lost(self) -> None:
        page = self.page
        self.on_the_bench({"PW-9500_cut off.jpg": CUT_OFF.made().jpeg})
        page.keyboard.press("n")
        page.keyboard.press("a")
        page.keyboard.type("meant so")
        page.context.set_offline(True)
        page.keyboard.press("Enter")
        expect(page.get_by_role("dialog")).to_contain_text("Yard Chalk did not answer. Nothing is lost")
        expect(page.get_by_label("Why")).to_have_value("meant so")
        page.context.set_offline(False)
        page.get_by_label("Why").press("Enter")
        expect(page.get_by_text("for this photo: meant so")).to_be_visible()
        self.wrong.clear()  # the browser's own words for a request that failed

    def test_the_white_check_lists_islands_and_paints_one_over(self) -> None:
        page = self.page
        scene = Scene(width=800, height=600, shadow=0.0)
        made = scene.made().pixels
        made[100:120, 700:720] = (120, 90, 70)
        from yardchalk.core.codecs import encode_picture

        lot_id, _ = self.on_the_bench({"PW-9500_crumb.png": encode_picture(made, "png")})
        page.get_by_role("radio", name="White check").click()
        check = page.get_by_role("region", name="White check")
        expect(check).to_contain_text("1 island")
        self.axe()
        check.get_by_role("button", name=re.compile("px, darkest")).click()
        expect(page.locator(".place")).to_be_visible()
        with page.expect_response(lambda r: "/white/" in r.url and "level=210" in r.url and r.ok):
            check.get_by_label("White from level, of 255").or_(check.get_by_label("White check, from level, of 255")).first.fill("210")
            page.keyboard.press("Enter")
        with self.kept():
            check.get_by_role("button", name="Paint", exact=True).click()
        self.work_here(lot_id)
        expect(check).to_contain_text("Every pixel meant as backdrop reaches 210.")
        (row,) = self.rows(lot_id)
        self.assertNotIn("stray-piece", [finding["check"] for finding in row["findings"]])


class LineUpTest(PageCase):
    def test_chosen_by_mouse_and_keys_run_again_allowed_and_compared(self) -> None:
        page = self.page
        files = {f"PW-96{i:02}_cut.jpg": CUT_OFF.but(width=480, height=360, seed=i).made().jpeg for i in range(3)}
        lot_id = self.filled(files | small_photos(6))
        self.work_here(lot_id)
        self.go(f"/lots/{lot_id}")
        tiles = page.locator("a[data-photo]")
        expect(tiles).to_have_count(9)
        tiles.nth(0).focus()
        page.keyboard.press("Space")
        page.keyboard.press("Shift+ArrowRight")
        page.keyboard.press("Shift+ArrowRight")
        expect(page.get_by_text("3 photos chosen")).to_be_visible()
        tiles.nth(2).click(modifiers=["Control"])
        expect(page.get_by_text("2 photos chosen")).to_be_visible()
        self.axe()
        page.keyboard.press("r")
        expect(page.get_by_text("7 of 9 photos done")).to_be_visible()
        self.work_here(lot_id)
        expect(page.get_by_text("9 of 9 photos done")).to_be_visible()
        page.keyboard.press("a")
        page.keyboard.type("meant so")
        page.keyboard.press("Enter")
        expect(page.get_by_text("1 photos chosen").or_(page.get_by_role("heading", name="Ready")).first).to_be_visible()
        expect(page.get_by_role("button", name="Deliver 8 ready")).to_be_visible()
        page.keyboard.press("Escape")
        page.keyboard.press("Control+a")
        expect(page.get_by_text("9 photos chosen")).to_be_visible()
        page.keyboard.press("Escape")
        for i in (0, 1, 2):
            tiles.nth(i).focus()
            page.keyboard.press("Space")
        page.keyboard.press("c")
        expect(page.get_by_role("heading", name="3 photos in step")).to_be_visible()
        panes = page.get_by_role("img", name="PW-")
        expect(panes).to_have_count(3)
        expect(page.locator("[data-busy=false]")).to_have_count(3)
        for led in range(3):
            others = [pane for i, pane in enumerate(panes.all()) if i != led]
            before = [other.screenshot() for other in others]
            panes.nth(led).hover()
            page.mouse.wheel(0, -200)
            for _ in range(40):
                page.wait_for_timeout(250)
                moved = [other.screenshot() != shot for other, shot in zip(others, before, strict=True)]
                if all(moved):
                    break
            self.assertTrue(all(moved), "all are zoomed with any")
        page.get_by_role("radio", name="Matte").click()
        expect(panes.nth(1)).to_have_accessible_name(re.compile("matte"))
        page.get_by_role("radio", name="vivid").click()
        expect(page.get_by_role("radio", name="Picture")).to_be_checked()
        self.axe()
        page.keyboard.press("Escape")
        for name in ("Listing page", "Odd ones out"):
            page.get_by_role("radio", name=name).click()
            self.axe()
        dots = page.get_by_role("region", name="Light").get_by_role("button")
        expect(dots).to_have_count(9)
        dots.first.click()
        page.get_by_label("Histogram with white point").wait_for()


class WholeWayTest(PageCase):
    def test_from_a_drop_to_a_delivery_with_the_keyboard_alone(self) -> None:
        page = self.page
        self.worker()
        self.go("/")
        expect(page.get_by_text("No lots yet")).to_be_visible()
        presses = 0

        def press(key: str) -> None:
            nonlocal presses
            presses += 1
            page.keyboard.press(key)

        def done() -> None:
            expect(page.get_by_text("Being checked anew …")).to_have_count(0)

        photos = [path for path in sorted((ROOT / "demo" / "photos").glob("*.jpg")) if path.stem[3:7] in KINDS]
        # Listened for well before the press: the browser takes a moment to hand its chooser over. And answered out here, since a
        # listener that waits for the browser can hold up all else that does.
        with page.expect_file_chooser() as chooser:
            while page.evaluate("document.activeElement?.textContent") != "New lot from files":
                press("Tab")
                self.assertLess(presses, 12, "the way to the button")
            press("Enter")
        chooser.value.set_files(photos)
        expect(page.get_by_text(f"{len(photos)} of {len(photos)} photos done")).to_be_visible()
        began, mended, accepted = presses, 0, 0
        press("n")
        over = page.get_by_text("No other photo of this lot wants a look")
        row = page.locator("aside [aria-pressed=true]")
        while not over.count():
            page.get_by_role("heading", name="Findings").wait_for()
            name = page.locator("h1").inner_text()
            other = page.locator("h1").filter(has_not_text=name)
            seen: set[str] = set()
            while not (other.count() or over.count()):
                done()
                if not row.count():
                    press("n")  # the first finding; or, where the last one was mended, on to the next photo
                    expect(row.or_(other).or_(over).first).to_be_visible()
                    continue
                words = row.inner_text()
                if words not in seen and words.split("\n")[0] in MENDED and page.get_by_title("Shown while you point at it").count():
                    seen.add(words)
                    with self.kept():
                        press("m")
                    mended += 1
                    expect(page.get_by_text(re.compile("put it right|was not enough"))).to_be_visible()
                    continue
                seen.add(words)
                wanting = page.locator("aside [aria-pressed]").filter(has_text="limit").filter(has_not_text="allowed").all_inner_texts()
                if set(wanting) - seen:
                    press("n")
                    continue
                press("Enter")
                accepted += 1
                expect(other.or_(over).first).to_be_visible()
        press("Escape")
        if page.get_by_role("heading", name="Findings").count():
            press("Escape")
        expect(page.get_by_role("button", name=f"Deliver {len(photos)} ready")).to_be_visible()
        press("d")
        press("Enter")
        expect(page.get_by_role("button", name="Write them")).to_be_focused()
        press("Enter")
        expect(page.get_by_text("It is being written, read back and checked.")).to_be_visible()
        print(f"\n{presses - began} presses for {len(photos)} photos: {mended} mended, {accepted} accepted; {presses} with the drop")
        self.assertLess(presses - began, 12 * len(photos))
