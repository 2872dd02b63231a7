"""Take the pictures in docs/screenshots anew, from the demo lots: `./yard shots [NAME...]`."""

import re
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page

from tools.browser import open_page
from yardchalk.host.service import Service, load_demo

FOLDER = Path(__file__).resolve().parents[1] / "docs" / "screenshots"


def settled(page: Page) -> None:
    """Wait until the viewer shows what was asked for last."""
    page.wait_for_selector('[data-busy="false"]')
    page.wait_for_timeout(600)
    page.wait_for_selector('[data-busy="false"]')


def _bench(page: Page, name: str) -> None:
    page.get_by_role("link", name="Autumn kitchen").click()
    page.locator(f'a[title^="{name}"]').first.click()
    page.get_by_label("Histogram with white point").wait_for()
    settled(page)


def _at(page: Page, path: str) -> str:
    """An address of the server that the page is on."""
    return "/".join(page.url.split("/")[:3]) + path


def lots(page: Page) -> None:
    page.get_by_text("Autumn kitchen").wait_for()


def lineup(page: Page) -> None:
    page.get_by_role("link", name="Autumn kitchen").click()
    page.get_by_text("Deliver").first.wait_for()


def lineup_vivid(page: Page) -> None:
    lineup(page)
    page.get_by_role("radio", name="vivid").click()


def bench(page: Page) -> None:
    _bench(page, "PW-1042")
    page.keyboard.press("n")
    settled(page)
    page.get_by_text("Measuring what is removed").wait_for(state="hidden")


def odd_ones_out(page: Page) -> None:
    lineup(page)
    page.get_by_role("radio", name="Odd ones out").click()
    page.get_by_role("region", name="Light").wait_for()


def compare(page: Page) -> None:
    lineup(page)
    for name in ("PW-1004", "PW-1031", "PW-1011", "PW-1042"):
        page.locator(f'a[title^="{name}"]').first.click(modifiers=["Control"])
    page.get_by_role("button", name="Compare").click()
    page.get_by_role("heading", name="4 photos in step").wait_for()
    page.wait_for_timeout(6000)


def bench_clip(page: Page) -> None:
    _bench(page, "PW-1004")
    page.get_by_role("radio", name="Clip").click()
    settled(page)


def bench_white_check(page: Page) -> None:
    _bench(page, "PW-1050")
    page.get_by_role("radio", name="White check").click()
    page.get_by_text("not up to 255").wait_for()
    settled(page)


def bench_balance(page: Page) -> None:
    _bench(page, "PW-1015")
    page.keyboard.press("2")
    page.get_by_role("button", name="Make the backdrop neutral").click()
    page.get_by_text("This photo’s own balance").wait_for()
    page.keyboard.press("s")
    settled(page)


def bench_spread(page: Page) -> None:
    _bench(page, "PW-1027")
    page.keyboard.press("4")
    page.get_by_role("switch", name="Automatic counts").click()
    page.get_by_role("button", name="Spread", exact=True).click()
    box = page.locator("[role=application]").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 60, box["y"] + 160)
    with page.expect_response(lambda r: r.url.endswith("/reach-map")):
        page.mouse.down()
    page.mouse.move(box["x"] + 85, box["y"] + 160, steps=5)
    with page.expect_response(lambda r: r.url.endswith("/spread-offer")):
        page.mouse.up()
    page.get_by_text("Best plateau").wait_for()
    settled(page)


def bench_contrast(page: Page) -> None:
    _bench(page, "PW-1019")
    page.keyboard.press("4")
    page.get_by_role("switch", name="Automatic counts").click()
    page.get_by_role("button", name="Contrast map", exact=True).click()
    page.get_by_role("button", name="Take the best").click()
    page.get_by_role("radio", name="black").click()
    settled(page)
    page.wait_for_timeout(3000)


def _edge(page: Page, name: str) -> None:
    _bench(page, name)
    page.keyboard.press("5")
    page.get_by_role("slider", name="Place along the outline").wait_for()
    settled(page)


def bench_edge(page: Page) -> None:
    _edge(page, "PW-1040")


def bench_mend(page: Page) -> None:
    _bench(page, "PW-1047")
    page.keyboard.press("6")
    page.get_by_role("button", name="Find dust").click()
    page.get_by_role("button", name="Mend all").click(timeout=60_000)
    page.get_by_text("On the backdrop: none left").wait_for(timeout=60_000)
    page.get_by_role("button", name="Find dust").click()
    _draw(page, "To backdrop", "Paint what becomes backdrop", (0.334, 0.735), (0.348, 0.752))
    page.get_by_role("button", name="To backdrop", exact=True).click()
    _draw(page, "Nudge", "Draw round the piece to nudge", (0.42, 0.33), (0.5, 0.32), (0.5, 0.38), (0.42, 0.39))
    page.keyboard.press("Shift+ArrowRight")
    page.wait_for_timeout(2000)
    settled(page)


def _draw(page: Page, tool: str, layer: str, *places: tuple[float, float]) -> None:
    """Take a tool and draw over the viewer, in shares of it."""
    page.get_by_role("button", name=tool, exact=True).click()
    box = page.get_by_role("application", name=layer).bounding_box()
    assert box is not None
    points = [(box["x"] + x * box["width"], box["y"] + y * box["height"]) for x, y in places]
    page.mouse.move(*points[0])
    page.mouse.down()
    for point in points[1:]:
        page.mouse.move(*point, steps=6)
    page.mouse.up()
    page.wait_for_timeout(1500)
    settled(page)


def bench_colour(page: Page) -> None:
    _bench(page, "PW-1027")
    page.keyboard.press("7")
    for slider, presses in (("Saturation", 4), ("Contrast", 2), ("Exposure", 1)):
        for _ in range(presses):
            page.get_by_role("slider", name=slider).press("Shift+ArrowRight")
            page.wait_for_timeout(300)
    page.get_by_role("button", name="Split").click()
    page.get_by_text("neutrals moved").wait_for(timeout=60_000)
    settled(page)


def try_sheets(page: Page) -> None:
    lot = next(one for one in page.request.get(_at(page, "/api/lots")).json() if one["name"] == "Autumn kitchen")
    page.goto(_at(page, f"/lots/{lot['id']}/try?sheets=white,transparent"))
    page.get_by_text("of 4 ready").nth(1).wait_for(timeout=120_000)
    page.get_by_role("radio", name="checks").click()


def run_sheets(page: Page) -> None:
    page.goto(_at(page, "/sheets?sheet=white"))
    if not page.get_by_text("version 2").count():
        page.get_by_role("button", name="Make a variant").click()
        page.get_by_label("Shadow", exact=True).select_option("keep")
        page.get_by_label("Note").fill("For the autumn pages, which keep a soft shadow")
        page.get_by_role("button", name="Keep as next version").click()
        page.get_by_text("now keep").wait_for()
    page.get_by_role("button", name="Make a variant").click()


def listing_specs(page: Page) -> None:
    page.goto(_at(page, "/specs?spec=banner-3x1"))
    page.get_by_label("Lot", exact=True).select_option(label="Autumn kitchen")
    page.get_by_role("option", name="PW-1031 yellow spatula").wait_for(state="attached")
    page.get_by_label("Photo", exact=True).select_option(label="PW-1031 yellow spatula")
    page.get_by_role("button", name="Test", exact=True).click()
    page.get_by_alt_text("The result").wait_for(timeout=60_000)


def intake(page: Page) -> None:
    page.goto(_at(page, "/intake"))
    lots = page.get_by_label("Into")
    page.get_by_role("option", name="Shop sign and prints").wait_for(state="attached")
    lots.select_option(label="Shop sign and prints")
    page.get_by_label("Scene").select_option(label="PW-1061 teacup icon")
    page.get_by_label("Device").select_option("flatbed")
    page.get_by_role("button", name="Scan").click()
    page.get_by_text("See the lot").wait_for(timeout=60_000)


def deliveries(page: Page) -> None:
    page.get_by_role("link", name="Autumn kitchen").click()
    page.get_by_role("checkbox", name="to look at").check()
    page.get_by_role("button", name="Deliver").click()
    page.get_by_role("button", name="Write them").click()
    page.get_by_role("link", name="See the delivery").click()
    page.get_by_role("button", name="Send to the listing desk").click(timeout=60_000)
    page.get_by_text(re.compile(r"^(\d+) of \1$")).wait_for(timeout=60_000)


VIEWS: dict[str, Callable[[Page], None]] = {
    "lots": lots,
    "line-up": lineup,
    "line-up-vivid-card": lineup_vivid,
    "odd-ones-out": odd_ones_out,
    "compare": compare,
    "bench": bench,
    "bench-balance": bench_balance,
    # Before the views that leave a photo otherwise than it was.
    "deliveries": deliveries,
    "bench-spread": bench_spread,
    "bench-contrast-map": bench_contrast,
    "bench-clip": bench_clip,
    "bench-white-check": bench_white_check,
    "bench-edge": bench_edge,
    "bench-mend": bench_mend,
    "bench-colour": bench_colour,
    "try": try_sheets,
    "run-sheets": run_sheets,
    "listing-specs": listing_specs,
    "intake": intake,
}


def main(names: list[str]) -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as state:
        service = Service(Path(state), "shots")
        try:
            service.start(8720)
            load_demo(service)
            with open_page() as page:
                page.goto(service.address)
                while any(lot["waiting"] for lot in page.request.get(f"{service.address}/api/lots").json()):
                    page.wait_for_timeout(500)
                for name in names or VIEWS:
                    page.goto(service.address)
                    VIEWS[name](page)
                    page.wait_for_timeout(500)
                    page.screenshot(path=FOLDER / f"{name}.png")
        finally:
            service.stop()
            service.cluster.remove()


if __name__ == "__main__":
    main(sys.argv[1:])
