"""What a person waits for: a value dragged, a photo opened, the board of 5,000 photos. In headless Chromium, without a GPU."""

import statistics
import tempfile
import time
from pathlib import Path

import psycopg
from playwright.sync_api import Page

from bench.speed import LARGE
from bench.table import show
from tools.browser import open_page
from tools.shots import settled
from yardchalk.host.service import Service

DRAGS, OPENINGS, STROKES, BOARD = 40, 6, 10, 5000
PAUSE = 600  # ms between two strokes of a person who is quick


def _fill(page: Page, address: str) -> int:
    lot = page.request.post(f"{address}/api/lots", data={"name": "24 megapixels", "sheet": "white", "spec": "square-2000"}).json()["id"]
    for photo in LARGE:
        page.request.post(f"{address}/api/lots/{lot}/files?name={photo.name}", data=photo.read_bytes())
    while page.request.get(f"{address}/api/lots/{lot}").json()["waiting"]:
        time.sleep(0.5)
    return int(lot)


SHOWN, REACHED, MOVED, PRESSED = (
    f"performance.getEntriesByName('{name}')" for name in ("picture shown", "reach shown", "moved", "pressed")
)


def _drag(page: Page) -> list[float]:
    """Milliseconds from the pointer's move to the picture on screen."""
    page.evaluate("addEventListener('pointermove', () => performance.mark('moved'), true)")
    box = page.get_by_role("slider", name="White point", exact=True).bounding_box()
    assert box is not None
    y = box["y"] + box["height"] / 2
    page.mouse.move(box["x"] + box["width"] * 0.9, y)
    page.mouse.down()
    times = []
    for i in range(DRAGS):
        page.evaluate("performance.clearMarks()")
        page.mouse.move(box["x"] + box["width"] * (0.85 - 0.018 * i), y)
        page.wait_for_function(f"{SHOWN}.length > 0")
        times.append(page.evaluate(f"{SHOWN}.at(-1).startTime - {MOVED}[0].startTime"))
        page.wait_for_timeout(120)
    page.mouse.up()
    return times


def _tolerance(page: Page) -> list[float]:
    """Milliseconds from the pointer's move to the spread's preview on screen."""
    page.keyboard.press("4")
    page.get_by_role("button", name="Spread", exact=True).click()
    box = page.locator("[role=application]").bounding_box()
    assert box is not None
    x, y = box["x"] + 60, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    with page.expect_response(lambda r: r.url.endswith("/reach-map")):
        page.mouse.down()
    page.locator("canvas[aria-label^='What a tolerance']").wait_for()
    times = []
    for i in range(DRAGS):
        page.evaluate("performance.clearMarks()")
        page.mouse.move(x + 6 * (i + 1), y)
        page.wait_for_function(f"{REACHED}.length > 0")
        times.append(page.evaluate(f"{REACHED}.at(-1).startTime - {MOVED}[0].startTime"))
    page.mouse.up()
    return times


def _stroke(page: Page) -> list[float]:
    """Milliseconds from letting a stroke of Chalk go to the picture on screen."""
    page.evaluate("addEventListener('pointerup', () => performance.mark('pressed'), true)")
    page.get_by_role("button", name="Chalk and Rub", exact=True).click()
    settled(page)
    box = page.locator("[role=application]").bounding_box()
    assert box is not None
    times = []
    for i in range(STROKES):
        x, y = box["x"] + 60 + 20 * i, box["y"] + box["height"] / 2 - 60
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 10, y + 60, steps=5)
        page.evaluate("performance.clearMarks()")
        page.mouse.up()
        page.wait_for_function(f"{SHOWN}.length > 0")
        times.append(page.evaluate(f"{SHOWN}[0].startTime - {PRESSED}[0].startTime"))
        settled(page)
    return times


def _mends(page: Page) -> dict[str, list[float]]:
    """Milliseconds from letting a stroke of each tool of Mend go to the picture on screen; of a nudge, from the arrow key."""
    page.evaluate("for (const kind of ['keydown', 'pointerup']) addEventListener(kind, () => performance.mark('pressed'), true)")
    page.keyboard.press("6")
    settled(page)
    times: dict[str, list[float]] = {}
    for tool in ("Fill", "Clone", "Restore", "To backdrop", "Push", "Nudge"):
        page.get_by_role("button", name=tool, exact=True).click()
        box = page.locator("[role=application]").bounding_box()
        assert box is not None
        middle, down = box["x"] + 0.42 * box["width"], box["y"] + 0.5 * box["height"]
        if tool == "Clone":
            page.mouse.click(middle - 40, down - 40)
        for i in range(STROKES):
            x, y = middle + 14 * i, down - 30 + 9 * (i % 5)
            if tool == "Nudge":
                if i == 0:
                    _drag_over(page, (x, y), (x + 40, y), (x + 40, y + 40), (x, y + 40))
                    page.mouse.up()
                    settled(page)
                page.evaluate("performance.clearMarks()")
                page.keyboard.press("Shift+ArrowRight")
            else:
                _drag_over(page, (x, y), (x + 12, y + 10))
                page.evaluate("performance.clearMarks()")
                page.mouse.up()
            page.wait_for_function(f"{SHOWN}.length > 0")
            times.setdefault(tool.lower(), []).append(page.evaluate(f"{SHOWN}[0].startTime - {PRESSED}[0].startTime"))
            settled(page)
            page.wait_for_timeout(PAUSE)
    return times


def _drag_over(page: Page, *places: tuple[float, float]) -> None:
    page.mouse.move(*places[0])
    page.mouse.down()
    for place in places[1:]:
        page.mouse.move(*place, steps=5)


def _open(page: Page, address: str, lot: int) -> list[float]:
    """Milliseconds from the press on a tile of the line-up to the photo on screen."""
    times = []
    for i in range(OPENINGS):
        page.goto(f"{address}/lots/{lot}")
        tile = page.locator(f"a[title^='{LARGE[i % len(LARGE)].stem}']")
        tile.wait_for()
        page.evaluate("addEventListener('pointerdown', () => performance.mark('pressed'), true)")
        tile.click()
        page.wait_for_function(f"{SHOWN}.length > 0")
        times.append(page.evaluate(f"{SHOWN}[0].startTime - {PRESSED}[0].startTime"))
    return times


def _board(page: Page, address: str, url: str, lot: int) -> tuple[float, float]:
    """Milliseconds to the first tile of a lot of 5,000; and the longest blank while scrolling."""
    with psycopg.connect(url) as connection:
        row = connection.execute("INSERT INTO lots (name, sheet, spec) VALUES ('Board', 'white', 'square-2000') RETURNING id").fetchone()
        assert row is not None
        connection.execute(
            """INSERT INTO photos (lot_id, name, digest, bytes, facts, state, asked_key, done_key, verdict, findings, preview,
                                   result_width, result_height)
               SELECT %s, 'PW-' || n || '_' || p.name, md5(n::text) || md5(n::text), p.bytes, p.facts, 'done', 'k', 'k',
                      p.verdict, p.findings, p.preview, p.result_width, p.result_height
               FROM generate_series(1, %s) n
               JOIN LATERAL (SELECT * FROM photos WHERE lot_id = %s ORDER BY id OFFSET n %% 3 LIMIT 1) p ON true""",
            (row[0], BOARD, lot),
        )
    # Noted by the page itself when the frame with the first tile is out; asked from outside, what it does next would count too.
    page.add_init_script(
        """new MutationObserver((_, observer) => {
            if (!document.querySelector("a[title^='PW-']")) return;
            observer.disconnect();
            requestAnimationFrame(() => setTimeout(() => performance.mark('first tile')));
        }).observe(document, { childList: true, subtree: true });"""
    )
    page.goto(f"{address}/lots/{row[0]}", wait_until="commit")
    page.wait_for_function("performance.getEntriesByName('first tile').length > 0")
    first = float(page.evaluate("performance.getEntriesByName('first tile')[0].startTime"))
    page.evaluate(
        """() => window.scroller = () => [...document.querySelectorAll('div')].find(
            d => d.scrollHeight > 20000 && getComputedStyle(d).overflowY === 'auto')"""
    )
    page.wait_for_function("scroller()")
    page.wait_for_timeout(500)
    blank = page.evaluate(
        """async () => {
            const scroller = window.scroller();
            let worst = 0, since = null;
            const end = performance.now() + 4000;
            while (performance.now() < end) {
                scroller.scrollTop += 240;
                await new Promise(requestAnimationFrame);
                const box = scroller.getBoundingClientRect();
                let seen = false;
                for (const share of [0.3, 0.5, 0.7])
                    seen ||= !!document.elementFromPoint(box.left + 80, box.top + box.height * share)?.closest('a[title]');
                const now = performance.now();
                if (seen) since = null; else { since ??= now; worst = Math.max(worst, now - since); }
            }
            return worst;
        }"""
    )
    return first, float(blank)


def run() -> dict[str, float]:
    with tempfile.TemporaryDirectory() as state:
        service = Service(Path(state), "bench")
        try:
            service.start(8820)
            with open_page(measuring=True) as page:
                lot = _fill(page, service.address)
                opened = _open(page, service.address, lot)
                worked = []
                for photo in LARGE:
                    page.goto(f"{service.address}/lots/{lot}")
                    page.locator(f"a[title^='{photo.stem}']").click()
                    page.get_by_label("Histogram with white point").wait_for()
                    settled(page)
                    times = []
                    for work in (_drag, _tolerance, _stroke):
                        times.append(work(page))
                        settled(page)
                    worked.append(times)
                # Of the photo that is slowest at each.
                dragged, reached, painted = (max(times, key=statistics.median) for times in zip(*worked, strict=True))
                mended = _mends(page)
                first, blank = _board(page, service.address, service.cluster.url, lot)
        finally:
            service.stop()
            service.cluster.remove()
    ordered = sorted(dragged)
    figures = {
        "white point dragged, median ms": statistics.median(dragged),
        "white point dragged, 95th ms": ordered[int(0.95 * (len(ordered) - 1))],
        "tolerance dragged, median ms": statistics.median(reached),
        "tolerance dragged, longest ms": max(reached),
        "stroke of chalk settled (24 MP, fitted), median ms": statistics.median(painted),
        "stroke of chalk settled, longest ms": max(painted),
        **{f"mend: {tool} settled (24 MP, fitted), median ms": statistics.median(times) for tool, times in mended.items()},
        "24 MP photo opened on the bench, median ms": statistics.median(opened),
        "24 MP photo opened on the bench, first ms": opened[0],
        "board of 5,000: first tile, ms": first,
        "board of 5,000: longest blank while scrolling, ms": blank,
    }
    show("What a person waits for", ["", "ms"], [[name, f"{value:.0f}"] for name, value in figures.items()])
    return figures
