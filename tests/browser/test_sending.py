"""Files on their way into a lot, while a person does something else."""

from playwright.sync_api import FilePayload, Route, expect

from tests.browser.test_page import PageCase
from tests.stand import small_photos

_LEAVING = "() => dispatchEvent(new Event('beforeunload', { cancelable: true }))"  # False if the page asks to stay


class SendingTest(PageCase):
    def dropped(self, count: int) -> list[Route]:
        """Give files to a new lot; what is sent of them waits in the list that is returned."""
        held: list[Route] = []
        self.page.route("**/api/lots/*/files?*", lambda route: held.append(route))
        self.go("/")
        files = [FilePayload(name=name, mimeType="image/jpeg", buffer=data) for name, data in small_photos(count).items()]
        self.page.locator("input[type=file]").first.set_input_files(files)
        self.page.wait_for_url("**/lots/*")
        expect(self.page.get_by_role("main").get_by_text(f"Taking in 0 of {count}")).to_be_visible()
        return held

    def test_they_go_on_on_other_pages_until_they_are_stopped(self) -> None:
        page = self.page
        held = self.dropped(6)
        expect(page.get_by_text("On their way")).to_be_visible()
        self.assertFalse(page.evaluate(_LEAVING), "nobody leaves by mistake")
        page.get_by_role("link", name="Deliveries").click()
        going = page.get_by_role("link", name="Taking in 0 of 6")
        expect(going).to_be_visible()
        self.axe()
        held.pop(0).continue_()
        going = page.get_by_role("link", name="Taking in 1 of 6")
        expect(going).to_be_visible()
        self.assertTrue(page.url.endswith("/deliveries"), "a person stays where they went")
        going.click()
        expect(page.locator("a[data-photo]")).to_have_count(1)
        expect(page.get_by_role("link", name="Taking in")).to_have_count(0)
        page.get_by_role("button", name="Stop").click()
        for route in held:
            route.continue_()
        expect(page.get_by_text("4 photos taken in, 2 not sent")).to_be_visible()
        expect(page.locator("a[data-photo]")).to_have_count(4)
        self.assertTrue(page.evaluate(_LEAVING))
        self.axe()

    def test_more_files_join_those_on_their_way_and_a_lot_that_is_gone_ends_it(self) -> None:
        page = self.page
        held = self.dropped(4)
        extra = FilePayload(name="PW-9500_late.jpg", mimeType="image/jpeg", buffer=b"not a photo")
        page.locator("input[type=file]").first.set_input_files([extra])
        expect(page.get_by_text("Taking in 0 of 5")).to_be_visible()
        lot_id = int(page.url.rsplit("/", 1)[1])
        page.request.delete(f"{self.address}/api/lots/{lot_id}")
        for route in held:
            route.continue_()
        expect(page.get_by_text(f"Lot {lot_id}: is not there").first).to_be_visible()
        page.get_by_role("link", name="Deliveries").click()
        expect(page.get_by_role("link", name="Taking in")).to_have_count(0)
        self.assertEqual(len(held), 3, "the others were not sent at all")
        self.wrong.clear()  # the browser's own words for a lot that is not there

    def test_what_is_dragged_from_the_page_itself_is_not_taken_in(self) -> None:
        page = self.page
        lot_id = self.filled(small_photos(2))
        sent: list[Route] = []
        page.route("**/api/lots/*/files?*", lambda route: sent.append(route))
        self.go(f"/lots/{lot_id}")
        tile = page.locator("a[data-photo]").first
        tile.hover()
        page.mouse.down()
        page.get_by_role("radio", name="Listing page").hover()
        page.mouse.move(700, 600, steps=4)
        expect(page.get_by_text("Drop to add to")).to_have_count(0)
        page.mouse.up()
        page.wait_for_timeout(300)
        self.assertEqual(sent, [])
        # And what comes from elsewhere still may be dropped.
        main = page.get_by_role("main")
        data = page.evaluate_handle("() => { const d = new DataTransfer(); d.items.add(new File(['x'], 'notes.txt')); return d; }")
        main.dispatch_event("dragover", {"dataTransfer": data})
        expect(page.get_by_text("Drop to add to")).to_be_visible()
