"""Pictures taken at the capture station, and a delivery shown to the listing desk: both stand-ins, from the page."""

from typing import ClassVar

import httpx
from playwright.sync_api import expect

from tests.browser.test_page import PageCase
from tests.stand import small_photos
from yardchalk.host.settings import ROOT
from yardchalk.studio.sending import send_delivery


class StandInPageTest(PageCase):
    desk: ClassVar[str]

    @classmethod
    def beside(cls) -> dict[str, str]:
        cls.desk = cls.served("yardchalk.standins.desk", "--folder", str(cls.scratch / "desk"))
        capture = cls.served("yardchalk.standins.capture", "--scenes", str(ROOT / "demo" / "photos"))
        return {"desk_url": cls.desk, "capture_url": capture}

    def test_a_frame_and_a_scan_are_taken_into_one_lot(self) -> None:
        page = self.page
        self.go("/intake")
        scene = page.get_by_label("Scene")
        expect(scene.locator("option")).not_to_have_count(0)
        scene.select_option(label=next(name for name in scene.locator("option").all_inner_texts() if "teacup" in name))
        page.get_by_role("button", name="Take a frame").click()
        seen = page.get_by_role("link", name="See the lot")
        expect(seen).to_be_visible()
        page.get_by_label("Device").select_option("flatbed")
        page.get_by_label("Resolution").select_option("150")
        with page.expect_response(lambda r: r.url.endswith("/capture") and r.request.method == "POST") as answer:
            page.get_by_role("button", name="Scan").click()
        self.assertTrue(answer.value.ok)
        expect(page.get_by_text("TIFF, ", exact=False).filter(has_text="150 dpi")).to_be_visible()
        self.axe()
        seen.click()
        tiles = page.locator("a[data-photo]")
        expect(tiles).to_have_count(2)
        lot_id = int(page.url.rsplit("/", 1)[1])
        self.work_here(lot_id)
        expect(page.get_by_text("2 of 2 photos done")).to_be_visible()

    def test_a_delivery_is_sent_and_its_answers_are_shown(self) -> None:
        page = self.page
        lot_id = self.filled(small_photos(2), spec="square-2000")
        self.work_here(lot_id)
        delivery = self.delivered_here(lot_id, "ready", "look")
        self.go("/deliveries")
        page.get_by_role("button", name="Send to the listing desk").click()
        expect(page.get_by_text("0 of 2 accepted, being sent")).to_be_visible()
        send_delivery(self.studio, delivery["id"])
        expect(page.get_by_text("2 of 2 accepted")).to_be_visible()
        expect(page.get_by_role("button", name="Send", exact=False)).to_have_count(0)
        expect(page.get_by_role("cell", name="accepted")).to_have_count(2)
        notes = page.get_by_role("row", name="PW-9000").locator("details")
        expect(notes.get_by_text("Compression moved")).to_be_hidden()
        notes.get_by_text("note").click()
        expect(notes.get_by_text("Compression moved")).to_be_visible()
        pictures = page.locator("td img")
        expect(pictures).to_have_count(2)
        self.assertTrue(pictures.first.evaluate("img => img.complete && img.naturalWidth > 0"), "seen as delivered")
        page.get_by_role("radio", name="Not accepted").click()
        expect(page.get_by_text("None.")).to_be_visible()
        self.assertEqual(httpx.get(self.desk).text.count("<img "), 2, "and has them on its own page")
        self.axe()
        page.get_by_role("radio", name="All 2").click()
        page.get_by_role("link", name="PW-9001").last.click()
        expect(page.get_by_role("heading", name="Findings")).to_be_visible()
        page.wait_for_url(f"**/lots/{lot_id}/photos/*")
