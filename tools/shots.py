"""Take the pictures in docs/screenshots anew, from the demo lots: `./yard shots [NAME...]`."""

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


def lots(page: Page) -> None:
    page.get_by_text("Autumn kitchen").wait_for()


def lineup(page: Page) -> None:
    page.get_by_role("link", name="Autumn kitchen").click()
    page.get_by_text("Deliver").first.wait_for()


def lineup_vivid(page: Page) -> None:
    lineup(page)
    page.get_by_role("radio", name="vivid").click()


def bench(page: Page) -> None:
    _bench(page, "PW-1036")
    page.keyboard.press("n")
    settled(page)


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


def bench_matte(page: Page) -> None:
    _bench(page, "PW-1050")
    page.get_by_role("radio", name="Matte").click()
    settled(page)


def bench_frame(page: Page) -> None:
    _bench(page, "PW-1047")
    page.keyboard.press("1")
    page.get_by_label("Proportions of the crop").select_option("0.8")
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


def bench_edge_walk(page: Page) -> None:
    _edge(page, "PW-1042")
    page.keyboard.press("w")
    page.get_by_role("button", name="Stop").wait_for(state="hidden", timeout=120_000)
    settled(page)


def bench_shadow(page: Page) -> None:
    _edge(page, "PW-1004")
    page.get_by_label("Shadow", exact=True).select_option("keep")
    page.get_by_role("radio", name="Picture").click()
    settled(page)


def deliveries(page: Page) -> None:
    page.get_by_role("link", name="Autumn kitchen").click()
    page.get_by_role("button", name="Deliver").click()
    page.get_by_role("link", name="See the delivery").click()
    page.get_by_text("Manifest CSV").first.wait_for()


VIEWS: dict[str, Callable[[Page], None]] = {
    "lots": lots,
    "line-up": lineup,
    "line-up-vivid-card": lineup_vivid,
    "odd-ones-out": odd_ones_out,
    "compare": compare,
    "bench": bench,
    "bench-frame": bench_frame,
    "bench-balance": bench_balance,
    "bench-spread": bench_spread,
    "bench-contrast-map": bench_contrast,
    "bench-clip": bench_clip,
    "bench-white-check": bench_white_check,
    "bench-matte": bench_matte,
    "bench-edge": bench_edge,
    "bench-edge-walk": bench_edge_walk,
    "bench-shadow": bench_shadow,
    "deliveries": deliveries,
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
