"""Headless Chromium from Debian's packages, set so that pictures are the same everywhere."""

from collections.abc import Iterator
from contextlib import contextmanager

from playwright.sync_api import Page, sync_playwright

_FLAGS = [
    "--no-sandbox",
    "--disable-dev-shm-usage",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-default-apps",
    "--no-first-run",
    "--force-color-profile=srgb",
    "--font-render-hinting=none",
    "--disable-lcd-text",
    "--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE 127.0.0.1",
]


@contextmanager
def open_page(width: int = 1280, height: int = 800, *, measuring: bool = False) -> Iterator[Page]:
    """A page of a new browser that reaches nothing but loopback; to measure with, scripts of ours may wait inside it."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=_FLAGS)
        try:
            page = browser.new_page(viewport={"width": width, "height": height}, reduced_motion="reduce", bypass_csp=measuring)
            page.set_default_timeout(30_000)
            yield page
        finally:
            browser.close()
