"""The capture station, a stand-in for a camera and a flatbed scanner: every press takes a new picture of a scene.

`python -m yardchalk.standins.capture --port N --scenes DIR`. A scene is a photo; each capture has noise, dust and a cast of its own.
"""

import argparse
import html
import io
import itertools
import secrets
from pathlib import Path
from typing import Any, Literal

import cv2
import numpy as np
import uvicorn
from fastapi import FastAPI
from fastapi.responses import HTMLResponse, JSONResponse, Response
from numpy.typing import NDArray
from PIL import Image

Device = Literal["camera", "flatbed"]
RESOLUTIONS = (150, 300, 600)
_SCENE_DPI = 300  # what a scene's own px stand for on the glass
_MOST_PIXELS = 60_000_000


def captured(scene: Path, device: Device, dpi: int, seed: int) -> bytes:
    """One frame (JPEG) or scan (TIFF) of a scene; the same seed gives the same picture."""
    rng = np.random.default_rng(seed)
    shown = np.asarray(Image.open(scene).convert("RGB")).astype(np.float32) / np.float32(255)
    light: NDArray[np.float32] = np.power(shown, np.float32(2.2))
    if device == "flatbed":
        size = tuple(max(1, round(side * dpi / _SCENE_DPI)) for side in (light.shape[1], light.shape[0]))
        if size[0] * size[1] > _MOST_PIXELS:
            raise ValueError(f"{size[0]} x {size[1]} px are more than the glass gives at {dpi} dpi")
        light = cv2.resize(light, size, interpolation=cv2.INTER_AREA if dpi <= _SCENE_DPI else cv2.INTER_CUBIC).astype(np.float32)
    strength = 0.04 if device == "camera" else 0.015
    light *= 1 + rng.normal(0, strength, 3).astype(np.float32)
    light *= np.float32(1 + rng.normal(0, strength))
    _dust(light, rng, 6 if device == "camera" else 25)
    light *= 1 + rng.normal(0, 0.012 if device == "camera" else 0.006, light.shape).astype(np.float32)
    pixels = np.round(np.clip(light, 0, 1) ** (1 / 2.2) * 255).astype(np.uint8)
    return _file(pixels, device, dpi)


def _dust(light: NDArray[np.float32], rng: np.random.Generator, count: int) -> None:
    """Specks and short fibres that keep a part of the light."""
    h, w = light.shape[:2]
    for _ in range(int(rng.poisson(count))):
        x, y, size = int(rng.integers(w)), int(rng.integers(h)), float(rng.uniform(1.5, 5)) * max(h, w) / 1600
        mask = np.zeros((h, w), np.uint8)
        axes = (max(1, round(size)), max(1, round(size * rng.uniform(0.3, 1))))
        cv2.ellipse(mask, (x, y), axes, float(rng.uniform(0, 180)), 0, 360, 255, -1, cv2.LINE_AA)
        light *= 1 - (mask.astype(np.float32) / 255 * np.float32(rng.uniform(0.15, 0.5)))[..., None]


def _file(pixels: NDArray[np.uint8], device: Device, dpi: int) -> bytes:
    image, out = Image.fromarray(pixels), io.BytesIO()
    exif = Image.Exif()
    exif[0x010F], exif[0x0110] = "Yard Chalk", f"Capture station, {device}"
    if device == "flatbed":
        image.save(out, "TIFF", compression="tiff_deflate", dpi=(dpi, dpi))
    else:
        image.save(out, "JPEG", quality=95, subsampling=0, exif=exif.tobytes())
    return out.getvalue()


def create_station(scenes: Path) -> FastAPI:
    """The station as an application."""
    app = FastAPI(title="Capture station", docs_url=None, redoc_url=None)
    numbers = itertools.count(1)

    def found() -> dict[str, Path]:
        return {path.stem: path for path in sorted(scenes.glob("*.jpg"))}

    @app.get("/scenes")
    def get_scenes() -> dict[str, Any]:
        return {"scenes": list(found()), "devices": ["camera", "flatbed"], "resolutions": list(RESOLUTIONS)}

    @app.post("/capture")
    def post_capture(scene: str, device: Device, dpi: int = 300, seed: int | None = None) -> Response:
        """A new picture of a scene; X-Name has its file name."""
        path = found().get(scene)
        if path is None:
            return JSONResponse({"message": f"there is no scene {scene}"}, 404)
        try:
            data = captured(path, device, dpi, secrets.randbits(32) if seed is None else seed)
        except ValueError as error:
            return JSONResponse({"message": str(error)}, 422)
        suffix, kind = (".tif", "image/tiff") if device == "flatbed" else (".jpg", "image/jpeg")
        return Response(data, media_type=kind, headers={"X-Name": f"{scene}_{device}-{next(numbers):03}{suffix}"})

    @app.get("/", response_class=HTMLResponse)
    def get_page() -> str:
        scenes_in_words = "".join(f"<li>{html.escape(name)}</li>" for name in found())
        return _PAGE.format(scenes=scenes_in_words, resolutions=", ".join(map(str, RESOLUTIONS)))

    return app


_PAGE = """<!doctype html><html lang="en"><meta charset="utf-8"><title>Capture station (stand-in)</title>
<style>body{{font:15px/1.5 sans-serif;margin:2rem;max-width:50rem}}</style>
<h1>Capture station</h1><p>A stand-in for a camera and a flatbed scanner ({resolutions} dpi). Every capture of a scene has noise, dust and a
cast of its own. Yard Chalk takes pictures here from its Intake page.</p><h2>On the table</h2><ul>{scenes}</ul></html>"""


def main() -> None:
    parser = argparse.ArgumentParser(description="The capture station, a stand-in for a camera and a flatbed scanner.")
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--scenes", type=Path, required=True)
    options = parser.parse_args()
    uvicorn.run(create_station(options.scenes), host="127.0.0.1", port=options.port, log_level="warning", ws="none")


if __name__ == "__main__":
    main()
