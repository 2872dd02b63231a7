"""The listing desk, a stand-in for a sales channel: takes pictures over HTTP, and accepts or refuses each by rules of its own.

`python -m yardchalk.standins.desk --port N --folder DIR`. Its rules are read by its own eyes: it shares no code with the application.
"""

import argparse
import hashlib
import html
import io
import json
import re
import threading
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Annotated, Any

import numpy as np
import uvicorn
from fastapi import FastAPI, Header, Request
from fastapi.responses import HTMLResponse, Response
from numpy.typing import NDArray
from PIL import Image, ImageCms, UnidentifiedImageError

_TAKEN = ("JPEG", "PNG", "WEBP", "GIF")
_MOST_BYTES = {"GIF": 150_000}
_LEAST_SIDE = {"GIF": 100}
_RULES = (
    "JPEG, PNG, WebP or GIF, at most 10 MB; a GIF at most 150 kB",
    "the longer side 500 px or more; of a GIF 100 px",
    "the border all round, 1 % deep, is pure white (255, 255, 255) or wholly see-through",
    "the product fills a fifth of the picture's longer side or more, and touches no edge",
    "JPEG, PNG and WebP are tagged sRGB, 8 bits a channel",
    "names of letters, figures, dots, dashes and underscores, 80 at most, each used once",
)


@dataclass(frozen=True)
class Answer:
    """What the desk says of a picture."""

    number: int
    name: str
    accepted: bool
    reasons: list[str]
    digest: str


def judge(name: str, data: bytes) -> list[str]:
    """Why the desk will not have a picture; nothing if it will."""
    reasons = []
    if not re.fullmatch(r"[A-Za-z0-9._-]{1,80}", name):
        reasons.append("The name has other characters than letters, figures, dots, dashes and underscores, or is too long")
    try:
        image = Image.open(io.BytesIO(data))
        kind, mode = str(image.format), image.mode
        pixels = np.asarray(image.convert("RGBA"))
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError):
        return [*reasons, "It is no picture that the desk can read"]
    if kind not in _TAKEN:
        return [*reasons, f"{kind} is not taken: send JPEG, PNG, WebP or GIF"]
    if len(data) > (most := _MOST_BYTES.get(kind, 10_000_000)):
        reasons.append(f"It has {len(data):,} bytes, {most:,} at most are taken")
    if max(image.size) < (least := _LEAST_SIDE.get(kind, 500)):
        reasons.append(f"Its longer side has {max(image.size)} px, {least} are needed")
    if mode.startswith("I"):
        reasons.append("It has 16 bits a channel, 8 are taken")
    if kind != "GIF" and not _is_srgb(image.info.get("icc_profile")):
        reasons.append("It is not tagged sRGB")
    return reasons + _of_pixels(pixels)


def _is_srgb(profile: bytes | None) -> bool:
    if not profile:
        return False
    try:
        described = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(profile)))
    except (ImageCms.PyCMSError, OSError):
        return False
    return "srgb" in described.lower()


def _of_pixels(pixels: NDArray[np.uint8]) -> list[str]:
    h, w = pixels.shape[:2]
    deep = max(1, round(0.01 * min(h, w)))
    rim = np.ones((h, w), bool)
    rim[deep : h - deep, deep : w - deep] = False
    clear = bool((pixels[..., 3] < 255).any())
    empty = pixels[..., 3] == 0 if clear else (pixels[..., :3] == 255).all(2)
    reasons = []
    if wrong := int(np.count_nonzero(rim & ~empty)):
        what = "see-through" if clear else "pure white"
        reasons.append(f"The border is not {what}: {wrong:,} px, 1 % deep all round")
    shown = ~empty
    rows, columns = np.flatnonzero(shown.any(1)), np.flatnonzero(shown.any(0))
    if not rows.size:
        return [*reasons, "There is nothing on it"]
    longest = max(rows[-1] - rows[0], columns[-1] - columns[0]) + 1
    if longest < 0.2 * max(h, w):
        reasons.append(f"The product fills {100 * longest / max(h, w):.0f} % of the longer side, 20 are needed")
    return reasons


class Desk:
    """What was sent to the desk, in the order that it came; kept in a folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._lock = threading.Lock()
        folder.mkdir(parents=True, exist_ok=True)
        kept = folder / "answers.json"
        self._by_key: dict[str, dict[str, Any]] = json.loads(kept.read_text()) if kept.is_file() else {}

    def take(self, key: str, name: str, data: bytes) -> Answer:
        """Judge a picture; the same key again gives the answer that it got, unless it was refused and is another file now."""
        digest = hashlib.sha256(data).hexdigest()
        with self._lock:
            before = self._by_key.get(key)
            if before is not None and (before["accepted"] or before["digest"] == digest):
                return Answer(**before)
            reasons = judge(name, data)
            if any(other["accepted"] and other["name"] == name and other["digest"] != digest for other in self._by_key.values()):
                reasons.append("Another picture of this name is here already")
            answer = Answer(len(self._by_key) + 1, name, not reasons, reasons, digest)
            if answer.accepted:
                (self.folder / digest).write_bytes(data)
            self._by_key[key] = asdict(answer)
            aside = self.folder / "answers.part"
            aside.write_text(json.dumps(self._by_key))
            aside.rename(self.folder / "answers.json")
            return answer

    def answers(self) -> list[Answer]:
        with self._lock:
            return [Answer(**answer) for answer in reversed(self._by_key.values())]


def create_desk(folder: Path) -> FastAPI:
    """The desk as an application."""
    desk = Desk(folder)
    app = FastAPI(title="Listing desk", docs_url=None, redoc_url=None)

    @app.post("/pictures")
    async def post_picture(request: Request, name: str, idempotency_key: Annotated[str, Header()]) -> dict[str, Any]:
        """A picture as the body; answers whether it is accepted, and if not, why."""
        return asdict(desk.take(idempotency_key, name, await request.body()))

    @app.get("/pictures/{digest}")
    def get_picture(digest: str) -> Response:
        path = folder / digest
        if not re.fullmatch("[0-9a-f]{64}", digest) or not path.is_file():
            return Response(status_code=404)
        kind = Image.open(path).get_format_mimetype()
        return Response(path.read_bytes(), media_type=kind)

    @app.get("/", response_class=HTMLResponse)
    def get_page() -> str:
        rows = "".join(
            f"<tr><td>{a.number}</td><td>{_thumb(a)}</td><td>{html.escape(a.name)}</td>"
            f"<td>{'accepted' if a.accepted else 'refused'}</td><td>{html.escape('; '.join(a.reasons))}</td></tr>"
            for a in desk.answers()
        )
        rules = "".join(f"<li>{html.escape(rule)}</li>" for rule in _RULES)
        return _PAGE.format(rules=rules, rows=rows or "<tr><td colspan=5>Nothing was sent yet.</td></tr>")

    return app


def _thumb(answer: Answer) -> str:
    return f'<img src="/pictures/{answer.digest}" alt="" height="48">' if answer.accepted else ""


_PAGE = """<!doctype html><html lang="en"><meta charset="utf-8"><title>Listing desk (stand-in)</title>
<style>body{{font:15px/1.5 sans-serif;margin:2rem;max-width:60rem}}td,th{{padding:.3rem .8rem;text-align:left;border-top:1px solid #ccc}}
img{{border:1px solid #ddd;background:#eee}}</style>
<h1>Listing desk</h1><p>A stand-in for a sales channel. It takes:</p><ul>{rules}</ul>
<table><tr><th>No.</th><th></th><th>Name</th><th>Answer</th><th>Why</th></tr>{rows}</table></html>"""


def main() -> None:
    parser = argparse.ArgumentParser(description="The listing desk, a stand-in for a sales channel.")
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--folder", type=Path, required=True)
    options = parser.parse_args()
    uvicorn.run(create_desk(options.folder), host="127.0.0.1", port=options.port, log_level="warning", ws="none")


if __name__ == "__main__":
    main()
